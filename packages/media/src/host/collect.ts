import { sharedMemoryOf } from '@ivrex/core';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';

/** From this many bytes on that came and went unseen, a thread collects what it has let go of. */
const ENOUGH_BYTES = 192 * 1024 * 1024;

/** A task that made fewer bytes of buffers is not worth a collection. */
const WORTH_BYTES = 64 * 1024 * 1024;

let gc: (() => void) | null = null,
  passed = 0;

/**
 * Tells this thread's collector that it has held so many bytes of shared memory. V8 does not count shared buffers (Node 20): the few small objects
 * that a plan of 130 MiB is to it are never worth a collection, and a sequence would fill the machine. A collection takes 10 to 100 ms.
 */
export function heldShared(bytes: number): void {
  passed += bytes;
  if (passed >= ENOUGH_BYTES) collect();
}

/**
 * Called between a thread's tasks: one that waits for its next would keep for as long what the last one has read (a frame's passes with its
 * neighbours' are 250 MB at 1920 x 1080). `before`: `bytesHeld` as the task began.
 */
export function letGo(before: number): void {
  if (bytesHeld() - before >= WORTH_BYTES) collect();
}

/** Called where much was just given up that the next task is not to stand beside. */
export function gaveUp(bytes: number): void {
  if (bytes >= WORTH_BYTES) collect();
}

/** What this thread's buffers take. */
export function bytesHeld(): number {
  return process.memoryUsage().arrayBuffers;
}

function collect(): void {
  passed = 0;
  if (gc === null) {
    setFlagsFromString('--expose-gc');
    gc = runInNewContext('gc') as () => void;
  }
  gc();
}

/** The same, of plain data that has views of it; `share` of it where a thread gets the same data several times. */
export function heldSharedOf(data: unknown, share = 1): void {
  heldShared(share * sharedBytesOf(data));
}

export function sharedBytesOf(data: unknown): number {
  return sharedMemoryOf(data).reduce((sum, { byteLength }) => sum + byteLength, 0);
}
