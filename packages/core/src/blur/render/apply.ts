import { NODE_FLOATS, type Box, type SliceLayer, type SliceSession } from '@ivrex/kernels/interface';
import { reachFrames, sliceTimes, type Shutter } from '../../shutter/shutter';
import { BLOCK_PX, toBlocks, type FrameMix, type MixedPlan, type MixPart, type NeighbourPlan } from '../model/frame-mix';
import { TILE_PX, tilesAcross, type BlurPlan, type BlurQuality, type OpenSlices, type Size } from '../model/blur-plan';

export interface ApplySettings {
  readonly shutter: Shutter;
  readonly quality: BlurQuality;
  /** Slices a pixel; "auto" takes as many as the longest streak of the tile needs. */
  readonly samples: 'auto' | number;
  /** Columns [from, to) that are rendered, on tile borders; all of them when nothing is said. */
  readonly columns?: readonly [number, number];
}

/** Travel a slice, in pixels: beyond 1.2 to 1.5 px copies begin to show (looked at on the nine fidelity scenes). A draft may show them faintly. */
export const PIXELS_PER_SLICE: Record<BlurQuality, number> = { final: 1.2, draft: 3 };
/** Longer streaks than these can take show copies. */
export const MOST_SLICES = 512;
/** Said where a whole frame's samples were not enough. */
export const TOO_FAST = `Its fastest streaks need more than ${MOST_SLICES} samples: copies may show in them. Give a speed ceiling, or check the motion.`;
const MAX_SLICES: Record<BlurQuality, number> = { final: MOST_SLICES, draft: 24 };

/** Rows [yFrom, yTo) of a plan's blur, RGBA premultiplied, into `out` whose first row is yFrom. Returns the most slices used. */
export function renderRows(
  plan: BlurPlan,
  session: SliceSession,
  settings: ApplySettings,
  yFrom: number,
  yTo: number,
  out: Float32Array,
): number {
  assertReaches(plan, settings.shutter);
  let most = 0;
  for (const box of boxesOf(plan, settings, yFrom, yTo))
    most = Math.max(most, renderBox(plan, session, settings, box, out, placeOf(plan, box, yFrom)));
  clampRows(plan, settings, yFrom, yTo, out);
  return most;
}

function assertReaches(plan: BlurPlan, shutter: Shutter): void {
  if (reachFrames(shutter) > plan.reachFrames + 1e-6)
    throw new TypeError(`the plan reaches ${plan.reachFrames} frames, the shutter asks for ${reachFrames(shutter)}`);
}

/** What of each tile is rendered. */
function boxesOf({ width }: Size, { columns }: ApplySettings, yFrom: number, yTo: number): Box[] {
  const [from, to] = columns ?? [0, width],
    boxes: Box[] = [];
  for (let y = yFrom; y < yTo; y = (Math.floor(y / TILE_PX) + 1) * TILE_PX) {
    const height = Math.min((Math.floor(y / TILE_PX) + 1) * TILE_PX, yTo) - y;
    for (let x = from; x < to; x += TILE_PX) boxes.push({ x0: x, y0: y, width: Math.min(TILE_PX, width - x), height });
  }
  return boxes;
}

/** Where a box starts in rows of the picture from yFrom on. */
function placeOf({ width }: Size, { x0, y0 }: Box, yFrom: number): number {
  return ((y0 - yFrom) * width + x0) * 4;
}

function clampRows({ width }: Size, { columns }: ApplySettings, yFrom: number, yTo: number, out: Float32Array): void {
  const [from, to] = columns ?? [0, width];
  for (let row = 0; row < yTo - yFrom; row++) clampAlpha(out, row * width + from, row * width + Math.min(to, width));
}

function renderBox(plan: BlurPlan, session: SliceSession, settings: ApplySettings, box: Box, out: Float32Array, at: number): number {
  const { shutter } = settings,
    { layers, travelPx } = layersAt(plan, box, shutter.opens * shutter.strength, shutter.closes * shutter.strength);
  if (layers.length === 0) {
    fillBox(plan, box, out, at);
    return 0;
  }
  if (travelPx < STILL_PX) {
    copyBox(plan, box, out, at);
    return 0;
  }
  const slices = sliceCount(travelPx, settings);
  session.render({ ...sliceTimes(shutter, slices), layers, path: plan.path, filter: filterOf(settings), box }, out, at, plan.width * 4);
  return slices;
}

