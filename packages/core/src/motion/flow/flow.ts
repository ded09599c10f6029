import { sampleBilinear } from '../../raster/bilinear';
import type { Pyramid, PyramidLevel } from './pyramid';
import { PATCH, PatchSearch } from './patch-search';
import { sampleLevel } from './pyramid';

/** Where each pixel of one picture is found in another: pixels, x right, y down, interleaved. */
export interface Flow {
  readonly width: number;
  readonly height: number;
  readonly vectors: Float32Array;
}

export interface FlowOptions {
  /** The level that is worked out last; 0 is the picture's own size, 1 half of it. The answer always has the picture's size. */
  readonly finestLevel: number;
}

const STEP = 4;

/**
 * Dense motion between two pictures, coarse to fine: small patches slide downhill until they match, good matches are handed to their
 * neighbours, and the patches that cover a pixel are averaged by how well they fit it (after Kroeger et al. 2016, "Fast Optical Flow
 * using Dense Inverse Search"). Unlike there the coarsest level tries every shift, patches start from the coarser patches and not from
 * their averages, and means are not taken out: on CG over nothing each of the three halves the share of wrong matches.
 */
export function estimateFlow(from: Pyramid, to: Pyramid, { finestLevel }: FlowOptions): Flow {
  const last = Math.min(finestLevel, from.length - 1);
  let level = Math.max(
    last,
    from.findIndex(({ width, height }) => width * height <= SWEPT_PX),
  );
  if (level < 0) level = from.length - 1;
  let grid: PatchGrid | null = null;
  for (; level >= last; level--) {
    const search = new PatchSearch(from[level], to[level]);
    grid = grid === null ? descendAll(search, from[level], sweep(search, from[level]), 1) : descendAll(search, from[level], grid, 2);
  }
  const [{ width, height }] = from;
  if (grid === null) return { width, height, vectors: new Float32Array(width * height * 2) };
  return enlarged(densified(from[last], to[last], grid), width, height);
}

/** Vectors grow with the picture. */
function enlarged(flow: Flow, width: number, height: number): Flow {
  if (flow.width === width && flow.height === height) return flow;
  const vectors = new Float32Array(width * height * 2);
  const scale = Math.round(width / flow.width);
  for (let i = 0; i < vectors.length; i++) {
    const x = (i >> 1) % width,
      y = ((i >> 1) - x) / width;
    vectors[i] = scale * sampleBilinear(flow.vectors, flow.width, flow.height, (x + 0.5) / scale - 0.5, (y + 0.5) / scale - 0.5, 2, i & 1);
  }
  return { width, height, vectors };
}

/** One level's patches: a grid, each with its answer. */
interface PatchGrid {
  readonly columns: number;
  readonly rows: number;
  readonly x: Int32Array;
  readonly y: Int32Array;
  readonly vectors: Float32Array;
  readonly cost: Float32Array;
}

/** The first level is small enough to try every shift. */
const SWEPT_PX = 10000,
  /** Share of the height that motion may reach in a frame. */
  REACH = 0.2;

/** Every whole-pixel shift of every patch. */
function sweep(search: PatchSearch, level: PyramidLevel): PatchGrid {
  const grid = gridOf(level.width, level.height);
  const reach = Math.ceil(level.height * REACH);
  for (let k = 0; k < grid.cost.length; k++) {
    if (!search.take(grid.x[k], grid.y[k])) {
      grid.cost[k] = -1;
      continue;
    }
    let best = Infinity;
    for (let v = -reach; v <= reach; v++) {
      for (let u = -reach; u <= reach; u++) {
        // Of equal matches the nearer one.
        const far = 1e-7 * (u * u + v * v);
        const c = search.costAt(u, v, best - far) + far;
        if (c < best) {
          best = c;
          grid.vectors[k * 2] = u;
          grid.vectors[k * 2 + 1] = v;
        }
      }
    }
    grid.cost[k] = best;
  }
  return grid;
}

