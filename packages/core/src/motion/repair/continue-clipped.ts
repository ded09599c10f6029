import { CLIPPED_X, CLIPPED_Y } from '../audit/clipped';
import {
  aboutMeans,
  addValue,
  emptySums,
  fitSimilarity,
  withSlopes,
  type CentredSums,
  type Plane,
  type PlaneSums,
} from '../../linear/plane-sums';
import { solveTwo } from '../../linear/solve-linear';
import type { MotionField } from '../../raster/motion-field';

/** Half side of the window in which the motion's slope is fitted, and the fewest values that tell one. */
const REACH_PX = 15,
  FEWEST = 40,
  /** Pixels beside each other on one surface differ by no more than this, plus a share of their speed. */
  SAME_PX = 0.8,
  SAME_SHARE = 0.06,
  /** Slopes above are edges, not motion: pixels a pixel. */
  STEEPEST = 0.5,
  /** As much as so many squared pixels of spread: a window full of values has thirty times that. */
  HELD = 1000,
  /** A vector is made longer by no more than this factor: beyond, guessing does more harm than a short streak. */
  LONGEST = 2.5;

/**
 * Carries the motion on into pixels whose value ran into the end of the range. What is stored there still tells much: the component that
 * is not clipped holds, and the clipped one is at least as long as it was stored. From the rim of the clipped area inwards, along
 * neighbours that belong together, each pixel takes the turn and scale (a similarity) fitted around the rim pixel it was reached from;
 * unclipped components inside the area take part in the fit. Returns how many pixels got another vector.
 */
export function continueClipped(field: MotionField, trusted: Uint8Array, clipped: Uint8Array): number {
  const from = reachedFrom(field, trusted, clipped);
  const sides = [field.toNext, field.toPrevious].map((vectors) => ({
    vectors,
    stored: vectors.slice(),
    slopes: new Map<number, readonly Plane[]>(),
  }));
  const { width } = field;
  let changed = 0;
  for (let i = 0; i < clipped.length; i++) {
    const source = from[i];
    if (source < 0) continue;
    const dx = (i % width) - (source % width),
      dy = Math.floor(i / width) - Math.floor(source / width);
    let isOther = false;
    for (const { vectors, stored, slopes } of sides) {
      let slope = slopes.get(source);
      if (slope === undefined) {
        slope = slopeAt(field, stored, trusted, clipped, source);
        slopes.set(source, slope);
      }
      const continued = slope.map(([value, right, down]) => value + right * dx + down * dy);
      for (const [axis, bit] of [CLIPPED_X, CLIPPED_Y].entries()) {
        if ((clipped[i] & bit) === 0) continue;
        const known = stored[i * 2 + axis],
          outwards = Math.sign(known);
        const longer = Math.min(LONGEST * Math.abs(known), outwards * continued[axis]);
        if (!(longer > Math.abs(known))) continue;
        vectors[i * 2 + axis] = outwards * longer;
        isOther = true;
      }
    }
    if (isOther) changed++;
  }
  return changed;
}

/** For every clipped pixel the trusted pixel at the rim that it hangs together with; -1 for none. */
function reachedFrom(field: MotionField, trusted: Uint8Array, clipped: Uint8Array): Int32Array {
  const { width, height, toNext } = field;
  const from = new Int32Array(clipped.length).fill(-1);
  const queue: number[] = [];
  for (let i = 0; i < clipped.length; i++) {
    if (clipped[i] === 0) continue;
    for (const j of beside(i, width, height)) {
      if (from[i] >= 0 || trusted[j] === 0 || !belongTogether(toNext, i, j)) continue;
      from[i] = j;
      queue.push(i);
    }
  }
  for (const i of queue)
    for (const j of beside(i, width, height)) {
      if (clipped[j] === 0 || from[j] >= 0 || !belongTogether(toNext, i, j)) continue;
      from[j] = from[i];
      queue.push(j);
    }
  return from;
}

function beside(i: number, width: number, height: number): number[] {
  const x = i % width,
    out: number[] = [];
  if (x > 0) out.push(i - 1);
  if (x < width - 1) out.push(i + 1);
  if (i >= width) out.push(i - width);
  if (i < width * (height - 1)) out.push(i + width);
  return out;
}

function belongTogether(vectors: Float32Array, i: number, j: number): boolean {
  const x = vectors[j * 2],
    y = vectors[j * 2 + 1];
  return Math.hypot(vectors[i * 2] - x, vectors[i * 2 + 1] - y) <= SAME_PX + SAME_SHARE * Math.hypot(x, y);
}

/**
 * Least squares over components that are not clipped: first of a similarity, d(p) = d0 + m (p - p0) with m complex, which both components
 * share; then of a plane for each component, held near the similarity where the component itself tells little.
 */
function slopeAt(field: MotionField, vectors: Float32Array, trusted: Uint8Array, clipped: Uint8Array, at: number): readonly Plane[] {
  const { width } = field;
  const px = at % width,
    py = Math.floor(at / width),
    vx = vectors[at * 2],
    vy = vectors[at * 2 + 1];
  const sums = [emptySums(), emptySums()];
  for (const j of surfaceAround(field, vectors, trusted, clipped, at)) {
    const ox = (j % width) - px,
      oy = Math.floor(j / width) - py;
    for (const [axis, bit] of [CLIPPED_X, CLIPPED_Y].entries()) {
      if ((clipped[j] & bit) !== 0) continue;
      addValue(sums[axis], ox, oy, vectors[j * 2 + axis]);
    }
  }
  const [sx, sy] = sums;
  const plain: readonly Plane[] = [vx, vy].map((value): Plane => [value, 0, 0]);
  if (Math.max(sx.n, sy.n) < FEWEST) return plain;
  const [cx, cy] = sums.map(aboutMeans),
    turn = fitSimilarity(cx, cy);
  if (turn === null || !(Math.hypot(turn.re, turn.im) < STEEPEST)) return plain;
  return [tilt(sx, cx, vx, turn.re, -turn.im), tilt(sy, cy, vy, turn.im, turn.re)];
}

/** Pixels of the window that hang together with one: steps from pixel to pixel are small. */
function surfaceAround(
  { width, height }: MotionField,
  vectors: Float32Array,
  trusted: Uint8Array,
  clipped: Uint8Array,
  at: number,
): number[] {
  const px = at % width,
    py = Math.floor(at / width),
    side = 2 * REACH_PX + 1;
  const seen = new Uint8Array(side * side),
    found = [at];
  seen[REACH_PX * side + REACH_PX] = 1;
  for (const i of found)
    for (const j of beside(i, width, height)) {
      const wx = (j % width) - px + REACH_PX,
        wy = Math.floor(j / width) - py + REACH_PX;
      if (wx < 0 || wy < 0 || wx >= side || wy >= side || seen[wy * side + wx] === 1) continue;
      if ((trusted[j] === 0 && clipped[j] === 0) || !belongTogether(vectors, i, j)) continue;
      seen[wy * side + wx] = 1;
      found.push(j);
    }
  return found;
}

/** The plane of one component, its slopes held near the likely ones. */
function tilt(s: PlaneSums, { xx, xy, yy, xd, yd }: CentredSums, known: number, likelyRight: number, likelyDown: number): Plane {
  const slopes = solveTwo(xx + HELD, xy, yy + HELD, xd + HELD * likelyRight, yd + HELD * likelyDown, 0);
  if (s.n === 0 || slopes === null) return [known, likelyRight, likelyDown];
  return withSlopes(s, slopes[0], slopes[1]);
}
