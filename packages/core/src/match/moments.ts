import type { SliceSession } from '@ivrex/kernels/interface';
import { renderRows } from '../blur/apply';
import { TILE_PX, type BlurPlan } from '../blur/blur-plan';
import type { MatchFrame } from './shutter-match';

/**
 * What a frame's points show over time, summed up: a blur under any even exposure is a difference of two sums, so that thousands of shutters
 * can be tried for the price of rendering each moment once.
 */
export interface Moments {
  readonly frame: number;
  readonly points: number;
  /** Channels that count: 4, or 3 when the reference has no alpha. */
  readonly channels: 3 | 4;
  /** `steps` + 1 rows of points x 4: the integral of the moving picture from -reach to that time. */
  readonly sums: Float32Array;
  readonly steps: number;
  readonly reach: number;
  /** points x 4. */
  readonly reference: Float32Array;
  readonly sharp: Float32Array;
  /** By point: the tile that it lies in, for telling how far parts of the picture disagree. */
  readonly tileOf: Int32Array;
  readonly tiles: number;
  /** The longest way of anything, pixels a frame. */
  readonly travelPx: number;
}

/** Travel between two moments, in pixels: what lies between is taken as even. */
const STEP_PX = 1,
  MIN_STEPS = 48,
  MAX_STEPS = 480,
  /** Floats of sums a frame: 64 MiB. */
  MOST_FLOATS = 16 * 2 ** 20,
  /** More points make it slower, not better. */
  MOST_POINTS = 12000,
  MOST_TILES = 64,
  /** A point whose colour does not change by this much tells nothing. */
  CHANGE = 0.004;

interface ChosenTile {
  readonly x: number;
  readonly y: number;
  readonly changes: number;
}

/** The moving points of a frame that tell most, and what they show from -reach to reach. Null when nothing moves there. */
export function momentsOf({ frame, plan, reference, hasAlpha }: MatchFrame, session: SliceSession, reach: number): Moments | null {
  const change = changesOf(plan, session, reach);
  const tiles = chooseTiles(plan, change);
  if (tiles.length === 0) return null;
  const travelPx = longestTravel(plan, reach),
    steps = Math.min(MAX_STEPS, Math.max(MIN_STEPS, Math.ceil((2 * reach * travelPx) / STEP_PX)));
  const points = choosePoints(plan, tiles, change, Math.min(MOST_POINTS, Math.floor(MOST_FLOATS / (4 * (steps + 1)))));
  const count = points.pixel.length,
    row = count * 4;
  const sums = new Float32Array(row * (steps + 1)),
    rows = new Float32Array(TILE_PX * plan.width * 4),
    dt = (2 * reach) / steps;
  for (let j = 0; j < steps; j++) {
    const t = -reach + (j + 0.5) * dt,
      from = j * row,
      to = from + row;
    for (let tile = 0; tile < tiles.length; tile++) {
      renderTile(plan, session, tiles[tile], t, rows);
      for (let p = points.starts[tile]; p < points.starts[tile + 1]; p++) {
        const at = (points.pixel[p] - tiles[tile].y * plan.width) * 4;
        for (let c = 0; c < 4; c++) sums[to + p * 4 + c] = sums[from + p * 4 + c] + rows[at + c] * dt;
      }
    }
  }
  const tileOf = new Int32Array(count);
  for (let tile = 0; tile < tiles.length; tile++) tileOf.fill(tile, points.starts[tile], points.starts[tile + 1]);
  const pick = (src: Float32Array) => {
    const out = new Float32Array(row);
    points.pixel.forEach((pixel, p) => out.set(src.subarray(pixel * 4, pixel * 4 + 4), p * 4));
    return out;
  };
  return {
    frame,
    points: count,
    channels: hasAlpha ? 4 : 3,
    sums,
    steps,
    reach,
    reference: pick(reference).map((v) => (Number.isFinite(v) ? v : 0)),
    sharp: pick(plan.sharp),
    tileOf,
    tiles: tiles.length,
    travelPx,
  };
}

