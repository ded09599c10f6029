import type { MotionField } from '../../raster/motion-field';

/** Far neighbours first: a slow change runs over plateaus that are tens of pixels wide. */
const REACHES_PX = [32, 16, 8, 4, 2, 1],
  ROUNDS = 3,
  /** A neighbour whose stored value lies more than this many half steps away is another motion. */
  SAME_HALF_STEPS = 3.2;

/**
 * Takes the steps of a whole-number type out of slow changes. What was stored tells the vector to half a step: within that, each one is
 * drawn towards the mean of its neighbours on the same plateau or the next, over wide distances first (an edge-stopping a-trous mean with
 * a box constraint). No vector leaves the interval that its code stands for. Where nothing is covered nothing is done; null `alpha`: all
 * is. Returns how many vectors changed.
 */
export function smoothSteps(field: MotionField, halfStep: Float32Array | null, alpha: Float32Array | null): number {
  if (halfStep === null) return 0;
  const { valid, toNext, toPrevious, twoSided } = field;
  const takesPart = Uint8Array.from(valid, (v, i) => (v === 1 && (alpha === null || alpha[i] > 0) ? 1 : 0));
  const places = placesIn(takesPart);
  const moved = new Uint8Array(valid.length);
  for (const vectors of twoSided ? [toNext, toPrevious] : [toNext]) {
    const stored = vectors.slice();
    let from = vectors.slice(),
      to = vectors.slice();
    for (const reach of REACHES_PX)
      for (let round = 0; round < ROUNDS; round++) {
        drawTogether(field, places, takesPart, stored, halfStep, from, to, reach);
        [from, to] = [to, from];
      }
    for (const i of places) if (from[i * 2] !== vectors[i * 2] || from[i * 2 + 1] !== vectors[i * 2 + 1]) moved[i] = 1;
    vectors.set(from);
  }
  if (!twoSided)
    for (const i of places) {
      toPrevious[i * 2] = -toNext[i * 2];
      toPrevious[i * 2 + 1] = -toNext[i * 2 + 1];
    }
  return moved.reduce((n, v) => n + v, 0);
}

function placesIn(takesPart: Uint8Array): Int32Array {
  const out = new Int32Array(takesPart.reduce((n, v) => n + v, 0));
  let n = 0;
  for (let i = 0; i < takesPart.length; i++) if (takesPart[i] === 1) out[n++] = i;
  return out;
}

function drawTogether(
  { width, height }: MotionField,
  places: Int32Array,
  takesPart: Uint8Array,
  stored: Float32Array,
  halfStep: Float32Array,
  from: Float32Array,
  to: Float32Array,
  reach: number,
): void {
  for (const i of places) {
    const a = i * 2,
      x = i % width,
      y = (i - x) / width;
    const nearX = halfStep[a] * SAME_HALF_STEPS,
      nearY = halfStep[a + 1] * SAME_HALF_STEPS;
    let sx = from[a],
      sy = from[a + 1],
      n = 1;
    for (let axis = 0; axis < 2; axis++) {
      // Both sides or neither: one alone would pull a slope towards it.
      const along = axis === 0 ? x : y,
        offset = axis === 0 ? reach * 2 : reach * 2 * width;
      if (along < reach || along + reach >= (axis === 0 ? width : height)) continue;
      const b = a - offset,
        c = a + offset;
      if (takesPart[b >> 1] === 0 || takesPart[c >> 1] === 0) continue;
      if (
        Math.abs(stored[b] - stored[a]) > nearX ||
        Math.abs(stored[c] - stored[a]) > nearX ||
        Math.abs(stored[b + 1] - stored[a + 1]) > nearY ||
        Math.abs(stored[c + 1] - stored[a + 1]) > nearY
      )
        continue;
      sx += from[b] + from[c];
      sy += from[b + 1] + from[c + 1];
      n += 2;
    }
    to[a] = Math.min(stored[a] + halfStep[a], Math.max(stored[a] - halfStep[a], sx / n));
    to[a + 1] = Math.min(stored[a + 1] + halfStep[a + 1], Math.max(stored[a + 1] - halfStep[a + 1], sy / n));
  }
}