function filterOf({ quality }: ApplySettings): 'cubic' | 'linear' {
  return quality === 'final' ? 'cubic' : 'linear';
}

/** By part and pixel of the box: what the neighbour counts; null where no neighbour counts anywhere. */
function sharesOfBox({ width, height }: Size, { parts, shares }: FrameMix, box: Box): Float32Array | null {
  const across = Math.ceil(width / BLOCK_PX),
    down = Math.ceil(height / BLOCK_PX),
    pixels = box.width * box.height;
  const out = new Float32Array(parts.length * pixels),
    lefts = new Int32Array(box.width),
    fus = new Float64Array(box.width);
  for (let x = 0; x < box.width; x++) {
    const u = Math.min(across - 1, Math.max(0, toBlocks(box.x0 + x)));
    lefts[x] = Math.floor(u);
    fus[x] = u - lefts[x];
  }
  let any = 0;
  for (let part = 0; part < parts.length; part++) {
    if (parts[part].neighbour === 0) continue;
    for (let y = 0, k = part * pixels; y < box.height; y++) {
      const v = Math.min(down - 1, Math.max(0, toBlocks(box.y0 + y))),
        top = Math.floor(v),
        fv = v - top,
        upper = (part * down + top) * across,
        lower = (part * down + Math.min(down - 1, top + 1)) * across;
      for (let x = 0; x < box.width; x++, k++) {
        const left = lefts[x],
          fu = fus[x],
          right = Math.min(across - 1, left + 1);
        const above = shares[upper + left] * (1 - fu) + shares[upper + right] * fu,
          below = shares[lower + left] * (1 - fu) + shares[lower + right] * fu;
        out[k] = above * (1 - fv) + below * fv;
        any += out[k];
      }
    }
  }
  return any > 0 ? out : null;
}

/** One frame of a mix: its plan and when it is. */
type Source = Pick<NeighbourPlan, 'plan'> & { readonly at: -1 | 0 | 1 };

/** Adds what one frame counts in a tile: only the parts of the exposure, and the pixels, in which it does. Returns the slices used. */
function addCounted(
  source: Source,
  session: SliceSession,
  settings: ApplySettings,
  box: Box,
  parts: readonly MixPart[],
  shares: Float32Array,
  out: Float32Array,
  at: number,
): number {
  const pixels = box.width * box.height,
    counted: CountedPart[] = [];
  parts.forEach((part, n) => {
    if (source.at !== 0 && part.neighbour !== source.at) return;
    const those = shares.subarray(n * pixels, (n + 1) * pixels),
      of = source.at === 0 ? restOf(those) : those,
      most = mostOf(of);
    if (most > 0) counted.push({ ...part, shares: of, most });
  });
  return counted.length > 0 ? addSource(source, session, settings, box, counted, out, at) : 0;
}

function restOf(shares: Float32Array): Float32Array {
  const out = new Float32Array(shares.length);
  for (let i = 0; i < out.length; i++) out[i] = 1 - shares[i];
  return out;
}

interface CountedPart extends MixPart {
  /** By pixel of the box, and the largest of them. */
  readonly shares: Float32Array;
  readonly most: number;
}