function renderTile(plan: BlurPlan, session: SliceSession, { x, y }: { x: number; y: number }, t: number, rows: Float32Array): void {
  renderRows(
    plan,
    session,
    {
      shutter: { opens: t, closes: t, strength: 1 },
      quality: 'final',
      samples: 1,
      columns: [x, Math.min(plan.width, x + TILE_PX)],
    },
    y,
    Math.min(plan.height, y + TILE_PX),
    rows,
  );
}

/** By pixel: how much its colour changes over time, from four moments. */
function changesOf(plan: BlurPlan, session: SliceSession, reach: number): Float32Array {
  const out = new Float32Array(plan.width * plan.height),
    rows = new Float32Array(TILE_PX * plan.width * 4);
  for (const t of [-0.5, -0.2, 0.2, 0.5].map((share) => share * reach))
    for (let y = 0; y < plan.height; y += TILE_PX) {
      const yTo = Math.min(plan.height, y + TILE_PX);
      renderRows(plan, session, { shutter: { opens: t, closes: t, strength: 1 }, quality: 'draft', samples: 1 }, y, yTo, rows);
      for (let i = y * plan.width; i < yTo * plan.width; i++)
        for (let c = 0; c < 4; c++) out[i] = Math.max(out[i], Math.abs(rows[(i - y * plan.width) * 4 + c] - plan.sharp[i * 4 + c]));
    }
  return out;
}

/** Those with most change, a bright spot counting no more than a plain edge. */
function chooseTiles({ width, height }: BlurPlan, change: Float32Array): ChosenTile[] {
  const tiles: ChosenTile[] = [];
  for (let y = 0; y < height; y += TILE_PX)
    for (let x = 0; x < width; x += TILE_PX) {
      let changes = 0;
      for (let yy = y; yy < Math.min(height, y + TILE_PX); yy++)
        for (let xx = x; xx < Math.min(width, x + TILE_PX); xx++) {
          const v = change[yy * width + xx];
          if (v > CHANGE) changes += Math.min(1, v);
        }
      if (changes > 0) tiles.push({ x, y, changes });
    }
  return tiles.sort((a, b) => b.changes - a.changes || a.y - b.y || a.x - b.x).slice(0, MOST_TILES);
}

interface ChosenPoints {
  readonly pixel: Int32Array;
  /** By tile: its first point; one more than there are tiles. */
  readonly starts: Int32Array;
}

/** Evenly thinned to the room that there is. */
function choosePoints({ width, height }: BlurPlan, tiles: readonly ChosenTile[], change: Float32Array, most: number): ChosenPoints {
  const lists = tiles.map(({ x, y }) => {
    const list: number[] = [];
    for (let yy = y; yy < Math.min(height, y + TILE_PX); yy++)
      for (let xx = x; xx < Math.min(width, x + TILE_PX); xx++) if (change[yy * width + xx] > CHANGE) list.push(yy * width + xx);
    return list;
  });
  const total = lists.reduce((sum, list) => sum + list.length, 0),
    // Every n-th, n not a divisor of the tile's width, so that it is no column.
    step = Math.max(1, total / most);
  const pixel: number[] = [],
    starts = [0];
  for (const list of lists) {
    for (let k = 0; k < list.length; k += step) pixel.push(list[Math.floor(k)]);
    starts.push(pixel.length);
  }
  return { pixel: Int32Array.from(pixel), starts: Int32Array.from(starts) };
}

/** The longest way of any layer a frame, in pixels. */
function longestTravel({ layers }: BlurPlan, reach: number): number {
  let longest = 0;
  for (const { tileTravel, path } of layers)
    for (let tile = 0; tile < tileTravel.length; tile += 4) {
      let travel = 0;
      for (let n = 1; n <= path.orders; n++) travel += n * tileTravel[tile + n - 1] * reach ** (n - 1);
      longest = Math.max(longest, travel);
    }
  return longest;
}
