import type { MotionField } from '../raster/motion-field';

/** What tells whose a pixel is. */
export interface DepthHelp {
  readonly ids: ArrayLike<number> | null;
  readonly motion: MotionField | null;
}

/** What costs more than any difference of motion: the depth of another object, and nothing. */
const OTHER_OBJECT = 1e6,
  NOTHING = 1e9;

/** Filters are no wider. */
const RINGS = 5;

/**
 * Gives pixels of filtered edges (NaN) the depth of a neighbour: of their own object where ids are known, else of the one that moves as they do,
 * else the nearest one; a thing before nothing, since an edge next to nothing belongs to the thing. The same array when there are none.
 */
export function completeDepth(depth: Float32Array, width: number, { ids, motion }: DepthHelp): Float32Array {
  let open: number[] = [];
  for (let i = 0; i < depth.length; i++) if (Number.isNaN(depth[i])) open.push(i);
  if (open.length === 0) return depth;
  const out = depth.slice(),
    height = depth.length / width;
  for (let ring = 0; ring < RINGS && open.length > 0; ring++) {
    const found: [number, number][] = [],
      doubtful: [number, number][] = [],
      left: number[] = [];
    for (const i of open) {
      const x = i % width,
        y = (i - x) / width;
      let best = Infinity,
        taken = NaN;
      for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++)
        for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) {
          const j = ny * width + nx;
          if (Number.isNaN(out[j])) continue;
          const cost = costOf(i, j, out[j], ids, motion);
          if (cost < best || (cost === best && out[j] < taken)) [best, taken] = [cost, out[j]];
        }
      if (best < OTHER_OBJECT) found.push([i, taken]);
      else {
        left.push(i);
        if (!Number.isNaN(taken)) doubtful.push([i, taken]);
      }
    }
    // What has only strangers beside it waits for its own to come nearer.
    const settled = found.length > 0 ? found : doubtful;
    for (const [i, value] of settled) out[i] = value;
    open = found.length > 0 ? left : left.filter((i) => Number.isNaN(out[i]));
  }
  for (const i of open) out[i] = Infinity;
  return out;
}

function costOf(i: number, j: number, depth: number, ids: ArrayLike<number> | null, motion: MotionField | null): number {
  let cost = depth === Infinity ? NOTHING : 0;
  if (ids !== null && ids[i] !== ids[j]) cost += OTHER_OBJECT;
  if (motion !== null && motion.valid[i] === 1) {
    const { toNext } = motion;
    // Vectors that a filter mixed too are a little off on both sides: within a pixel they tell nothing.
    cost += Math.floor(Math.hypot(toNext[i * 2] - toNext[j * 2], toNext[i * 2 + 1] - toNext[j * 2 + 1]));
  }
  return cost;
}
