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
 * else the nearest one; a thing before nothing, since an edge next to nothing belongs to the thing, but where no other pass saw anything. The same array when there are none.
 */
export function completeDepth(depth: Float32Array, width: number, { ids, motion }: DepthHelp): Float32Array {
  let open: number[] = [];
  for (let i = 0; i < depth.length; i++) if (Number.isNaN(depth[i])) open.push(i);
  if (open.length === 0) return depth;
  const out = depth.slice(),
    height = depth.length / width;
  // Where one edge was filtered all were: ids say where they run, also where a mixed value can't be told from a true one.
  if (ids !== null)
    for (const i of edgesOfIds(ids, width, height))
      if (!Number.isNaN(out[i])) {
        out[i] = NaN;
        open.push(i);
      }
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

/** Pixels beside another id that have a pixel of their own behind them, away from the edge: those of thin things keep what they have. */
function edgesOfIds(ids: ArrayLike<number>, width: number, height: number): number[] {
  const isEdge = (x: number, y: number): boolean => {
    const id = ids[y * width + x];
    for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++)
      for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) if (ids[ny * width + nx] !== id) return true;
    return false;
  };
  const out: number[] = [];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const id = ids[y * width + x];
      if (id === 0 || !isEdge(x, y)) continue;
      let inner = false;
      for (let ny = Math.max(0, y - 2); ny <= Math.min(height - 1, y + 2) && !inner; ny++)
        for (let nx = Math.max(0, x - 2); nx <= Math.min(width - 1, x + 2) && !inner; nx++)
          inner = ids[ny * width + nx] === id && !isEdge(nx, ny);
      if (inner) out.push(y * width + x);
    }
  return out;
}

/** Neither an id nor a vector: the other passes saw nothing at its middle, so a mixed depth must not say that something is there. */
function isBlank(i: number, ids: ArrayLike<number> | null, motion: MotionField | null): boolean {
  if (ids !== null) return ids[i] === 0;
  if (motion === null) return false;
  const { toNext, toPrevious } = motion;
  return toNext[i * 2] === 0 && toNext[i * 2 + 1] === 0 && toPrevious[i * 2] === 0 && toPrevious[i * 2 + 1] === 0;
}

function costOf(i: number, j: number, depth: number, ids: ArrayLike<number> | null, motion: MotionField | null): number {
  let cost = depth === Infinity && !isBlank(i, ids, motion) ? NOTHING : 0;
  if (ids !== null && ids[i] !== ids[j]) cost += OTHER_OBJECT;
  if (motion !== null && motion.valid[i] === 1) {
    const { toNext } = motion;
    // Vectors that a filter mixed too are a little off on both sides: within a pixel they tell nothing.
    cost += Math.floor(Math.hypot(toNext[i * 2] - toNext[j * 2], toNext[i * 2 + 1] - toNext[j * 2 + 1]));
  }
  return cost;
}
