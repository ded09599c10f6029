import { isNothing } from './decode-depth';
import { strideOf, type DepthPlane } from './depth-frame';

/** How often what covers something in the next frame has the smaller stored value, and how often the larger. */
export interface CoveringVotes {
  readonly smaller: number;
  readonly larger: number;
}

/** A vector that leads on and back within this, in pixels and as a share of the way, meets the same point; beyond the second it certainly does not. */
const MISS_PX = 2,
  MISS_SHARE = 0.35;

/**
 * What covers what when it moves tells nearer from farther without any convention: a point whose vector leads to a place where something else is
 * seen has been covered by that. Each such pair of stored values is one vote. `step`: the smallest difference that counts;
 * `solidFrom`: coverage of what counts as a thing.
 */
export function coveringVotes(frames: readonly DepthPlane[], nothing: readonly number[], step: number, solidFrom = 0.98): CoveringVotes {
  let smaller = 0,
    larger = 0;
  for (let n = 0; n + 1 < frames.length; n++)
    for (const [from, to, way] of [
      [frames[n], frames[n + 1], 1],
      [frames[n + 1], frames[n], -1],
    ] as const) {
      if (from.motion === null || to.motion === null || from.width !== to.width) continue;
      const ahead = way === 1 ? from.motion.toNext : from.motion.toPrevious,
        back = way === 1 ? to.motion.toPrevious : to.motion.toNext;
      const { width, height } = from;
      for (let i = strideOf(from) >> 1; i < from.stored.data.length; i += strideOf(from)) {
        const x = i % width,
          y = (i - x) / width;
        const vx = ahead[i * 2],
          vy = ahead[i * 2 + 1];
        if (from.motion.valid[i] === 0 || !isLevel(from, x, y, nothing, step, solidFrom)) continue;
        const qx = Math.round(x + vx),
          qy = Math.round(y + vy);
        if (!(qx >= 0 && qy >= 0 && qx < width && qy < height) || !isLevel(to, qx, qy, nothing, step, solidFrom)) continue;
        const q = qy * width + qx;
        if (to.motion.valid[q] === 0) continue;
        const bx = back[q * 2],
          by = back[q * 2 + 1];
        const missed = Math.hypot(bx + vx, by + vy);
        if (!(missed > MISS_PX + MISS_SHARE * Math.max(Math.hypot(vx, vy), Math.hypot(bx, by)))) continue;
        const difference = to.stored.data[q] - from.stored.data[i];
        if (difference < -step) smaller++;
        else if (difference > step) larger++;
      }
    }
  return { smaller, larger };
}

/** Covered, and without a step of depth within two pixels. */
function isLevel(
  { stored: { data, type }, alpha, width, height }: DepthPlane,
  x: number,
  y: number,
  nothing: readonly number[],
  step: number,
  solidFrom: number,
): boolean {
  if (x < 2 || y < 2 || x >= width - 2 || y >= height - 2) return false;
  const i = y * width + x,
    value = data[i];
  if (isNothing(value, type, nothing) || (alpha !== null && alpha[i] < solidFrom)) return false;
  for (const j of [i - 2, i + 2, i - 2 * width, i + 2 * width]) {
    if (isNothing(data[j], type, nothing) || !(Math.abs(data[j] - value) <= step)) return false;
  }
  return true;
}
