import type { MotionField } from '../../raster/motion-field';

/** Whether two pixels can be of one surface: by depth (3 %) and by the vectors both ways (1 px and 15 % of the speed). */
export function vectorsAgree(motion: MotionField, depth: Float32Array | null, a: number, b: number): boolean {
  if (depth !== null && Math.abs(depth[a] - depth[b]) > 0.03 * Math.min(Math.abs(depth[a]), Math.abs(depth[b]))) return false;
  const { toNext, toPrevious } = motion;
  return vectorAgrees(toNext, a, b) && vectorAgrees(toPrevious, a, b);
}

function vectorAgrees(v: Float32Array, a: number, b: number): boolean {
  const dx = v[a * 2] - v[b * 2],
    dy = v[a * 2 + 1] - v[b * 2 + 1],
    limit = 1 + 0.15 * Math.max(Math.abs(v[a * 2]), Math.abs(v[a * 2 + 1]), Math.abs(v[b * 2]), Math.abs(v[b * 2 + 1]));
  return dx * dx + dy * dy <= limit * limit;
}
