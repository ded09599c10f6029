import { SCORE_NUMBERS } from '@ivrex/kernels/interface';
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
  const count = scales.length,
    scaled = new Float32Array(count * 2),
    sums = new Float32Array(count * SCORE_NUMBERS),
    all = [0, 0, 0];
  scales.forEach(([x, y], k) => scaled.set([x * 2 ** -level, y * 2 ** -level], k * 2));
  sets.forEach(({ frame: { pictures }, levels }, s) => {
    const { places, tolerance, base } = levels[level];
    const at = (side: 0 | 1) => (pictures.has[side] ? pictureAt(side, level) : null);
    const vectors = { before: moves.previous[s], after: moves.next[s] };
    pictures.session.score(
      { now: pictureAt(null, level), before: at(0), after: at(1) },
      { places, vectors, scales: scaled, tolerance, base },
      sums,
    );
    for (let d = 0; d < 3; d++) for (const b of base[d]) all[d] += 1 - b;
  });
  const scoreOf = (d: number) =>
    Float64Array.from({ length: count }, (_, k) => {
      const inside = sums[k * SCORE_NUMBERS + 3 + d];
      return (sums[k * SCORE_NUMBERS + d] * (1 + OUTSIDE_WEIGHS)) / (inside + OUTSIDE_WEIGHS * all[d] + 1e-9);
    });
  return [scoreOf(0), scoreOf(1), scoreOf(2)];
}

/** What each point gains on one side over standing still and chance; NaN outside. */
export function gainsOf(set: PointSet, level: number, vectors: Float32Array, side: 0 | 1, scale: readonly [number, number]): Float32Array {
  const { places, tolerance, base } = set.levels[level],
    { pictures } = set.frame,
    out = new Float32Array(set.count);
  if (!pictures.has[side]) return out.fill(NaN);
  const towards = (side === 1 ? 1 : -1) * 2 ** -level,
    scales = Float32Array.of(scale[0] * towards, scale[1] * towards);
  pictures.session.match(pictureAt(null, level), pictureAt(side, level), { places, vectors, step: 1, scales }, out);
  return out.map((r, i) => (r < 0 ? NaN : Math.exp(-r / tolerance[i]) - base[side][i]));
}
