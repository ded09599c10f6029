import type { Box } from '@ivrex/kernels/interface';
import type { BlurInput } from '../model/blur-input';
import type { FrameLook } from './frame-look';

/** Places of a surface that are followed into the other frame. */
const SAMPLES = 240,
  FEWEST = 12;
/** Round trips may miss by this much, in pixels and as a share of the way. */
const MISS_PX = 1,
  MISS_SHARE = 0.15;

/**
 * Depth of a surface in a neighbouring frame over its depth now, as its own points show it: in a dolly everything comes nearer, and would else be
 * taken for something else there. 1 where too few points are seen in both.
 */
export function depthChange(
  { width, height, motion, depth, ids }: Pick<BlurInput, 'width' | 'height' | 'motion' | 'depth' | 'ids'>,
  of: Int32Array,
  surface: number,
  { x0, y0, width: across, height: down }: Box,
  { passes, end, back }: FrameLook,
): number {
  if (depth === null || passes.depth === null) return 1;
  const ahead = end === 1 ? motion.toNext : motion.toPrevious;
  const every = Math.max(1, Math.floor((across * down) / SAMPLES)),
    ratios: number[] = [];
  for (let n = every >> 1; n < across * down; n += every) {
    const x = x0 + (n % across),
      y = y0 + Math.floor(n / across),
      i = y * width + x;
    if (x < 0 || y < 0 || x >= width || y >= height || of[i] !== surface || !(depth[i] < Infinity)) continue;
    const vx = ahead[i * 2],
      vy = ahead[i * 2 + 1],
      qx = Math.round(x + vx),
      qy = Math.round(y + vy);
    if (!(qx >= 0 && qy >= 0 && qx < width && qy < height)) continue;
    const q = qy * width + qx;
    if (passes.motion.valid[q] === 0 || !(passes.depth[q] < Infinity) || (ids !== null && passes.ids !== null && ids[i] !== passes.ids[q]))
      continue;
    if (!(Math.hypot(back[q * 2] + vx, back[q * 2 + 1] + vy) <= MISS_PX + MISS_SHARE * Math.hypot(vx, vy))) continue;
    ratios.push(passes.depth[q] / depth[i]);
  }
  return ratios.length < FEWEST ? 1 : ratios.sort((a, b) => a - b)[ratios.length >> 1];
}
