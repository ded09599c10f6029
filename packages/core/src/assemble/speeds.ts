import type { MotionField } from '../raster/motion-field';

/** How fast the covered pixels of an element go, pixels a frame. */
export interface SpeedFigures {
  readonly median: number;
  readonly fast: number;
}

/** Median and 95th percentile over the pixels that are covered and have a vector. Null without any. */
export function speedFigures({ toNext, valid }: MotionField, rgba: Float32Array): SpeedFigures | null {
  const speeds: number[] = [];
  for (let i = 0; i < valid.length; i++)
    if (valid[i] !== 0 && rgba[i * 4 + 3] > 0.5) speeds.push(Math.hypot(toNext[i * 2], toNext[i * 2 + 1]));
  if (speeds.length === 0) return null;
  const sorted = Float64Array.from(speeds).sort();
  return { median: sorted[sorted.length >> 1], fast: sorted[Math.floor(0.95 * (sorted.length - 1))] };
}
