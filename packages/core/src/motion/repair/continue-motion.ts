import { aboutMeans, addValue, emptySums, fitSimilarity, withSlopes } from '../../linear/plane-sums';
import { nearestMember } from '../../raster/nearest';
import type { MotionField } from '../../raster/motion-field';

/** Half side of the window in which the motion's slope is fitted, and the fewest pixels that tell one. */
const REACH_PX = 7,
  FEWEST = 20,
  /** Pixels of one surface differ by no more than this from the one that is continued, plus a share of its speed. */
  SAME_PX = 2.5,
  SAME_SHARE = 0.35,
  /** Slopes above are edges, not motion: pixels a pixel. */
  STEEPEST = 0.5;

/**
 * Gives every hole the motion of the nearest trusted pixel, carried on as a similarity (turn and scale) fitted around it: the tip of a
 * wing goes on faster than what is left of it.
 * Returns how many holes got a vector.
 */
export function continueMotion(field: MotionField, trusted: Uint8Array, holes: Uint8Array): number {
  const { toNext, toPrevious, valid, width, height } = field;
  const nearest = nearestMember(trusted, width, height);
  const slopes = new Map<number, Slope>();
  let filled = 0;
  for (let i = 0; i < holes.length; i++) {
    if (holes[i] === 0) continue;
    const from = nearest[i];
    if (from < 0) continue;
    let slope = slopes.get(from);
    if (slope === undefined) {
      slope = slopeAt(field, trusted, from);
      slopes.set(from, slope);
    }
    const dx = (i % width) - (from % width),
      dy = Math.floor(i / width) - Math.floor(from / width);
    toNext[i * 2] = slope.next[0] + slope.next[2] * dx - slope.next[3] * dy;
    toNext[i * 2 + 1] = slope.next[1] + slope.next[3] * dx + slope.next[2] * dy;
    toPrevious[i * 2] = slope.previous[0] + slope.previous[2] * dx - slope.previous[3] * dy;
    toPrevious[i * 2 + 1] = slope.previous[1] + slope.previous[3] * dx + slope.previous[2] * dy;
    valid[i] = 1;
    filled++;
  }
  return filled;
}

/** Vector at the pixel, and the real and imaginary part of its change a pixel. */
type Similarity = readonly [x: number, y: number, re: number, im: number];
interface Slope {
  readonly next: Similarity;
  readonly previous: Similarity;
}

function slopeAt(field: MotionField, trusted: Uint8Array, at: number): Slope {
  return { next: fit(field, field.toNext, trusted, at), previous: fit(field, field.toPrevious, trusted, at) };
}

/** Least squares of d(x) = d0 + m (x - x0), m complex, over trusted pixels of the same surface. */
function fit({ width, height }: MotionField, vectors: Float32Array, trusted: Uint8Array, at: number): Similarity {
  const px = at % width,
    py = Math.floor(at / width),
    vx = vectors[at * 2],
    vy = vectors[at * 2 + 1];
  const near = SAME_PX + SAME_SHARE * Math.hypot(vx, vy);
  const across = emptySums(),
    down = emptySums();
  for (let y = Math.max(0, py - REACH_PX); y <= Math.min(height - 1, py + REACH_PX); y++) {
    for (let x = Math.max(0, px - REACH_PX); x <= Math.min(width - 1, px + REACH_PX); x++) {
      const j = y * width + x;
      if (trusted[j] === 0 || Math.abs(vectors[j * 2] - vx) + Math.abs(vectors[j * 2 + 1] - vy) > near) continue;
      addValue(across, x - px, y - py, vectors[j * 2]);
      addValue(down, x - px, y - py, vectors[j * 2 + 1]);
    }
  }
  const turn = across.n < FEWEST ? null : fitSimilarity(aboutMeans(across), aboutMeans(down));
  if (turn === null || !(Math.hypot(turn.re, turn.im) < STEEPEST)) return [vx, vy, 0, 0];
  const { re, im } = turn;
  // The fit's own value at the pixel: steps of a coarse type are smoothed with it.
  return [withSlopes(across, re, -im)[0], withSlopes(down, im, re)[0], re, im];
}