/** Each patch starts with what the patches of a grid that is `scale` times coarser found around it, and with what its neighbours found. */
function descendAll(search: PatchSearch, level: PyramidLevel, coarser: PatchGrid, scale: 1 | 2): PatchGrid {
  const grid = gridOf(level.width, level.height);
  const { columns, rows, vectors, cost } = grid;
  const count = columns * rows;
  for (let k = 0; k < count; k++) if (!search.take(grid.x[k], grid.y[k])) cost[k] = -1;
  for (let pass = 0; pass < 2; pass++) {
    const forward = pass === 0,
      side = forward ? -1 : 1;
    for (let n = 0; n < count; n++) {
      const k = forward ? n : count - 1 - n,
        column = k % columns,
        row = (k - column) / columns;
      if (cost[k] < 0) continue;
      search.take(grid.x[k], grid.y[k]);
      let u = 0,
        v = 0,
        best = Infinity;
      const offer = (from: PatchGrid, j: number, factor: number) => {
        if (from.cost[j] < 0) return;
        const c = search.costAt(from.vectors[j * 2] * factor, from.vectors[j * 2 + 1] * factor, best);
        if (c < best) {
          best = c;
          u = from.vectors[j * 2] * factor;
          v = from.vectors[j * 2 + 1] * factor;
        }
      };
      if (forward) {
        // The coarser patches around this one's middle.
        const cx = (grid.x[k] + PATCH / 2) / scale / STEP - PATCH / 2 / STEP,
          cy = (grid.y[k] + PATCH / 2) / scale / STEP - PATCH / 2 / STEP;
        for (let dy = -1; dy <= 2; dy++) {
          for (let dx = -1; dx <= 2; dx++) {
            const x = Math.floor(cx) + dx,
              y = Math.floor(cy) + dy;
            if (x >= 0 && y >= 0 && x < coarser.columns && y < coarser.rows) offer(coarser, y * coarser.columns + x, scale);
          }
        }
      } else offer(grid, k, 1);
      if (column + side >= 0 && column + side < columns) offer(grid, k + side, 1);
      if (row + side >= 0 && row + side < rows) offer(grid, k + side * columns, 1);
      search.descend(u, v, best);
      vectors[k * 2] = search.u;
      vectors[k * 2 + 1] = search.v;
      cost[k] = search.cost;
    }
  }
  return grid;
}

function gridOf(width: number, height: number): PatchGrid {
  const columns = Math.max(1, Math.ceil((width - PATCH) / STEP) + 1),
    rows = Math.max(1, Math.ceil((height - PATCH) / STEP) + 1);
  const count = columns * rows,
    x = new Int32Array(count),
    y = new Int32Array(count);
  for (let k = 0; k < count; k++) {
    x[k] = Math.max(0, Math.min(width - PATCH, (k % columns) * STEP));
    y[k] = Math.max(0, Math.min(height - PATCH, Math.floor(k / columns) * STEP));
  }
  return { columns, rows, x, y, vectors: new Float32Array(count * 2), cost: new Float32Array(count) };
}

/** Every pixel's mean over the patches that cover it, those that fit it best counting most; 0 where nothing has texture. */
function densified(a: PyramidLevel, b: PyramidLevel, grid: PatchGrid): Flow {
  const { width, height } = a;
  const vectors = new Float32Array(width * height * 2),
    weights = new Float32Array(width * height);
  for (let k = 0; k < grid.cost.length; k++) {
    if (grid.cost[k] < 0) continue;
    const u = grid.vectors[k * 2],
      v = grid.vectors[k * 2 + 1];
    for (let r = 0; r < PATCH && grid.y[k] + r < height; r++) {
      for (let c = 0; c < PATCH && grid.x[k] + c < width; c++) {
        const x = grid.x[k] + c,
          y = grid.y[k] + r,
          i = y * width + x;
        const d = Math.abs(sampleLevel(b, b.values, x + u, y + v) - a.values[a.origin + y * a.stride + x]);
        const w = 1 / (0.004 + d * d * 4 + grid.cost[k]);
        vectors[i * 2] += u * w;
        vectors[i * 2 + 1] += v * w;
        weights[i] += w;
      }
    }
  }
  for (let i = 0; i < weights.length; i++) {
    if (weights[i] > 0) {
      vectors[i * 2] /= weights[i];
      vectors[i * 2 + 1] /= weights[i];
    }
  }
  return { width, height, vectors };
}
