import { solveTwo } from '../linear/solve-linear';
import type { ExposureShape } from '../shutter/exposure-shape';
import { isInside, placeOf, type Freedom } from './fit-freedom';
import { differenceAt, evenWeights, robustWeights, type Difference, type PointWeights } from './match-cost';
import type { Moments } from './moments';
import type { GradeFit } from './shutter-match';

export type Grading = Exclude<GradeFit, 'auto'>;

export interface Place {
  readonly a: number;
  readonly b: number;
  /** Mean square over all points alike. */
  readonly plainCost: number;
}

export interface Refined extends Place {
  readonly p: readonly number[];
  readonly shape: ExposureShape;
  readonly difference: Difference;
  readonly weights: PointWeights;
  readonly grading: Grading;
}

const MOST_STEPS = 14,
  SMALL_STEP = 2e-5;

/** Levenberg-Marquardt on reweighted squares; the weights are renewed between steps. */
export function refine(
  frames: readonly Moments[],
  freedom: Freedom,
  reach: number,
  shape: ExposureShape,
  grading: Grading,
  start: readonly number[],
): Refined {
  let p = [...start],
    weights = evenWeights(frames),
    damping = 1e-4;
  const at = (q: readonly number[], w: PointWeights) => {
    const { a, b } = placeOf(freedom, q);
    return differenceAt(frames, w, a, b, shape, grading);
  };
  let now = at(p, weights);
  for (let step = 0; step < MOST_STEPS; step++) {
    // The first steps count everything: far from the place everything is far off.
    if (step >= 2) {
      ({ weights } = robustWeights(frames, now));
      now = at(p, weights);
    }
    const { matrix, right } = normalEquations(frames, weights, freedom, reach, p, now, (q) => at(q, weights).left);
    let moved = 0;
    for (let tries = 0; tries < 6; tries++) {
      const delta = solve(matrix, right, damping);
      const next = held(freedom, reach, p, delta);
      const then = at(next, weights);
      if (then.cost <= now.cost) {
        moved = Math.max(...next.map((v, k) => Math.abs(v - p[k])), 0);
        p = next;
        now = then;
        damping = Math.max(1e-7, damping / 5);
        break;
      }
      damping *= 8;
    }
    if (step >= 3 && moved < SMALL_STEP) break;
  }
  const plain = at(p, evenWeights(frames));
  return { p, ...placeOf(freedom, p), shape, difference: now, weights, plainCost: plain.cost, grading };
}

/** The step, shortened until the exposure is one. */
function held(freedom: Freedom, reach: number, p: readonly number[], delta: readonly number[]): number[] {
  for (let share = 1; share > 0.01; share /= 2) {
    const next = p.map((v, k) => v + share * delta[k]);
    if (isInside(placeOf(freedom, next), reach)) return next;
  }
  return [...p];
}

export interface Equations {
  readonly matrix: readonly (readonly number[])[];
  readonly right: readonly number[];
}

/** J'WJ and -J'Wr with slopes by differences, over all points or, for `parts`, of each part of the picture alone. */
export function normalEquations(
  frames: readonly Moments[],
  weights: PointWeights,
  freedom: Freedom,
  reach: number,
  p: readonly number[],
  now: Difference,
  leftAt: (q: readonly number[]) => readonly Float32Array[],
  parts?: Equations[],
): Equations {
  const slopes = slopesAt(freedom, reach, p, now, leftAt);
  const n = p.length;
  const sumOf = (f: number, from: number, to: number, into: { matrix: number[][]; right: number[] }) => {
    const left = now.left[f];
    for (let q = from; q < to; q++) {
      const w = weights[f][q];
      for (let i = q * 4; i < q * 4 + 4; i++)
        for (let k = 0; k < n; k++) {
          const s = slopes[k][f][i] * w;
          into.right[k] -= s * left[i];
          for (let l = 0; l <= k; l++) into.matrix[k][l] += s * slopes[l][f][i];
        }
    }
  };
  const empty = () => ({ matrix: p.map(() => p.map(() => 0)), right: p.map(() => 0) });
  const whole = empty();
  frames.forEach((m, f) => {
    for (let from = 0; from < m.points;) {
      let to = from;
      while (to < m.points && m.partOf[to] === m.partOf[from]) to++;
      const tile = empty();
      sumOf(f, from, to, tile);
      add(whole, tile);
      parts?.push(mirrored(tile));
      from = to;
    }
  });
  return mirrored(whole);
}

function add(into: { matrix: number[][]; right: number[] }, other: Equations): void {
  other.right.forEach((v, k) => (into.right[k] += v));
  other.matrix.forEach((row, k) => row.forEach((v, l) => (into.matrix[k][l] += v)));
}

function mirrored({ matrix, right }: { matrix: number[][]; right: number[] }): Equations {
  return { matrix: matrix.map((row, k) => row.map((v, l) => (l <= k ? v : matrix[l][k]))), right };
}

const SLOPE_STEP = 0.004;

/** What each free number changes, by frame: central differences, one-sided at the border. */
function slopesAt(
  freedom: Freedom,
  reach: number,
  p: readonly number[],
  now: Difference,
  leftAt: (q: readonly number[]) => readonly Float32Array[],
): readonly (readonly Float32Array[])[] {
  return p.map((value, k) => {
    const moved = (by: number) => p.map((v, l) => (l === k ? value + by : v));
    const up = isInside(placeOf(freedom, moved(SLOPE_STEP)), reach) ? SLOPE_STEP : 0,
      down = isInside(placeOf(freedom, moved(-SLOPE_STEP)), reach) ? -SLOPE_STEP : 0;
    if (up === down) return now.left.map((list) => new Float32Array(list.length));
    const high = up === 0 ? now.left : leftAt(moved(up)),
      low = down === 0 ? now.left : leftAt(moved(down));
    return high.map((list, f) => list.map((v, i) => (v - low[f][i]) / (up - down)));
  });
}

/** For one or two unknowns; a direction that nothing depends on is left alone. */
function solve(matrix: readonly (readonly number[])[], right: readonly number[], damping: number): number[] {
  if (right.length === 0) return [];
  const d0 = matrix[0][0] * (1 + damping) + 1e-12;
  if (right.length === 1) return [right[0] / d0];
  const d1 = matrix[1][1] * (1 + damping) + 1e-12;
  return solveTwo(d0, matrix[0][1], d1, right[0], right[1], 0) ?? [right[0] / d0, 0];
}

/** By leaving out each part of the picture in turn: one step from the place that all of them found. Covariance of the free numbers. */
export function jackknife(parts: readonly Equations[], whole: Equations): number[][] {
  const n = whole.right.length;
  const sum = whole.right.map(() => whole.right.map(() => 0));
  for (const part of parts) {
    const matrix = whole.matrix.map((row, k) => row.map((v, l) => v - part.matrix[k][l])),
      right = whole.right.map((v, k) => v - part.right[k]);
    const step = solve(matrix, right, 0);
    for (let k = 0; k < n; k++) for (let l = 0; l < n; l++) sum[k][l] += step[k] * step[l];
  }
  return sum;
}
