import { solveTwo } from '../../linear/solve-linear';

/** measured = offset + slope x stored, held against points of which many may be wrong. */
export interface LineFit {
  readonly offset: number;
  readonly slope: number;
  /** Points that lie on the line, as a share of all. */
  readonly inlierShare: number;
  /** How much of what a constant leaves unexplained the line explains: 0 nothing, 1 all. 0 when a constant explains everything. */
  readonly gain: number;
}

const TRIES = 160,
  /** How far from the line a point may lie: flow is good to a few tenths of a pixel, and worse the longer the way. */
  NEAR_PX = 0.5,
  NEAR_SHARE = 0.03,
  MOST_POINTS = 1200;

/**
 * RANSAC with soft counting (Torr and Zisserman 2000, "MLESAC"), then least squares on what lies near. `measured` in pixels; entries that
 * are NaN in either list are left out. Null with fewer than 12 points, or when the stored values are all one.
 */
export function fitLine(stored: ArrayLike<number>, measured: ArrayLike<number>): LineFit | null {
  const u: number[] = [],
    v: number[] = [];
  for (let k = 0; k < stored.length; k++) {
    const d = stored[k] - measured[k];
    if (d - d !== 0) continue;
    u.push(stored[k]);
    v.push(measured[k]);
  }
  if (u.length < 12) return null;
  const every = Math.max(1, u.length / MOST_POINTS);
  const count = Math.floor(u.length / every);
  const xs = Float64Array.from({ length: count }, (_, k) => u[Math.floor(k * every)]),
    ys = Float64Array.from({ length: count }, (_, k) => v[Math.floor(k * every)]);
  const sorted = Float64Array.from(xs).sort();
  const spread = sorted[Math.floor(count * 0.98)] - sorted[Math.floor(count * 0.02)];
  if (!(spread > 0)) return null;
  const near = Float64Array.from(ys, (y) => NEAR_PX + NEAR_SHARE * Math.abs(y));
  const countOn = (offset: number, slope: number) => {
    let sum = 0;
    for (let k = 0; k < count; k++) {
      const d = (ys[k] - offset - slope * xs[k]) / near[k];
      if (d * d < 1) sum += 1 - d * d;
    }
    return sum;
  };
  const random = generator(count);
  let best = -1,
    offset = 0,
    slope = 0,
    constant = 0;
  for (let n = 0; n < TRIES; n++) {
    const i = Math.floor(random() * count),
      j = Math.floor(random() * count);
    constant = Math.max(constant, countOn(ys[i], 0));
    if (Math.abs(xs[i] - xs[j]) < 0.05 * spread) continue;
    const s = (ys[j] - ys[i]) / (xs[j] - xs[i]),
      o = ys[i] - s * xs[i];
    const on = countOn(o, s);
    if (on > best) {
      best = on;
      offset = o;
      slope = s;
    }
  }
  for (let n = 0; n < 4; n++) {
    const better = leastSquares(xs, ys, near, offset, slope);
    if (better === null) break;
    const on = countOn(better.offset, better.slope);
    if (on < best) break;
    best = on;
    ({ offset, slope } = better);
  }
  let inliers = 0;
  for (let k = 0; k < count; k++) if (Math.abs(ys[k] - offset - slope * xs[k]) < near[k]) inliers++;
  const open = count - constant;
  return {
    offset,
    slope,
    inlierShare: inliers / count,
    gain: open < 0.02 * count ? 0 : Math.max(0, (best - constant) / open),
  };
}

function leastSquares(
  xs: Float64Array,
  ys: Float64Array,
  near: Float64Array,
  offset: number,
  slope: number,
): { offset: number; slope: number } | null {
  let sw = 0,
    sx = 0,
    sy = 0,
    sxx = 0,
    sxy = 0;
  for (let k = 0; k < xs.length; k++) {
    const d = (ys[k] - offset - slope * xs[k]) / near[k];
    if (d * d >= 1) continue;
    const w = (1 - d * d) / (near[k] * near[k]);
    sw += w;
    sx += w * xs[k];
    sy += w * ys[k];
    sxx += w * xs[k] * xs[k];
    sxy += w * xs[k] * ys[k];
  }
  const line = solveTwo(sw, sx, sxx, sy, sxy, 1e-12);
  return line === null ? null : { offset: line[0], slope: line[1] };
}

/** Repeatable random numbers (Park and Miller 1988). */
export function generator(seed: number): () => number {
  let state = (seed % 2147483646) + 1;
  return () => (state = (state * 48271) % 2147483647) / 2147483647;
}
