import { MATCH_TAPS } from '@ivrex/kernels/interface';
import { pictureAt } from './beauty-pictures';
import type { PointSet } from './points';

/** By 0 previous, 1 next, 2 the better of both for every point: the share of what could be gained over standing still and over chance. */
export type Scores = readonly [Float64Array, Float64Array, Float64Array];

/** Vectors of the patches of each set of points, towards the next frame and away from it (from which the sign is taken afterwards). */
export interface Moves {
  readonly next: readonly Float32Array[];
  readonly previous: readonly Float32Array[];
}

/** Of points that lie inside after the move; few inside count for little, so that huge scales do not win by emptiness. */
const OUTSIDE_WEIGHS = 0.1;

/**
 * Scores of many scales at once. `scales`: x and y of each, pixels of level 0 per linear stored unit; vectors times scale lead to the next frame, minus that
 * to the previous one. The same vectors serve both unless they bend.
 */
export function scoreMoves(sets: readonly PointSet[], level: number, moves: Moves, scales: readonly (readonly [number, number])[]): Scores {
  const count = scales.length;
  const gain = [0, 1, 2].map(() => new Float64Array(count)),
    could = [0, 1, 2].map(() => new Float64Array(count)),
    all = [0, 0, 0];
  sets.forEach((set, s) => {
    const matches = matchesOf(set, level, [moves.previous[s], moves.next[s]], scales);
    const { base } = set.levels[level];
    for (let d = 0; d < 3; d++) for (let i = 0; i < set.count; i++) all[d] += 1 - base[d][i];
    for (let k = 0; k < count; k++) {
      for (let i = 0; i < set.count; i++) {
        const before = matches[0] === null ? NaN : matches[0][k * set.count + i],
          after = matches[1] === null ? NaN : matches[1][k * set.count + i];
        if (before === before) {
          gain[0][k] += before - base[0][i];
          could[0][k] += 1 - base[0][i];
        }
        if (after === after) {
          gain[1][k] += after - base[1][i];
          could[1][k] += 1 - base[1][i];
        }
        const best = before !== before ? after : after !== after ? before : Math.max(before, after);
        if (best === best) {
          gain[2][k] += best - base[2][i];
          could[2][k] += 1 - base[2][i];
        }
      }
    }
  });
  for (let d = 0; d < 3; d++)
    for (let k = 0; k < count; k++) {
      const inside = could[d][k];
      gain[d][k] = ((gain[d][k] / Math.max(1e-9, inside)) * inside * (1 + OUTSIDE_WEIGHS)) / (inside + OUTSIDE_WEIGHS * all[d] + 1e-9);
    }
  return [gain[0], gain[1], gain[2]];
}

/** What each point gains on one side over standing still and chance; NaN outside. */
export function gainsOf(set: PointSet, level: number, vectors: Float32Array, side: 0 | 1, scale: readonly [number, number]): Float32Array {
  const matches = matchesOf(set, level, side === 0 ? [vectors, null] : [null, vectors], [scale])[side];
  const base = set.levels[level].base[side];
  return Float32Array.from(base, (b, i) => (matches === null ? NaN : matches[i] - b));
}

/** Match of every scale and point by side, NaN outside; null without that neighbour. */
function matchesOf(
  { frame: { pictures }, count, levels }: PointSet,
  level: number,
  vectors: readonly [Float32Array | null, Float32Array | null],
  scales: readonly (readonly [number, number])[],
): readonly (Float32Array | null)[] {
  const { places, tolerance } = levels[level];
  return ([0, 1] as const).map((side) => {
    const own = vectors[side];
    if (own === null || !pictures.has[side]) return null;
    if (own.length !== count * MATCH_TAPS * 2) throw new TypeError('vectors of other points');
    const scaled = new Float32Array(scales.length * 2),
      sign = side === 1 ? 1 : -1;
    scales.forEach(([x, y], k) => scaled.set([sign * x * 2 ** -level, sign * y * 2 ** -level], k * 2));
    const out = new Float32Array(scales.length * count);
    pictures.session.match(pictureAt(null, level), pictureAt(side, level), { places, vectors: own, step: 1, scales: scaled }, out);
    for (let k = 0, j = 0; k < scales.length; k++)
      for (let i = 0; i < count; i++, j++) out[j] = out[j] < 0 ? NaN : Math.exp(-out[j] / tolerance[i]);
    return out;
  });
}