function addSource(
  source: Source,
  session: SliceSession,
  settings: ApplySettings,
  box: Box,
  parts: readonly CountedPart[],
  out: Float32Array,
  at: number,
): number {
  const { plan } = source,
    { opens, closes, strength } = settings.shutter,
    pathTime = (u: number) => strength * (opens + u * (closes - opens)) - source.at;
  const first = parts[0].from,
    last = parts[parts.length - 1].to;
  const { layers, travelPx } = layersAt(plan, box, pathTime(first), pathTime(last));
  if (layers.length === 0) return 0;
  if (travelPx < STILL_PX) {
    addStill(plan, settings.shutter, box, parts, out, at);
    return 0;
  }
  const slices = sliceCount(travelPx, settings),
    counts = parts.map(({ from, to, most }) =>
      Math.max(1, Math.ceil(slices * ((to - from) / (last - first)) * Math.min(1, SEEN_LITTLE * Math.sqrt(most)) - 1e-6)),
    ),
    total = counts.reduce((sum, count) => sum + count, 0);
  const times = new Float32Array(total),
    weights = new Float32Array(total),
    ends = new Int32Array(parts.length),
    shares = new Float32Array(parts.length * box.width * box.height);
  parts.forEach((part, n) => {
    const start = n === 0 ? 0 : ends[n - 1],
      timed = sliceTimes(settings.shutter, counts[n], part.from, part.to);
    ends[n] = start + counts[n];
    weights.set(timed.weights, start);
    shares.set(part.shares, n * box.width * box.height);
    for (let i = 0; i < counts[n]; i++) times[start + i] = timed.times[i] - source.at;
  });
  session.render(
    {
      layers,
      times,
      weights,
      parts: { ends, shares },
      path: plan.path,
      filter: filterOf(settings),
      box,
    },
    out,
    at,
    plan.width * 4,
  );
  return total;
}

/** Copies are seen little in what counts little: a part of less than (1 / this) squared has fewer samples. */
const SEEN_LITTLE = 1.5;

function mostOf(shares: Float32Array): number {
  let most = 0;
  for (const share of shares) if (share > most) most = share;
  return most;
}

/** A tile of a plan in which nothing moves: its picture, as far as it counts. */
function addStill(
  { sharp, width }: BlurPlan,
  shutter: Shutter,
  box: Box,
  parts: readonly CountedPart[],
  out: Float32Array,
  at: number,
): void {
  const light = parts.map(({ from, to }) => sliceTimes(shutter, 1, from, to).weights[0]);
  for (let y = 0, k = 0; y < box.height; y++)
    for (let x = 0; x < box.width; x++, k++) {
      const pixel = ((box.y0 + y) * width + box.x0 + x) * 4,
        to = at + (y * width + x) * 4;
      let share = 0;
      parts.forEach((part, n) => (share += light[n] * part.shares[k]));
      for (let c = 0; c < 4; c++) out[to + c] += share * sharp[pixel + c];
    }
}

/** Rows of a frame's blur mixed with its neighbours', see `renderRows`. One frame after the other is opened, and of it only what these rows can show. */
export function renderMixedRows(
  { plan, neighbours, mix }: MixedPlan,
  settings: ApplySettings,
  yFrom: number,
  yTo: number,
  out: Float32Array,
  open: OpenSlices,
): number {
  assertReaches(plan, settings.shutter);
  const { opens, closes, strength } = settings.shutter,
    boxes = boxesOf(plan, settings, yFrom, yTo),
    shares = boxes.map((box) => mix && sharesOfBox(plan, mix, box)),
    sources: readonly Source[] = [{ at: 0, plan }, ...(mix === null ? [] : neighbours)];
  let most = 0;
  for (const source of sources) {
    if (source.at !== 0 && shares.every((used) => used === null)) continue;
    const reach = { opens: opens * strength - source.at, closes: closes * strength - source.at, strength: 1 },
      session = open(layersOfRows(source.plan, reach, yFrom, yTo));
    try {
      boxes.forEach((box, n) => {
        const at = placeOf(plan, box, yFrom),
          used = shares[n];
        let slices = 0;
        if (mix !== null && used !== null) {
          if (source.at === 0) fillBox(plan, box, out, at);
          slices = addCounted(source, session, settings, box, mix.parts, used, out, at);
        } else if (source.at === 0) slices = renderBox(plan, session, settings, box, out, at);
        most = Math.max(most, slices);
      });
    } finally {
      session.close();
    }
  }
  clampRows(plan, settings, yFrom, yTo, out);
  return most;
}

/**
 * The part of a plan's layers that rows [yFrom, yTo) can show: what a renderer of these rows has to hold. Views of the same memory.
 */
