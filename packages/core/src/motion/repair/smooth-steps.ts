import type { MotionField } from '../motion-field';

/** Far neighbours first: a slow change runs over plateaus that are tens of pixels wide. */
const REACHES_PX = [32, 16, 8, 4, 2, 1],
  ROUNDS = 3,
  /** A neighbour whose stored value lies more than this many half steps away is another motion. */
  SAME_HALF_STEPS = 3.2;

/**
 * Takes the steps of a whole-number type out of slow changes. What was stored tells the vector to half a step: within that, each one is
 * drawn towards the mean of its neighbours on the same plateau or the next, over wide distances first (an edge-stopping a-trous mean with
 * a box constraint). No vector leaves the interval that its code stands for. Returns how many vectors changed.
 */
export function smoothSteps(field: MotionField, halfStep: Float32Array | null): number {
  if (halfStep === null) return 0;
  const { valid } = field;
  const moved = new Uint8Array(valid.length);
  for (const vectors of [field.toNext, field.toPrevious]) {
    const stored = vectors.slice();
    let from = vectors.slice(),
      to = new Float32Array(vectors.length);
    for (const reach of REACHES_PX)
      for (let round = 0; round < ROUNDS; round++) {
        drawTogether(field, stored, halfStep, from, to, reach);
        [from, to] = [to, from];
      }
    for (let i = 0; i < valid.length; i++) if (from[i * 2] !== vectors[i * 2] || from[i * 2 + 1] !== vectors[i * 2 + 1]) moved[i] = 1;
    vectors.set(from);
  }
  return moved.reduce((n, v) => n + v, 0);
}

function drawTogether(
  { valid, width, height }: MotionField,
  stored: Float32Array,
  halfStep: Float32Array,
  from: Float32Array,
  to: Float32Array,
  reach: number,
): void {
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        a = i * 2;
      to[a] = from[a];
      to[a + 1] = from[a + 1];
      if (valid[i] === 0) continue;
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
        if (valid[b >> 1] === 0 || valid[c >> 1] === 0) continue;
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
}
