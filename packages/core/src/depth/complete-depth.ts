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
 * else the nearest one. A thing comes before nothing, since an edge next to nothing belongs to the thing; but not where no other pass saw anything.
 * The same array when there are no such pixels.
 */
export function completeDepth(depth: Float32Array, width: number, help: DepthHelp): Float32Array {
  const { ids } = help;
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
  open = fillRings(out, open, width, OTHER_OBJECT, help);
  // What has only strangers beside it asks its own object farther away, then takes what is beside it.
  if (ids !== null)
    open = open.filter((i) => {
      if (ids[i] !== 0) out[i] = ownDepthAlong(out, ids, i, width, height);
      return Number.isNaN(out[i]);
    });
  for (const i of fillRings(out, open, width, Infinity, help)) out[i] = Infinity;
  return out;
}

/** Gives open pixels the depth of their best neighbour where it costs less than `limit`, ring by ring; returns those that are still open. */
function fillRings(out: Float32Array, pixels: readonly number[], width: number, limit: number, { ids, motion }: DepthHelp): number[] {
  const height = out.length / width;
  let open = [...pixels];
  for (let ring = 0; ring < RINGS && open.length > 0; ring++) {
    const found: [number, number][] = [];
    for (const i of open) {
      const x = i % width,
        y = (i - x) / width;
      let best = limit,
        taken = NaN;
      for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++)
        for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) {
          const j = ny * width + nx;
          if (Number.isNaN(out[j])) continue;
          const cost = costOf(i, j, out[j], ids, motion);
          if (cost < best || (cost === best && out[j] < taken)) [best, taken] = [cost, out[j]];
        }
      if (!Number.isNaN(taken)) found.push([i, taken]);
    }
    if (found.length === 0) break;
    for (const [i, value] of found) out[i] = value;
    open = open.filter((i) => Number.isNaN(out[i]));
  }
  return open;
}

/** Pixels beside another id whose object has pixels away from any edge somewhere: things that are thin everywhere keep what they have. */
function edgesOfIds(ids: ArrayLike<number>, width: number, height: number): number[] {
  const edges: number[] = [],
    inner = new Set<number>();
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (ids[i] === 0) continue;
      if (isEdge(ids, width, height, x, y)) edges.push(i);
      else inner.add(ids[i]);
    }
  return edges.filter((i) => inner.has(ids[i]));
}

function isEdge(ids: ArrayLike<number>, width: number, height: number, x: number, y: number): boolean {
  const id = ids[y * width + x];
  for (let ny = Math.max(0, y - 1); ny <= Math.min(height - 1, y + 1); ny++)
    for (let nx = Math.max(0, x - 1); nx <= Math.min(width - 1, x + 1); nx++) if (ids[ny * width + nx] !== id) return true;
  return false;
}

/** How far along a row or column a sliver's own object is looked for. */
const FAR_PX = 64;

/** The depth of the same object at the nearest place of the row or column; NaN when there is none. */
function ownDepthAlong(depth: Float32Array, ids: ArrayLike<number>, i: number, width: number, height: number): number {
  const x = i % width,
    y = (i - x) / width;
  for (let far = 1; far <= FAR_PX; far++)
    for (const [nx, ny] of [
      [x - far, y],
      [x + far, y],
      [x, y - far],
      [x, y + far],
    ]) {
      if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
      const j = ny * width + nx;
      if (ids[j] === ids[i] && !Number.isNaN(depth[j])) return depth[j];
    }
  return NaN;
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