export function layersOfRows(plan: BlurPlan, shutter: Shutter, yFrom: number, yTo: number): SliceLayer[] {
  const far = Math.max(Math.abs(shutter.opens), Math.abs(shutter.closes)) * Math.abs(shutter.strength);
  const tiles = tilesAcross(plan);
  return plan.layers.map(({ colourBox, colour, path, tileTravel }) => {
    let reach = 0;
    for (let n = 1; n <= path.orders; n++) {
      let longest = 0;
      for (let ty = Math.floor(yFrom / TILE_PX); ty * TILE_PX < yTo; ty++)
        for (let tx = 0; tx < tiles.x; tx++) longest = Math.max(longest, tileTravel[(ty * tiles.x + tx) * 4 + n - 1]);
      reach += longest * far ** n;
    }
    // The flow of a pixel is not longer than its path by more than its turning: twice is plenty. Settling goes half as far again, and 8 px
    // where colour is within a cell.
    const margin = Math.ceil(Math.max(3 * reach + 12, 2 * reach + 20));
    const top = clampTo(yFrom - margin - colourBox.y0, colourBox.height),
      bottom = Math.max(top, clampTo(yTo + margin - colourBox.y0, colourBox.height));
    // Places are settled by the paths where they lie.
    const first = Math.max(0, Math.min(path.down - 2, Math.floor((yFrom - margin - path.y0) / path.stepPx) - 1)),
      last = Math.min(path.down, Math.max(first + 2, Math.ceil((yTo + margin - path.y0) / path.stepPx) + 2));
    const node = path.across * path.orders * NODE_FLOATS;
    return {
      colourBox: { ...colourBox, y0: colourBox.y0 + top, height: bottom - top },
      colour: colour.subarray(top * colourBox.width * 4, bottom * colourBox.width * 4),
      path: { ...path, y0: path.y0 + first * path.stepPx, down: last - first, nodes: path.nodes.subarray(first * node, last * node) },
    };
  });
}

function clampTo(v: number, most: number): number {
  return Math.min(most, Math.max(0, v));
}

export function sliceCount(travelPx: number, settings: ApplySettings): number {
  if (settings.samples !== 'auto') return settings.quality === 'draft' ? Math.min(settings.samples, MAX_SLICES.draft) : settings.samples;
  return Math.min(MAX_SLICES[settings.quality], Math.max(1, Math.ceil(travelPx / PIXELS_PER_SLICE[settings.quality])));
}

/** The layers that can show in this box between two path times, and the longest way any of them goes there. */
function layersAt(plan: BlurPlan, box: Box, opens: number, closes: number): { layers: number[]; travelPx: number } {
  const tile = Math.floor(box.y0 / TILE_PX) * tilesAcross(plan).x + Math.floor(box.x0 / TILE_PX);
  const far = Math.max(Math.abs(opens), Math.abs(closes)),
    reaches = POWERS.map((n) => far ** n),
    travels = POWERS.map((n) => powerTravel(opens, closes, n));
  const { indices, lengths, extents } = layersOfTiles(plan)[tile],
    right = box.x0 + box.width,
    bottom = box.y0 + box.height;
  const layers: number[] = [];
  let travelPx = 0,
    away = 0;
  for (let i = 0; i < indices.length; i++) {
    // How far it goes from where it is now, and on the way between the ends of the exposure.
    let reach = 0,
      travel = 0;
    for (let n = 0; n < 4; n++) {
      const length = lengths[i * 4 + n];
      reach += length * reaches[n];
      travel += length * travels[n];
    }
    const e = i * EXTENT_NUMBERS,
      margin = reach + 2;
    const isNear =
      box.x0 < extents[e + 2] + margin &&
      extents[e] < right + margin &&
      box.y0 < extents[e + 3] + margin &&
      extents[e + 1] < bottom + margin;
    if (!isNear || box.x0 >= extents[e + 6] || extents[e + 4] >= right || box.y0 >= extents[e + 7] || extents[e + 5] >= bottom) continue;
    layers.push(indices[i]);
    travelPx = Math.max(travelPx, travel);
    away = Math.max(away, reach);
  }
  return { layers, travelPx: away < STILL_PX ? 0 : Math.max(travelPx, 2 * STILL_PX) };
}

const POWERS = [1, 2, 3, 4] as const;

