import type { MotionField } from '../../raster/motion-field';
import type { BlurFramePasses } from '../model/blur-input';

/** Steps of following the way back, and how far it may miss the pixel in the end. */
const STEPS = 4,
  MISS_PX = 0.5,
  MISS_SHARE = 0.04;

/**
 * The way to the frame before, where a pass has vectors to the next frame only: the frame before has the vectors that lead here. Each pixel's
 * is found by following it back and correcting by where it leads (fixed-point iteration), on the same object. Where it is not found it stays
 * the way to the next frame, turned round. The field itself when it has both ways or there is no frame before.
 */
export function completeMotion(now: Omit<BlurFramePasses, 'rgba'>, before: Omit<BlurFramePasses, 'rgba'> | null): MotionField {
  const { motion, ids } = now;
  if (motion.twoSided || before === null || before.motion.twoSided) return motion;
  const { width, height, toNext, valid } = motion,
    there = before.motion;
  const toPrevious = motion.toPrevious.slice();
  let found = 0;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (valid[i] === 0) continue;
      let dx = toNext[i * 2],
        dy = toNext[i * 2 + 1],
        missed = Infinity;
      for (let step = 0; step < STEPS; step++) {
        const j = sourceAt(x - dx, y - dy, width, height);
        if (j < 0 || there.valid[j] === 0 || (ids !== null && before.ids !== null && before.ids[j] !== ids[i])) {
          missed = Infinity;
          break;
        }
        const [vx, vy] = vectorAt(there, before.ids, j, x - dx, y - dy);
        missed = Math.hypot(vx - dx, vy - dy);
        dx = vx;
        dy = vy;
      }
      if (missed > MISS_PX + MISS_SHARE * Math.hypot(dx, dy)) continue;
      toPrevious[i * 2] = -dx;
      toPrevious[i * 2 + 1] = -dy;
      found++;
    }
  return found === 0 ? motion : { ...motion, toPrevious, twoSided: true };
}

/** The nearest pixel; -1 outside the picture. */
function sourceAt(x: number, y: number, width: number, height: number): number {
  const px = Math.round(x),
    py = Math.round(y);
  return px < 0 || py < 0 || px >= width || py >= height ? -1 : py * width + px;
}

const vector: [number, number] = [0, 0];

/** Blended between pixels of the object of pixel `own`; the nearest one's where another object is beside. */
function vectorAt(
  { width, height, toNext, valid }: MotionField,
  ids: BlurFramePasses['ids'],
  own: number,
  x: number,
  y: number,
): [number, number] {
  const x0 = Math.min(width - 2, Math.max(0, Math.floor(x))),
    y0 = Math.min(height - 2, Math.max(0, Math.floor(y))),
    u = x - x0,
    v = y - y0;
  let sx = 0,
    sy = 0;
  for (let k = 0; k < 4; k++) {
    const j = (y0 + (k >> 1)) * width + x0 + (k & 1),
      w = ((k & 1) === 1 ? u : 1 - u) * (k >> 1 === 1 ? v : 1 - v);
    const from = valid[j] === 0 || (ids !== null && ids[j] !== ids[own]) ? own : j;
    sx += w * toNext[from * 2];
    sy += w * toNext[from * 2 + 1];
  }
  vector[0] = sx;
  vector[1] = sy;
  return vector;
}
