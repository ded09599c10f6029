import type { MotionField } from '../../raster/motion-field';

export interface SpeedHistogram {
  /** Bin k counts pixels from `edges[k]` up to `edges[k + 1]` pixels per frame; the edges grow by a fixed factor. */
  readonly edges: Float64Array;
  readonly counts: Uint32Array;
  /** Pixels with a vector that is slower than the first edge. */
  readonly still: number;
  readonly fastestPx: number;
}

/** How many pixels of a frame go how fast (the longer of both vectors), from 1/16 px a frame on in even steps of the logarithm. */
export function speedHistogram({ toNext, toPrevious, valid }: MotionField, bins = 48): SpeedHistogram {
  const speeds = new Float64Array(valid.length).fill(-1);
  let fastestPx = 0;
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0) continue;
    speeds[i] = Math.sqrt(Math.max(toNext[i * 2] ** 2 + toNext[i * 2 + 1] ** 2, toPrevious[i * 2] ** 2 + toPrevious[i * 2 + 1] ** 2));
    if (speeds[i] > fastestPx) fastestPx = speeds[i];
  }
  const most = Math.max(1, fastestPx),
    factor = Math.log(most / SLOWEST_PX) / bins;
  const edges = Float64Array.from({ length: bins + 1 }, (_, k) => SLOWEST_PX * Math.exp(k * factor)),
    counts = new Uint32Array(bins);
  let still = 0;
  for (const speed of speeds) {
    if (speed < 0) continue;
    if (speed < SLOWEST_PX) still++;
    else counts[Math.min(bins - 1, Math.floor(Math.log(speed / SLOWEST_PX) / factor))]++;
  }
  return { edges, counts, still, fastestPx };
}

const SLOWEST_PX = 1 / 16;
