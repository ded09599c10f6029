import { MATCH_TAPS } from '@ivrex/kernels/interface';
import { pictureAt, type Side } from './beauty-pictures';
import type { PointSet } from './points';

/** Displacement of each point to a neighbour, pixels of level 0, x and y; NaN where it is not found again. */
export type FoundPoints = Float32Array;

/** At least this much of a match, and more than standing still or chance reach by this. */
const LEAST_MATCH = 0.5,
  LEAST_GAIN = 0.1,
  ROUNDS = 3;

/**
 * Looks for each point itself: downhill from where the vectors lead and from where it stands, level by level, whichever ends nearer. A wrong reading leads
 * nowhere near, so its points are found beside it or not at all.
 */
export function findPoints(set: PointSet, start: Float32Array, side: Side): FoundPoints {
  const from = [start, new Float32Array(start.length)].map((s) => descend(set, s, side));
  const base = set.levels[0].base[side];
  const out = new Float32Array(set.count * 2).fill(NaN);
  for (let i = 0; i < set.count; i++) {
    const [led, stood] = from;
    const best = !(stood.match[i] > led.match[i] + 0.02) ? led : stood;
    if (!(best.match[i] > LEAST_MATCH)) continue;
    const length = Math.hypot(best.at[i * 2], best.at[i * 2 + 1]);
    // What hardly moves matches where it stands too.
    if (length > 1 && !(best.match[i] > base[i] + LEAST_GAIN)) continue;
    out[i * 2] = best.at[i * 2];
    out[i * 2 + 1] = best.at[i * 2 + 1];
  }
  return out;
}

/** The nine places around one, pixels of a level, row by row. */
const AROUND = Array.from({ length: 9 }, (_, k) => [(k % 3) - 1, Math.floor(k / 3) - 1] as const),
  [UP, LEFT, HERE, RIGHT, DOWN] = [1, 3, 4, 5, 7];

function descend(set: PointSet, start: Float32Array, side: Side): { readonly at: Float32Array; readonly match: Float32Array } {
  const at: Float32Array = start.slice();
  let match: Float32Array = new Float32Array(set.count);
  for (const level of [2, 1, 0]) {
    const px = 2 ** level;
    for (let round = 0; round < ROUNDS; round++) {
      const tried = AROUND.map(([dx, dy]) => matchAt(set, at, dx * px, dy * px, level, side));
      match = tried[HERE];
      const isLast = level === 0 && round === ROUNDS - 1;
      for (let i = 0; i < set.count; i++) {
        let best = HERE;
        for (let k = 0; k < AROUND.length; k++) if (tried[k][i] > tried[best][i] + 1e-6) best = k;
        let [bx, by] = AROUND[best];
        if (isLast && best === HERE) {
          // Minus the logarithm of a match is the residual, a parabola near its least.
          bx = vertex(tried[LEFT][i], match[i], tried[RIGHT][i]);
          by = vertex(tried[UP][i], match[i], tried[DOWN][i]);
        }
        at[i * 2] += bx * px;
        at[i * 2 + 1] += by * px;
      }
    }
  }
  return { at, match };
}

function vertex(before: number, here: number, after: number): number {
  if (!(before > 1e-6 && here > 1e-6 && after > 1e-6)) return 0;
  const [a, b, c] = [-Math.log(before), -Math.log(here), -Math.log(after)];
  const bend = a - 2 * b + c;
  return bend > 1e-9 ? Math.max(-0.5, Math.min(0.5, (0.5 * (a - c)) / bend)) : 0;
}

function matchAt(
  { frame: { pictures }, count, levels }: PointSet,
  at: Float32Array,
  dx: number,
  dy: number,
  level: number,
  side: Side,
): Float32Array {
  const { places, tolerance } = levels[level],
    vectors = new Float32Array(count * MATCH_TAPS * 2),
    out = new Float32Array(count);
  for (let i = 0; i < count; i++)
    for (let tap = 0; tap < MATCH_TAPS; tap++) {
      vectors[(i * MATCH_TAPS + tap) * 2] = at[i * 2] + dx;
      vectors[(i * MATCH_TAPS + tap) * 2 + 1] = at[i * 2 + 1] + dy;
    }
  const scale = 2 ** -level;
  pictures.session.match(
    pictureAt(null, level),
    pictureAt(side, level),
    { places, vectors, step: 1, scales: Float32Array.of(scale, scale) },
    out,
  );
  for (let i = 0; i < count; i++) out[i] = out[i] < 0 ? 0 : Math.exp(-out[i] / tolerance[i]);
  return out;
}