/** What a tile's box is held against: layers that can get there within the plan's reach, in one run of memory each. */
interface TileLayers {
  readonly indices: Int32Array;
  /** The tile's travel of each, by power of the time. */
  readonly lengths: Float32Array;
  /** The box of its colour and that of its nodes: left, top, right, bottom, both ends of pixels. */
  readonly extents: Float32Array;
}
const EXTENT_NUMBERS = 8;

const tileLists = new WeakMap<BlurPlan, readonly TileLayers[]>();

function layersOfTiles(plan: BlurPlan): readonly TileLayers[] {
  const known = tileLists.get(plan);
  if (known !== undefined) return known;
  const tiles = tilesAcross(plan),
    lists = Array.from({ length: tiles.x * tiles.y }, (): number[] => []),
    extents = plan.layers.map(({ path: { x0, y0, across, down, stepPx }, colourBox: c }) => [
      ...[c.x0, c.y0, c.x0 + c.width, c.y0 + c.height],
      ...[x0, y0, x0 + (across - 1) * stepPx + 1, y0 + (down - 1) * stepPx + 1],
    ]);
  plan.layers.forEach(({ path: { x0, y0, orders }, colourBox, tileTravel }, index) => {
    const [right, bottom] = extents[index].slice(6);
    for (let ty = Math.max(0, Math.floor(y0 / TILE_PX)); ty < tiles.y && ty * TILE_PX < bottom; ty++)
      for (let tx = Math.max(0, Math.floor(x0 / TILE_PX)); tx < tiles.x && tx * TILE_PX < right; tx++) {
        const tile = ty * tiles.x + tx;
        let reach = 2;
        for (let n = 1; n <= orders; n++) reach += tileTravel[tile * 4 + n - 1] * Math.max(1, plan.reachFrames) ** n;
        if (overlaps({ x0: tx * TILE_PX, y0: ty * TILE_PX, width: TILE_PX, height: TILE_PX }, colourBox, reach)) lists[tile].push(index);
      }
  });
  const found = lists.map((list, tile) => ({
    indices: Int32Array.from(list),
    lengths: Float32Array.from(
      list.flatMap((index) =>
        POWERS.map((n) => (n > plan.layers[index].path.orders ? 0 : plan.layers[index].tileTravel[tile * 4 + n - 1])),
      ),
    ),
    extents: Float32Array.from(list.flatMap((index) => extents[index])),
  }));
  tileLists.set(plan, found);
  return found;
}

/** The way of t^n between two times: there and back where it turns. */
function powerTravel(from: number, to: number, n: number): number {
  const a = from ** n,
    b = to ** n;
  return n % 2 === 0 && from * to < 0 ? a + b : Math.abs(b - a);
}

/** What goes less far than this is shown as it is. */
const STILL_PX = 1e-3;

function fillBox({ width }: BlurPlan, box: Box, out: Float32Array, at: number): void {
  for (let row = 0; row < box.height; row++) out.fill(0, at + row * width * 4, at + (row * width + box.width) * 4);
}

function copyBox({ sharp, width }: BlurPlan, box: Box, out: Float32Array, at: number): void {
  for (let row = 0; row < box.height; row++) {
    const from = ((box.y0 + row) * width + box.x0) * 4;
    out.set(sharp.subarray(from, from + box.width * 4), at + row * width * 4);
  }
}

function overlaps(a: Box, b: Box, margin: number): boolean {
  return (
    a.x0 < b.x0 + b.width + margin && b.x0 < a.x0 + a.width + margin && a.y0 < b.y0 + b.height + margin && b.y0 < a.y0 + a.height + margin
  );
}

/** The cubic filter overshoots by a little at edges; coverage stays in 0..1, and what would be covered more than once has no more light for it. */
function clampAlpha(rgba: Float32Array, from: number, to: number): void {
  for (let i = from * 4; i < to * 4; i += 4) {
    const alpha = rgba[i + 3];
    if (alpha < 0) rgba[i + 3] = 0;
    else if (alpha > 1) {
      for (let c = 0; c < 3; c++) rgba[i + c] /= alpha;
      rgba[i + 3] = 1;
    }
  }
}
