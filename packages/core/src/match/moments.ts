import type { SliceSession } from '@ivrex/kernels/interface';
import { renderRows } from '../blur/render/apply';
import { TILE_PX, type BlurPlan } from '../blur/model/blur-plan';
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
  /** By point: the part of the picture that it lies in, for telling how far parts disagree. */
  readonly partOf: Int32Array;
  /** How far what is looked at goes in a frame, pixels: the mean over its parts. */
  readonly travelPx: number;
}

/** Travel between two moments, in pixels: what lies between is taken as even. */
const STEP_PX = 0.75,
  MIN_STEPS = 64,
  MAX_STEPS = 400,
  /** Floats of sums a frame: 64 MiB. */
  MOST_FLOATS = 16 * 2 ** 20,
  /** More points make it slower, not better. */
  MOST_POINTS = 12000,
  /** Pieces of the picture that are looked at: a tile wide, a part of one high, so that they come from many places. */
  STRIP_PX = 8,
  MOST_STRIPS = 96,
  MOST_A_TILE = 2,
  /** A point whose colour does not change by this much tells nothing. */
  CHANGE = 0.004;

interface ChosenStrip {
  readonly x: number;
  readonly y: number;
  readonly changes: number;
}

/** The moving points of a frame that tell most, and what they show from -reach to reach. Null when nothing moves there. */
export function momentsOf({ frame, plan, reference, hasAlpha }: MatchFrame, session: SliceSession, reach: number): Moments | null {
  const change = changesOf(plan, session, reach);
  const strips = chooseStrips(plan, change);
  if (strips.length === 0) return null;
  const speeds = travelOfTiles(plan, 0),
    across = Math.ceil(plan.width / TILE_PX);
  const longest = travelOfTiles(plan, reach).reduce((most, v) => Math.max(most, v), 0),
    steps = Math.min(MAX_STEPS, Math.max(MIN_STEPS, Math.ceil((2 * reach * longest) / STEP_PX)));
  const points = choosePoints(plan, strips, change, Math.min(MOST_POINTS, Math.floor(MOST_FLOATS / (4 * (steps + 1)))));
  const count = points.pixel.length,
    row = count * 4;
  const sums = new Float32Array(row * (steps + 1)),
    rows = new Float32Array(STRIP_PX * plan.width * 4),
    dt = (2 * reach) / steps;
  for (let j = 0; j < steps; j++) {
    const t = -reach + (j + 0.5) * dt,
      from = j * row,
      to = from + row;
    for (let strip = 0; strip < strips.length; strip++) {
      renderStrip(plan, session, strips[strip], t, rows);
      for (let p = points.starts[strip]; p < points.starts[strip + 1]; p++) {
        const at = (points.pixel[p] - strips[strip].y * plan.width) * 4;
        for (let c = 0; c < 4; c++) sums[to + p * 4 + c] = sums[from + p * 4 + c] + rows[at + c] * dt;
      }
    }
  }
  const partOf = new Int32Array(count);
  for (let strip = 0; strip < strips.length; strip++) partOf.fill(strip, points.starts[strip], points.starts[strip + 1]);
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
    partOf,
    travelPx: strips.reduce((sum, { x, y }) => sum + speeds[Math.floor(y / TILE_PX) * across + x / TILE_PX], 0) / strips.length,
  };
}

function renderStrip(plan: BlurPlan, session: SliceSession, { x, y }: { x: number; y: number }, t: number, rows: Float32Array): void {
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
    Math.min(plan.height, y + STRIP_PX),
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

/** Those with most change, a bright spot counting no more than a plain edge; few of each tile. */
function chooseStrips({ width, height }: BlurPlan, change: Float32Array): ChosenStrip[] {
  const strips: ChosenStrip[] = [];
  for (let y = 0; y < height; y += STRIP_PX)
    for (let x = 0; x < width; x += TILE_PX) {
      let changes = 0;
      for (const i of pixelsOf({ x, y }, width, height)) if (change[i] > CHANGE) changes += Math.min(1, change[i]);
      if (changes > 0) strips.push({ x, y, changes });
    }
  const ofTile = new Map<string, number>();
  return strips
    .sort((a, b) => b.changes - a.changes || a.y - b.y || a.x - b.x)
    .filter(({ x, y }) => {
      const tile = `${x} ${Math.floor(y / TILE_PX)}`,
        count = (ofTile.get(tile) ?? 0) + 1;
      ofTile.set(tile, count);
      return count <= MOST_A_TILE;
    })
    .slice(0, MOST_STRIPS);
}

function* pixelsOf({ x, y }: { readonly x: number; readonly y: number }, width: number, height: number): Generator<number> {
  for (let yy = y; yy < Math.min(height, y + STRIP_PX); yy++)
    for (let xx = x; xx < Math.min(width, x + TILE_PX); xx++) yield yy * width + xx;
}

interface ChosenPoints {
  readonly pixel: Int32Array;
  /** By strip: its first point; one more than there are strips. */
  readonly starts: Int32Array;
}

/** Evenly thinned to the room that there is. */
function choosePoints({ width, height }: BlurPlan, strips: readonly ChosenStrip[], change: Float32Array, most: number): ChosenPoints {
  const lists = strips.map((strip) => [...pixelsOf(strip, width, height)].filter((i) => change[i] > CHANGE));
  const total = lists.reduce((sum, list) => sum + list.length, 0),
    step = Math.max(1, total / most);
  const pixel: number[] = [],
    starts = [0];
  for (const list of lists) {
    for (let k = 0; k < list.length; k += step) pixel.push(list[Math.floor(k)]);
    starts.push(pixel.length);
  }
  return { pixel: Int32Array.from(pixel), starts: Int32Array.from(starts) };
}

/**
 * By tile: the speed of the fastest layer, pixels a frame; `reach` 0: on the frame itself, else the most that it can come to within it.
 */
function travelOfTiles({ layers, width, height }: BlurPlan, reach: number): Float64Array {
  const out = new Float64Array(Math.ceil(width / TILE_PX) * Math.ceil(height / TILE_PX));
  for (const { tileTravel, path } of layers)
    for (let tile = 0; tile < out.length; tile++) {
      let travel = 0;
      for (let n = 1; n <= path.orders; n++) travel += n * tileTravel[tile * 4 + n - 1] * reach ** (n - 1);
      out[tile] = Math.max(out[tile], travel);
    }
  return out;
}
