import { NODE_FLOATS, NODE_PX, type Box, type SliceLayer, type SliceSession } from '@ivrex/kernels/interface';
import { reachFrames, sliceTimes, type Shutter } from '../../shutter/shutter';
import { TILE_PX, tilesAcross, type BlurPlan, type BlurQuality } from '../model/blur-plan';

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

/** Rows [yFrom, yTo) of the blurred picture, RGBA premultiplied, into `out` whose first row is yFrom. Returns the most slices used. */
export function renderRows(
  plan: BlurPlan,
  session: SliceSession,
  settings: ApplySettings,
  yFrom: number,
  yTo: number,
  out: Float32Array,
): number {
  if (reachFrames(settings.shutter) > plan.reachFrames + 1e-6)
    throw new TypeError(`the plan reaches ${plan.reachFrames} frames, the shutter asks for ${reachFrames(settings.shutter)}`);
  const stride = plan.width * 4;
  const [from, to] = settings.columns ?? [0, plan.width];
  let most = 0;
  for (let y = yFrom; y < yTo; y = (Math.floor(y / TILE_PX) + 1) * TILE_PX) {
    const height = Math.min((Math.floor(y / TILE_PX) + 1) * TILE_PX, yTo) - y;
    for (let x = from; x < to; x += TILE_PX) {
      const box = { x0: x, y0: y, width: Math.min(TILE_PX, plan.width - x), height };
      const { layers, travelPx } = layersAt(plan, box, settings.shutter);
      if (layers.length === 0) {
        for (let row = 0; row < height; row++)
          out.fill(0, (y - yFrom + row) * stride + x * 4, (y - yFrom + row) * stride + (x + box.width) * 4);
        continue;
      }
      if (travelPx < STILL_PX) {
        copyBox(plan, box, out, (y - yFrom) * stride + x * 4);
        continue;
      }
      const slices = sliceCount(travelPx, settings);
      most = Math.max(most, slices);
      const { times, weights } = sliceTimes(settings.shutter, slices);
      session.render(
        { layers, times, weights, path: plan.path, filter: settings.quality === 'final' ? 'cubic' : 'linear', box },
        out,
        (y - yFrom) * stride + x * 4,
        stride,
      );
    }
  }
  for (let row = 0; row < yTo - yFrom; row++) clampAlpha(out, row * plan.width + from, row * plan.width + Math.min(to, plan.width));
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
    // The flow of a pixel is not longer than its path by more than its turning: twice is plenty.
    const margin = Math.ceil(2 * reach) + 4;
    const top = clampTo(yFrom - margin - colourBox.y0, colourBox.height),
      bottom = Math.max(top, clampTo(yTo + margin - colourBox.y0, colourBox.height));
    // Places are settled by the paths where they lie.
    const first = Math.max(0, Math.min(path.down - 2, Math.floor((yFrom - margin - path.y0) / NODE_PX) - 1)),
      last = Math.min(path.down, Math.max(first + 2, Math.ceil((yTo + margin - path.y0) / NODE_PX) + 2));
    const node = path.across * path.orders * NODE_FLOATS;
    return {
      colourBox: { ...colourBox, y0: colourBox.y0 + top, height: bottom - top },
      colour: colour.subarray(top * colourBox.width * 4, bottom * colourBox.width * 4),
      path: { ...path, y0: path.y0 + first * NODE_PX, down: last - first, nodes: path.nodes.subarray(first * node, last * node) },
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

/** The layers that can show in this box during the exposure, and the longest way any of them goes there. */
function layersAt(plan: BlurPlan, box: Box, shutter: Shutter): { layers: number[]; travelPx: number } {
  const tiles = tilesAcross(plan);
  const tile = (Math.floor(box.y0 / TILE_PX) * tiles.x + Math.floor(box.x0 / TILE_PX)) * 4;
  const opens = shutter.opens * shutter.strength,
    closes = shutter.closes * shutter.strength;
  const far = Math.max(Math.abs(opens), Math.abs(closes));
  const layers: number[] = [];
  let travelPx = 0,
    away = 0;
  plan.layers.forEach((layer, index) => {
    const { path } = layer;
    if (!overlaps(box, { x0: path.x0, y0: path.y0, width: (path.across - 1) * NODE_PX + 1, height: (path.down - 1) * NODE_PX + 1 }, 0))
      return;
    // How far it goes from where it is now, and on the way between the ends of the exposure.
    let reach = 0,
      travel = 0;
    for (let n = 1; n <= path.orders; n++) {
      const length = layer.tileTravel[tile + n - 1];
      reach += length * far ** n;
      travel += length * powerTravel(opens, closes, n);
    }
    if (!overlaps(box, layer.colourBox, reach + 2)) return;
    layers.push(index);
    travelPx = Math.max(travelPx, travel);
    away = Math.max(away, reach);
  });
  return { layers, travelPx: away < STILL_PX ? 0 : Math.max(travelPx, 2 * STILL_PX) };
}

/** The way of t^n between two times: there and back where it turns. */
function powerTravel(from: number, to: number, n: number): number {
  const a = from ** n,
    b = to ** n;
  return n % 2 === 0 && from * to < 0 ? a + b : Math.abs(b - a);
}

/** What goes less far than this is shown as it is. */
const STILL_PX = 1e-3;

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
