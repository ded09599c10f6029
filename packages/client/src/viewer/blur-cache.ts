import type { PlanReport } from '@ivrex/core';
import { LRUCache } from 'lru-cache';
import type { PreviewPicture } from '../workers/blur-preview';

export interface KeptBlur {
  readonly picture: PreviewPicture;
  readonly report: PlanReport;
}

const MAX_BYTES = 512 * 2 ** 20;
/** Blurred frames in memory, each under everything that it depends on; the longest unused dropped first. One that is larger is kept alone. */
const kept = new LRUCache<string, KeptBlur>({
  maxSize: MAX_BYTES,
  sizeCalculation: ({ picture }) => Math.min(MAX_BYTES, picture.halves.byteLength),
});
const listeners = new Set<() => void>();

export function keptBlur(key: string): KeptBlur | null {
  return kept.get(key) ?? null;
}

/** For drawing what is there: does not count as use. */
export function keptQuality(key: string): PreviewPicture['quality'] | null {
  return kept.peek(key)?.picture.quality ?? null;
}

/** A draft does not take the place of an exact picture. */
export function keepBlur(key: string, blur: KeptBlur): void {
  if (keptQuality(key) === 'final' && blur.picture.quality === 'draft') return;
  kept.set(key, blur);
  for (const listener of listeners) listener();
}

/** Called whenever a picture was kept. Returns how to stop. */
export function onBlurKept(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}
