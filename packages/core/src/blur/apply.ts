import type { Box, SliceSession } from '@ivrex/kernels/interface';
import { reachFrames, sliceTimes, type Shutter } from '../shutter/shutter';
import { TILE_PX, tilesAcross, type BlurPlan, type BlurQuality } from './blur-plan';

export interface ApplySettings {
  readonly shutter: Shutter;
  readonly quality: BlurQuality;
  /** Slices a pixel; "auto" takes as many as the longest streak of the tile needs. */
  readonly samples: 'auto' | number;
}

/** Travel a slice, in pixels: beyond 1.2 to 1.5 px copies begin to show (BLUR.md). A draft may show them faintly. */
const PIXELS_PER_SLICE: Record<BlurQuality, number> = { final: 1.2, draft: 3 };
const MAX_SLICES: Record<BlurQuality, number> = { final: 512, draft: 24 };

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
  let most = 0;
  out.fill(0, 0, (yTo - yFrom) * stride);
  for (let y = yFrom; y < yTo; y = (Math.floor(y / TILE_PX) + 1) * TILE_PX) {
    const height = Math.min((Math.floor(y / TILE_PX) + 1) * TILE_PX, yTo) - y;
    for (let x = 0; x < plan.width; x += TILE_PX) {
      const box = { x0: x, y0: y, width: Math.min(TILE_PX, plan.width - x), height };
      const { layers, travelPx } = layersAt(plan, box, settings.shutter);
      if (layers.length === 0) continue;
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
  clampAlpha(out, (yTo - yFrom) * plan.width);
  return most;
}

export function sliceCount(travelPx: number, settings: ApplySettings): number {
  if (settings.samples !== 'auto') return settings.quality === 'draft' ? Math.min(settings.samples, MAX_SLICES.draft) : settings.samples;
  return Math.min(MAX_SLICES[settings.quality], Math.max(1, Math.ceil(travelPx / PIXELS_PER_SLICE[settings.quality])));
}

/** The layers that can show in this box during the exposure, and the longest way any of them goes there. */
function layersAt(plan: BlurPlan, box: Box, shutter: Shutter): { layers: number[]; travelPx: number } {
  const tiles = tilesAcross(plan);
  const tile = (Math.floor(box.y0 / TILE_PX) * tiles.x + Math.floor(box.x0 / TILE_PX)) * 2;
  const opens = shutter.opens * shutter.strength,
    closes = shutter.closes * shutter.strength;
  const far = Math.max(Math.abs(opens), Math.abs(closes));
  const layers: number[] = [];
  let travelPx = 0;
  plan.layers.forEach((layer, index) => {
    if (!overlaps(box, layer.pathBox, 0)) return;
    const a = layer.tileTravel[tile],
      b = layer.tileTravel[tile + 1];
    if (!overlaps(box, layer.colourBox, a * far + b * far * far + 2)) return;
    layers.push(index);
    travelPx = Math.max(travelPx, a * Math.abs(closes - opens) + b * Math.abs(closes * Math.abs(closes) - opens * Math.abs(opens)));
  });
  return { layers, travelPx };
}

function overlaps(a: Box, b: Box, margin: number): boolean {
  return (
    a.x0 < b.x0 + b.width + margin && b.x0 < a.x0 + a.width + margin && a.y0 < b.y0 + b.height + margin && b.y0 < a.y0 + a.height + margin
  );
}

/** The cubic filter overshoots by a little at edges; coverage stays in 0..1. */
function clampAlpha(rgba: Float32Array, pixels: number): void {
  for (let i = 3; i < pixels * 4; i += 4) rgba[i] = rgba[i] < 0 ? 0 : rgba[i] > 1 ? 1 : rgba[i];
}
