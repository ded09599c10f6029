import type { PlanReport } from '@ivrex/core';
import type { PreviewPicture } from '../workers/blur-preview';

export interface KeptBlur {
  readonly picture: PreviewPicture;
  readonly report: PlanReport;
}

/** Blurred frames in memory, each under everything that it depends on; the longest unused dropped first. */
const MAX_BYTES = 512 * 2 ** 20;
const kept = new Map<string, KeptBlur>();
const listeners = new Set<() => void>();
let total = 0;

export function keptBlur(key: string): KeptBlur | null {
  const found = kept.get(key);
  if (found === undefined) return null;
  kept.delete(key);
  kept.set(key, found);
  return found;
}

/** For drawing what is there: does not count as use. */
export function keptQuality(key: string): PreviewPicture['quality'] | null {
  return kept.get(key)?.picture.quality ?? null;
}

/** A draft does not take the place of an exact picture. */
export function keepBlur(key: string, blur: KeptBlur): void {
  const before = kept.get(key);
  if (before?.picture.quality === 'final' && blur.picture.quality === 'draft') return;
  if (before !== undefined) total -= before.picture.halves.byteLength;
  kept.delete(key);
  kept.set(key, blur);
  total += blur.picture.halves.byteLength;
  for (const [oldest, entry] of kept) {
    if (total <= MAX_BYTES || oldest === key) break;
    kept.delete(oldest);
    total -= entry.picture.halves.byteLength;
  }
  for (const listener of listeners) listener();
}

/** Called whenever a picture was kept. Returns how to stop. */
export function onBlurKept(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}
