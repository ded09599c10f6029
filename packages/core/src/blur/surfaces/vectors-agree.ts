import type { MotionField } from '../../raster/motion-field';

const SAME_DEPTH = 0.03,
  LIKE_SLOPE = 0.15;
/** Pixels: vectors beside each other that differ by more jump, unless they go on doing so by as much (give or take this share of it). */
const JUMP_PX = 1.5,
  LIKE_STEP = 0.3;
/** So many places tell what is usual; every seventh pixel is near enough. */
const PLACES = 1 << 15,
  STRIDE = 7;

/**
 * From how many pixels on vectors beside each other jump: where they are noisy, or stored in coarse steps, twice as much as they usually differ by is
 * added.
 */
export function jumpOf({ width, toNext, toPrevious }: MotionField, trusted: Uint8Array): number {
  const all: number[] = [],
    steps: number[] = [],
    // Odd, so that it does not keep to some columns.
    stride = Math.max(STRIDE, Math.floor(trusted.length / PLACES) | 1);
  for (let i = 0; i + 1 < trusted.length; i += stride) {
    if (trusted[i] !== 1 || trusted[i + 1] !== 1 || (i + 1) % width === 0) continue;
    for (const v of [toNext, toPrevious]) {
      const most = Math.max(Math.abs(v[i * 2] - v[i * 2 + 2]), Math.abs(v[i * 2 + 1] - v[i * 2 + 3]));
      all.push(most);
      if (most > 0) steps.push(most);
    }
  }
  const at = (values: number[], share: number) =>
    Float64Array.from(values)
      .sort()
      .at(Math.floor(values.length * share)) ?? 0;
  return JUMP_PX + 2 * Math.max(at(all, 0.5), at(steps, 0.05));
}

/**
 * Whether two pixels beside each other can be of one surface: by depth (3 %, or an even slope) and by the vectors both ways (1 px and 15 % of the speed,
 * and no jump).
 */
export function vectorsAgree(motion: MotionField, depth: Float32Array | null, jumpPx: number, a: number, b: number): boolean {
  if (
    depth !== null &&
    Math.abs(depth[a] - depth[b]) > SAME_DEPTH * Math.min(Math.abs(depth[a]), Math.abs(depth[b])) &&
    !isSlope(depth, a, b)
  )
    return false;
  const { toNext, toPrevious } = motion;
  return vectorAgrees(toNext, jumpPx, a, b) && vectorAgrees(toPrevious, jumpPx, a, b);
}

/** One over the distance is even along a plane: a floor far away goes back by much from row to row, and on both sides of a pair by as much as between them. */
function isSlope(depth: Float32Array, a: number, b: number): boolean {
  const step = 1 / depth[b] - 1 / depth[a],
    most = LIKE_SLOPE * Math.abs(step);
  // Above and below the picture there is no number, and no slope; beside it stands a pixel of the next row, which fits none along this one.
  return Math.abs(1 / depth[a] - 1 / depth[2 * a - b] - step) <= most && Math.abs(1 / depth[2 * b - a] - 1 / depth[b] - step) <= most;
}

function vectorAgrees(v: Float32Array, jumpPx: number, a: number, b: number): boolean {
  const dx = v[a * 2] - v[b * 2],
    dy = v[a * 2 + 1] - v[b * 2 + 1],
    square = dx * dx + dy * dy;
  // Nearly all: no limit is below a pixel.
  if (square <= 1) return true;
  const limit = 1 + 0.15 * Math.max(Math.abs(v[a * 2]), Math.abs(v[a * 2 + 1]), Math.abs(v[b * 2]), Math.abs(v[b * 2 + 1]));
  if (square > limit * limit) return false;
  if (square <= jumpPx * jumpPx) return true;
  // A wheel that turns fast has as large a step on one side at least, an arm before its own body on neither.
  const isStep = (i: number, j: number): boolean => {
    const ex = v[i * 2] - v[j * 2] - dx,
      ey = v[i * 2 + 1] - v[j * 2 + 1] - dy;
    return ex * ex + ey * ey <= LIKE_STEP * LIKE_STEP * square;
  };
  return isStep(2 * a - b, a) || isStep(b, 2 * b - a);
}
