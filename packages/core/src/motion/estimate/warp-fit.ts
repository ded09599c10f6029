import { solveLinear } from '../../linear/solve-linear';
import { sampleLevel, type Pyramid } from '../flow/pyramid';

/** Points of a picture, and the picture in which they are looked for. */
export interface WarpPictures {
  readonly x: Int32Array;
  readonly y: Int32Array;
  readonly from: Pyramid;
  readonly to: Pyramid;
}

/**
 * A motion that is linear in a few numbers: at point k, displacement = sum of parameter j times basis j. Pixels. A basis that is null does not touch that axis.
 */
export interface LinearMotion {
  readonly basisX: readonly (Float64Array | null)[];
  readonly basisY: readonly (Float64Array | null)[];
}

/** Differences of brightness beyond this count as this: something was hidden or lit anew. */
const MOST = 0.15,
  ROUNDS = 8,
  /** Differences of brightness about which a point is doubted. */
  DOUBT = 0.04;

/**
 * Slides the parameters until the warped picture fits best: Gauss-Newton on brightness itself (Lucas and Kanade 1981) with doubtful points weighed down
 * (Geman and McClure 1987), coarse level to fine. This has no aperture problem: all points share the parameters.
 */
export function fitWarp(pictures: WarpPictures, motion: LinearMotion, start: Float64Array, levels: readonly number[]): Float64Array {
  const size = start.length,
    count = pictures.x.length;
  let parameters: Float64Array = Float64Array.from(start);
  const dx = new Float64Array(count),
    dy = new Float64Array(count);
  for (const level of levels) {
    const own = ownValues(pictures, level);
    displacements(motion, parameters, dx, dy);
    let best = warpAndSlopes(pictures, motion, dx, dy, own, level, size);
    for (let round = 0; round < ROUNDS; round++) {
      const step = solveLinear(best.matrix, best.right, size);
      if (step === null) break;
      const tried = parameters.map((p, j) => p - step[j]);
      displacements(motion, tried, dx, dy);
      const now = warpAndSlopes(pictures, motion, dx, dy, own, level, size);
      if (!(now.mean < best.mean)) break;
      const small = best.mean - now.mean < 1e-4 * best.mean;
      best = now;
      parameters = tried;
      if (small) break;
    }
  }
  return parameters;
}

function displacements(motion: LinearMotion, parameters: ArrayLike<number>, dx: Float64Array, dy: Float64Array): void {
  dx.fill(0);
  dy.fill(0);
  for (let j = 0; j < motion.basisX.length; j++) {
    const bx = motion.basisX[j],
      by = motion.basisY[j],
      p = parameters[j];
    if (bx !== null) for (let k = 0; k < dx.length; k++) dx[k] += p * bx[k];
    if (by !== null) for (let k = 0; k < dy.length; k++) dy[k] += p * by[k];
  }
}

/** The frame's own brightness at all points. */
function ownValues({ from, x, y }: WarpPictures, level: number): Float64Array {
  const scale = 2 ** -level,
    plane = from[level];
  return Float64Array.from(x, (px, k) => sampleLevel(plane, plane.values, (px + 0.5) * scale - 0.5, (y[k] + 0.5) * scale - 0.5));
}

/** The mean difference under a motion, and the normal equations of the next step from it, in one go. Points that leave the picture do not count. */
function warpAndSlopes(
  { x, y, to }: WarpPictures,
  { basisX, basisY }: LinearMotion,
  dx: Float64Array,
  dy: Float64Array,
  own: Float64Array,
  level: number,
  size: number,
): { readonly matrix: Float64Array; readonly right: Float64Array; readonly mean: number } {
  const matrix = new Float64Array(size * size),
    right = new Float64Array(size),
    row = new Float64Array(size),
    nothing = new Float64Array(dx.length);
  const xs = basisX.map((b) => b ?? nothing),
    ys = basisY.map((b) => b ?? nothing);
  const other = to[level],
    scale = 2 ** -level;
  let sum = 0,
    points = 0;
  for (let k = 0; k < x.length; k++) {
    const px = (x[k] + 0.5 + dx[k]) * scale - 0.5,
      py = (y[k] + 0.5 + dy[k]) * scale - 0.5;
    // NaN fails every comparison.
    if (!(px >= -0.5 && py >= -0.5 && px <= other.width - 0.5 && py <= other.height - 0.5)) continue;
    const e = sampleLevel(other, other.values, px, py) - own[k];
    points++;
    sum += Math.min(MOST, Math.abs(e));
    const q = DOUBT * DOUBT + e * e,
      w = (DOUBT * DOUBT * DOUBT * DOUBT) / (q * q);
    const gx = sampleLevel(other, other.slopeX, px, py) * scale,
      gy = sampleLevel(other, other.slopeY, px, py) * scale;
    for (let j = 0; j < size; j++) row[j] = xs[j][k] * gx + ys[j][k] * gy;
    for (let i = 0; i < size; i++) {
      const wr = w * row[i];
      right[i] += wr * e;
      for (let j = 0; j <= i; j++) matrix[i * size + j] += wr * row[j];
    }
  }
  for (let i = 0; i < size; i++) for (let j = i + 1; j < size; j++) matrix[i * size + j] = matrix[j * size + i];
  return { matrix, right, mean: points === 0 ? MOST : sum / points };
}
