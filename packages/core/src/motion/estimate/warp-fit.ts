import { solveLinear } from '../../linear/solve-linear';
import { sampleLevel, type Pyramid, type PyramidLevel } from '../flow/pyramid';

/** Points of a picture, and the pictures beside it. */
export interface WarpPictures {
  readonly x: Int32Array;
  readonly y: Int32Array;
  readonly now: Pyramid;
  readonly next: Pyramid | null;
  readonly previous: Pyramid | null;
}

/**
 * A motion that is linear in a few numbers: at point k, velocity = sum of parameter j times basis j. Pixels per frame. A basis that is
 * null does not touch that axis.
 */
export interface LinearMotion {
  readonly basisX: readonly (Float64Array | null)[];
  readonly basisY: readonly (Float64Array | null)[];
}

export type WarpTarget = 'next' | 'previous' | 'both';

/**
 * Which pictures a motion is held against. `bend` is half of (way to next + way to previous) at each point, NaN where unknown: with the
 * interval's middle it turns a vector of any interval into the ways to both neighbours. Null: the path is straight.
 */
export interface WarpView {
  readonly target: WarpTarget;
  readonly level: number;
  /** Indices of points, null for all. */
  readonly chosen: Int32Array | null;
  readonly bend: { readonly x: Float64Array; readonly y: Float64Array; readonly middle: number } | null;
}

/** Both neighbours alike, and one at a time. */
export const BOTH: WarpView = { target: 'both', level: 0, chosen: null, bend: null };
export const SIDES = (['next', 'previous'] as const).map((target): WarpView => ({ ...BOTH, target }));

/** Differences of brightness beyond this count as this: something was hidden or lit anew. */
const MOST = 0.15;

export interface WarpError {
  /** Mean absolute difference of brightness, 0 to 0.15, where the points moved to. */
  readonly mean: number;
  readonly points: number;
}

/** How well the picture at the points is found again where `vx`, `vy` say. */
export function warpErrorOf(measured: WarpPictures, vx: Float64Array, vy: Float64Array, view: WarpView): WarpError {
  let sum = 0,
    points = 0;
  for (const { difference, count } of looksOf(measured, vx, vy, view)) {
    for (let m = 0; m < count; m++) {
      const off = Math.abs(difference[m]);
      // NaN fails the comparison.
      if (!(off >= 0)) continue;
      points++;
      sum += off < MOST ? off : MOST;
    }
  }
  return { mean: points === 0 ? MOST : sum / points, points };
}

/** The same, point by point: the mean over the targets; NaN where a point was not looked at. */
export function warpErrorsAt(measured: WarpPictures, vx: Float64Array, vy: Float64Array, view: WarpView): Float64Array {
  const out = new Float64Array(vx.length),
    looks = new Uint8Array(vx.length);
  for (const { difference, count } of looksOf(measured, vx, vy, view))
    for (let m = 0; m < count; m++) {
      const off = Math.abs(difference[m]),
        k = view.chosen === null ? m : view.chosen[m];
      if (!(off >= 0)) continue;
      looks[k]++;
      out[k] += off < MOST ? off : MOST;
    }
  return out.map((sum, k) => (looks[k] === 0 ? NaN : sum / looks[k]));
}

export interface WarpFit {
  readonly parameters: Float64Array;
  /** Standard errors of the parameters. */
  readonly deviations: Float64Array;
}

const ROUNDS = 8,
  /** Differences of brightness about which a point is doubted. */
  DOUBT = 0.04;

/**
 * Slides the parameters until the warped picture fits best: Gauss-Newton on brightness itself (Lucas and Kanade 1981) with doubtful
 * points weighed down (Geman and McClure 1987), coarse level to fine. This has no aperture problem: all points share the parameters.
 */
export function fitWarp(
  measured: WarpPictures,
  motion: LinearMotion,
  start: Float64Array,
  levels: readonly number[],
  within: Omit<WarpView, 'level'>,
): WarpFit {
  const size = start.length;
  let parameters: Float64Array = Float64Array.from(start),
    deviations: Float64Array = new Float64Array(size).fill(Infinity);
  const count = measured.x.length;
  const vx = new Float64Array(count),
    vy = new Float64Array(count);
  for (const level of levels) {
    const view = { ...within, level };
    velocities(motion, parameters, vx, vy);
    let best = warpAndSlopes(measured, motion, vx, vy, view, size);
    for (let round = 0; round < ROUNDS; round++) {
      const step = solveLinear(best.matrix, best.right, size);
      if (step === null) break;
      deviations = deviationsOf(best, size);
      const tried = parameters.map((p, j) => p - step[j]);
      velocities(motion, tried, vx, vy);
      const now = warpAndSlopes(measured, motion, vx, vy, view, size);
      if (!(now.mean < best.mean)) break;
      const small = best.mean - now.mean < 1e-4 * best.mean;
      best = now;
      parameters = tried;
      if (small) break;
    }
  }
  return { parameters, deviations };
}

export function velocities(motion: LinearMotion, parameters: ArrayLike<number>, vx: Float64Array, vy: Float64Array): void {
  vx.fill(0);
  vy.fill(0);
  for (let j = 0; j < motion.basisX.length; j++) {
    const bx = motion.basisX[j],
      by = motion.basisY[j],
      p = parameters[j];
    if (bx !== null) for (let k = 0; k < vx.length; k++) vx[k] += p * bx[k];
    if (by !== null) for (let k = 0; k < vy.length; k++) vy[k] += p * by[k];
  }
}

