import type { MotionField } from '../../raster/motion-field';

const SAME_DEPTH = 0.03,
  LIKE_SLOPE = 0.15;

/** Whether two pixels beside each other can be of one surface: by depth (3 %, or an even slope) and by the vectors both ways (1 px and 15 % of the speed). */
export function vectorsAgree(motion: MotionField, depth: Float32Array | null, a: number, b: number): boolean {
  if (
    depth !== null &&
    Math.abs(depth[a] - depth[b]) > SAME_DEPTH * Math.min(Math.abs(depth[a]), Math.abs(depth[b])) &&
    !isSlope(depth, a, b)
  )
    return false;
  const { toNext, toPrevious } = motion;
  return vectorAgrees(toNext, a, b) && vectorAgrees(toPrevious, a, b);
}

/** One over the distance is even along a plane: a floor far away goes back by much from row to row, and on both sides of a pair by as much as between them. */
function isSlope(depth: Float32Array, a: number, b: number): boolean {
  const step = 1 / depth[b] - 1 / depth[a],
    most = LIKE_SLOPE * Math.abs(step);
  // Above and below the picture there is no number, and no slope; beside it stands a pixel of the next row, which fits none along this one.
  return Math.abs(1 / depth[a] - 1 / depth[2 * a - b] - step) <= most && Math.abs(1 / depth[2 * b - a] - 1 / depth[b] - step) <= most;
}

function vectorAgrees(v: Float32Array, a: number, b: number): boolean {
  const dx = v[a * 2] - v[b * 2],
    dy = v[a * 2 + 1] - v[b * 2 + 1],
    limit = 1 + 0.15 * Math.max(Math.abs(v[a * 2]), Math.abs(v[a * 2 + 1]), Math.abs(v[b * 2]), Math.abs(v[b * 2 + 1]));
  return dx * dx + dy * dy <= limit * limit;
}
