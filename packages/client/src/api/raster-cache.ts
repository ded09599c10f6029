import { unpackRaster, type Raster } from '@ivrex/contract';
import { requestBytes } from './request';

/** Decoded frames in memory, the longest unused dropped first. */
const MAX_BYTES = 768 * 2 ** 20;
const kept = new Map<string, { promise: Promise<Raster>; bytes: number; ready: boolean }>();
let total = 0;
const listeners = new Set<() => void>();

export type RasterForm = 'picture' | 'planes';

function keyOf(passId: string, frame: number, form: RasterForm, every: number): string {
  return `${passId}/${frame}/${form}/${every}`;
}

/** The pass at a frame. A failure is not kept: the file may come. */
export function loadRaster(passId: string, frame: number, form: RasterForm, every = 1): Promise<Raster> {
  const key = keyOf(passId, frame, form, every);
  const known = kept.get(key);
  if (known) {
    kept.delete(key);
    kept.set(key, known);
    return known.promise;
  }
  const entry = {
    bytes: 0,
    ready: false,
    promise: requestBytes(`/passes/${passId}/frames/${frame}?form=${form}&every=${every}`).then((buffer) => {
      entry.bytes = buffer.byteLength;
      entry.ready = true;
      total += buffer.byteLength;
      trim();
      for (const listener of listeners) listener();
      return unpackRaster(buffer);
    }),
  };
  kept.set(key, entry);
  entry.promise.catch(() => kept.delete(key));
  return entry.promise;
}

export function isRasterReady(passId: string, frame: number, form: RasterForm): boolean {
  return kept.get(keyOf(passId, frame, form, 1))?.ready === true;
}

/** Called whenever a frame has arrived. Returns how to stop. */
export function onRasterReady(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

function trim(): void {
  for (const [key, entry] of kept) {
    if (total <= MAX_BYTES) return;
    if (!entry.ready) continue;
    kept.delete(key);
    total -= entry.bytes;
  }
}

/** Files on disk may have changed. */
export function forgetRasters(): void {
  kept.clear();
  total = 0;
}