interface NormalEquations {
  readonly matrix: Float64Array;
  readonly right: Float64Array;
  readonly squares: number;
  readonly weight: number;
}

/** The error of a motion, and the normal equations of the next step from it, in one go. */
function warpAndSlopes(
  measured: WarpPictures,
  { basisX, basisY }: LinearMotion,
  vx: Float64Array,
  vy: Float64Array,
  view: WarpView,
  size: number,
): NormalEquations & { readonly mean: number } {
  const matrix = new Float64Array(size * size),
    right = new Float64Array(size),
    row = new Float64Array(size),
    nothing = new Float64Array(vx.length);
  const xs = basisX.map((b) => b ?? nothing),
    ys = basisY.map((b) => b ?? nothing);
  let squares = 0,
    weight = 0,
    sum = 0,
    points = 0;
  for (const { difference, tx, ty, other, sign, count } of looksOf(measured, vx, vy, view)) {
    const scale = sign * 2 ** -view.level;
    for (let m = 0; m < count; m++) {
      const e = difference[m];
      if (e !== e) continue;
      points++;
      sum += Math.min(MOST, Math.abs(e));
      const k = view.chosen === null ? m : view.chosen[m];
      const q = DOUBT * DOUBT + e * e,
        w = (DOUBT * DOUBT * DOUBT * DOUBT) / (q * q);
      const gx = sampleLevel(other, other.slopeX, tx[m], ty[m]) * scale,
        gy = sampleLevel(other, other.slopeY, tx[m], ty[m]) * scale;
      for (let j = 0; j < size; j++) row[j] = xs[j][k] * gx + ys[j][k] * gy;
      for (let i = 0; i < size; i++) {
        const wr = w * row[i];
        right[i] += wr * e;
        for (let j = 0; j <= i; j++) matrix[i * size + j] += wr * row[j];
      }
      squares += w * e * e;
      weight += w;
    }
  }
  for (let i = 0; i < size; i++) for (let j = i + 1; j < size; j++) matrix[i * size + j] = matrix[j * size + i];
  return { matrix, right, squares, weight, mean: points === 0 ? MOST : sum / points };
}

function deviationsOf({ matrix, squares, weight }: NormalEquations, size: number): Float64Array {
  const variance = squares / Math.max(1, weight - size);
  const out = new Float64Array(size);
  for (let j = 0; j < size; j++) {
    const unit = new Float64Array(size);
    unit[j] = 1;
    const column = solveLinear(matrix, unit, size);
    out[j] = column === null ? Infinity : Math.sqrt(Math.max(0, variance * column[j]));
  }
  return out;
}

/** Where the points are looked for in one neighbour, and by what they differ there; NaN where they leave it or have no vector. */
interface Look {
  readonly other: PyramidLevel;
  readonly sign: 1 | -1;
  /** Points that are looked at, in the order of `chosen`. */
  readonly count: number;
  readonly difference: Float64Array;
  readonly tx: Float64Array;
  readonly ty: Float64Array;
}

/** One look for each neighbour that is asked for. Previous pictures are looked up against the motion. */
function looksOf(measured: WarpPictures, vx: Float64Array, vy: Float64Array, { target, level, chosen, bend }: WarpView): readonly Look[] {
  const scale = 2 ** -level,
    count = chosen === null ? measured.x.length : chosen.length,
    own = ownValues(measured, level);
  const looks: Look[] = [];
  for (const sign of [1, -1] as const) {
    const pyramid = sign === 1 ? measured.next : measured.previous;
    if (pyramid === null || target === (sign === 1 ? 'previous' : 'next')) continue;
    const other = pyramid[level],
      right = other.width - 0.5,
      bottom = other.height - 0.5;
    const difference = new Float64Array(count),
      tx = new Float64Array(count),
      ty = new Float64Array(count);
    // Next: w + (1 - s) b. Previous: -w + (1 + s) b.
    const share = bend === null ? 0 : 1 - sign * bend.middle;
    for (let m = 0; m < count; m++) {
      const k = chosen === null ? m : chosen[m];
      let dx = vx[k] * sign,
        dy = vy[k] * sign;
      if (bend !== null && share !== 0) {
        dx += share * bend.x[k];
        dy += share * bend.y[k];
      }
      const px = (measured.x[k] + 0.5 + dx) * scale - 0.5,
        py = (measured.y[k] + 0.5 + dy) * scale - 0.5;
      tx[m] = px;
      ty[m] = py;
      // NaN fails every comparison.
      difference[m] = px >= -0.5 && py >= -0.5 && px <= right && py <= bottom ? sampleLevel(other, other.values, px, py) - own[k] : NaN;
    }
    looks.push({ other, sign, count, difference, tx, ty });
  }
  return looks;
}

const ownValuesOf = new WeakMap<Int32Array, (Float64Array | undefined)[]>();

/** The frame's own brightness at all points, by level: every reading is held against the same. */
function ownValues({ now, x, y }: WarpPictures, level: number): Float64Array {
  const known = ownValuesOf.get(x) ?? [];
  ownValuesOf.set(x, known);
  const scale = 2 ** -level,
    plane = now[level];
  return (known[level] ??= Float64Array.from(x, (px, k) =>
    sampleLevel(plane, plane.values, (px + 0.5) * scale - 0.5, (y[k] + 0.5) * scale - 0.5),
  ));
}
