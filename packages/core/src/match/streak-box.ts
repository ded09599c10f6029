import { solveLinear } from '../linear/solve-linear';
import { STEP_PX } from './streak-line';

export interface FittedBox {
  /** From the profile's start, in pixels. */
  readonly start: number;
  readonly end: number;
  readonly softness: number;
  readonly error: number;
  readonly fitted: number[];
}

/** level + height x (a box from start to end, softened by a Gaussian), by Gauss-Newton with damping. Null when there is no such thing. */
export function fitBox(values: readonly number[], drawnPx: number): FittedBox | null {
  const n = values.length;
  const edge = [...values.slice(0, 6), ...values.slice(-6)].sort((a, b) => a - b)[6],
    middle = values.slice(Math.floor(n * 0.4), Math.ceil(n * 0.6));
  const height = middle.reduce((a, b) => a + b, 0) / middle.length - edge;
  const sign = Math.sign(height);
  const isHigh = (i: number) => sign * (values[i] - edge) > Math.abs(height) / 2;
  let first = n >> 1,
    last = n >> 1;
  while (first > 0 && isHigh(first - 1)) first--;
  while (last < n - 1 && isHigh(last + 1)) last++;
  if (height === 0 || !isHigh(n >> 1) || first < 1 || last > n - 2) return null;
  // Another streak on the same line does not count.
  let low = first - 1,
    high = last + 1;
  while (low > 0 && !isHigh(low - 1)) low--;
  while (high < n - 1 && !isHigh(high + 1)) high++;
  const from = low > 0 ? (first + low) / 2 : 0,
    until = high < n - 1 ? (last + high) / 2 : n - 1;
  const weights = values.map((_, i) => (i >= from && i <= until ? 1 : 0));
  // start, end, softness, height, level
  let p = [first * STEP_PX, last * STEP_PX, 1.2, height, edge];
  const model = ([start, end, softness, tall, level]: readonly number[], i: number) =>
    level + tall * (phi((i * STEP_PX - start) / softness) - phi((i * STEP_PX - end) / softness));
  const costOf = (q: readonly number[]) => values.reduce((sum, v, i) => sum + weights[i] * (model(q, i) - v) ** 2, 0);
  let cost = costOf(p),
    damping = 1e-3;
  for (let step = 0; step < 40; step++) {
    const { matrix, right } = slopes(values, weights, p, model);
    const damped = matrix.map((row, k) => row.map((v, l) => (k === l ? v * (1 + damping) + 1e-12 : v)));
    const delta = solve(damped, right);
    if (delta === null) return null;
    const next = p.map((v, k) => v + delta[k]);
    next[2] = Math.min(drawnPx, Math.max(0.3, next[2]));
    const then = costOf(next);
    if (then < cost) {
      const done = cost - then < 1e-9 * cost;
      p = next;
      cost = then;
      damping = Math.max(1e-6, damping / 4);
      if (done) break;
    } else if ((damping *= 6) > 1e6) break;
  }
  const { matrix } = slopes(values, weights, p, model);
  const unit = (k: number) => p.map((_, l) => (l === k ? 1 : 0));
  const ofStart = solve(matrix, unit(0)),
    ofEnd = solve(matrix, unit(1));
  const [start, end, softness, tall] = p;
  // Neighbouring values of the profile share pixels: about every fourth tells something of its own.
  const noise = Math.sqrt((4 * cost) / Math.max(1, until - from - 4));
  if (!(end - start > 1) || Math.abs(tall) < 3 * noise || ofStart === null || ofEnd === null) return null;
  const variance = ofStart[0] + ofEnd[1] - 2 * ofStart[1];
  return {
    start,
    end,
    softness,
    error: Math.hypot(0.1, noise * Math.sqrt(Math.max(0, variance))),
    fitted: values.map((_, i) => model(p, i)),
  };
}

/** Brightness of a dark plate makes small pivots. */
function solve(matrix: readonly (readonly number[])[], right: readonly number[]): Float64Array | null {
  return solveLinear(matrix.flat(), right, right.length, 1e-14);
}

function slopes(
  values: readonly number[],
  weights: readonly number[],
  p: readonly number[],
  model: (q: readonly number[], i: number) => number,
): { matrix: number[][]; right: number[] } {
  const matrix = p.map(() => p.map(() => 0)),
    right = p.map(() => 0);
  const moved = p.map((v, k) => p.map((u, l) => (l === k ? v + 1e-4 : u)));
  values.forEach((v, i) => {
    if (weights[i] === 0) return;
    const at = model(p, i),
      row = moved.map((q) => (model(q, i) - at) / 1e-4);
    for (let k = 0; k < p.length; k++) {
      right[k] += row[k] * (v - at);
      for (let l = 0; l < p.length; l++) matrix[k][l] += row[k] * row[l];
    }
  });
  return { matrix, right };
}

/** The normal distribution's integral (Abramowitz and Stegun 1964, 7.1.26; off by less than 1.5e-7). */
function phi(x: number): number {
  const z = Math.abs(x) / Math.SQRT2,
    t = 1 / (1 + 0.3275911 * z);
  const erf = 1 - t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) * Math.exp(-z * z);
  return x < 0 ? (1 - erf) / 2 : (1 + erf) / 2;
}
