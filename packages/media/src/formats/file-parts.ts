import { open, stat } from 'node:fs/promises';
import { IvrexError } from '@ivrex/core';

/** The first `count` bytes of a file, fewer when it is shorter. */
export async function readStart(file: string, count: number): Promise<Uint8Array> {
  const handle = await open(file, 'r');
  try {
    const start = new Uint8Array(count);
    const { bytesRead } = await handle.read(start, 0, count, 0);
    return start.subarray(0, bytesRead);
  } finally {
    await handle.close();
  }
}

/** The last `count` bytes of a file, fewer when it is shorter. */
export async function readTail(file: string, count: number): Promise<Uint8Array> {
  const handle = await open(file, 'r');
  try {
    const { size } = await handle.stat();
    const tail = new Uint8Array(Math.min(count, size));
    await handle.read(tail, 0, tail.length, size - tail.length);
    return tail;
  } finally {
    await handle.close();
  }
}

/** Caps for files that are not OpenEXR. */
const MAX_PIXELS = 1 << 28;

/**
 * Refuses what a file declares when it is beyond the limit, or when so few bytes can't hold it: `ratio` is the most that the format's
 * compression can shrink. @throws IvrexError tooLarge, damaged
 */
export async function checkSize(file: string, width: number, height: number, bytesPerPixel: number, ratio: number): Promise<void> {
  if (!(width > 0 && height > 0)) throw new IvrexError('damaged', `the picture is empty (${width} x ${height})`);
  if (width * height > MAX_PIXELS)
    throw new IvrexError('tooLarge', `the picture of ${width} x ${height} pixels is larger than the limit of ${MAX_PIXELS} pixels`);
  const { size } = await stat(file);
  if (width * height * bytesPerPixel > size * ratio + 65536)
    throw new IvrexError('damaged', `the file declares ${width} x ${height} pixels, which its ${size} bytes cannot hold`);
}

export const CUT_OFF = 'the file ends before the picture does; copy or render this frame again';
