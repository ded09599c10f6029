import { linearToSrgb } from './transfer';
import { applyCubeLut, type CubeLut } from './cube-lut';

/** Scene-linear to what a monitor shows. Pictures only: data passes never go through here. */
export const DISPLAY_TRANSFORMS = ['srgb', 'rec709', 'shoulder', 'linear'] as const;
export type DisplayTransform = (typeof DISPLAY_TRANSFORMS)[number];

export const DISPLAY_TRANSFORM_NAMES: Record<DisplayTransform, string> = {
  srgb: 'sRGB',
  rec709: 'Rec.709 camera curve',
  shoulder: 'Soft shoulder (highlights roll off)',
  linear: 'Linear (no curve)',
};

/** What the view does to a colour: a curve, or a table. `input` is the curve that a table expects to be applied before it. */
export type ViewTransform = DisplayTransform | { readonly lut: CubeLut; readonly input: 'linear' | 'srgb' };

/** From this linear value on, highlights roll off towards 1 instead of clipping. */
export const SHOULDER_START = 0.45,
  /** The scene value that reaches 1. */
  SHOULDER_WHITE = 8;

/**
 * Our own curve: the identity up to SHOULDER_START, then 1 - (1 - s) e^(-(v - s) / (1 - s)) scaled so that SHOULDER_WHITE gives 1. Slope 1 at
 * the join, so nothing kinks. The sRGB curve follows.
 */
export function softShoulder(v: number): number {
  if (v <= SHOULDER_START) return v;
  const room = 1 - SHOULDER_START;
  const roll = (x: number) => 1 - Math.exp(-x / room);
  return SHOULDER_START + (room * roll(v - SHOULDER_START)) / roll(SHOULDER_WHITE - SHOULDER_START);
}

function curveOf(transform: DisplayTransform): (v: number) => number {
  const clamp = (v: number) => Math.min(1, Math.max(0, v));
  switch (transform) {
    case 'srgb':
      return (v) => linearToSrgb(clamp(v));
    case 'rec709':
      return (v) => (v <= 0.018 ? Math.max(0, v) * 4.5 : clamp(1.099 * v ** 0.45 - 0.099));
    case 'shoulder':
      return (v) => linearToSrgb(clamp(softShoulder(Math.max(0, v))));
    case 'linear':
      return clamp;
  }
}

/** The view's colours, 0 to 1, of premultiplied scene-linear RGBA over black: 3 floats a pixel. */
export function viewColours(rgba: Float32Array, transform: ViewTransform): Float32Array {
  const out = new Float32Array((rgba.length / 4) * 3);
  if (typeof transform === 'string') {
    const curve = curveOf(transform);
    for (let i = 0, o = 0; i < rgba.length; i += 4, o += 3) for (let c = 0; c < 3; c++) out[o + c] = curve(rgba[i + c]);
    return out;
  }
  const before = transform.input === 'srgb' ? (v: number) => linearToSrgb(Math.max(0, v)) : (v: number) => v;
  for (let i = 0, o = 0; i < rgba.length; i += 4, o += 3)
    applyCubeLut(transform.lut, before(rgba[i]), before(rgba[i + 1]), before(rgba[i + 2]), out, o);
  return out;
}

export interface StillMatch {
  /** Mean and largest difference of display values, in 8-bit steps. */
  readonly meanSteps: number;
  readonly worstSteps: number;
  readonly worstAt: { readonly x: number; readonly y: number };
  /** Share of pixels within two 8-bit steps. */
  readonly withinShare: number;
}

/** "Does my view match this still?": both as display values, 3 floats a pixel. */
export function matchStill(view: Float32Array, still: Float32Array, width: number): StillMatch {
  let sum = 0,
    worst = -1,
    worstPixel = 0,
    within = 0;
  const count = view.length / 3;
  for (let p = 0; p < count; p++) {
    let most = 0;
    for (let c = 0; c < 3; c++) {
      const d = Math.abs(Math.min(1, Math.max(0, view[p * 3 + c])) - still[p * 3 + c]) * 255;
      sum += d / 3;
      most = Math.max(most, d);
    }
    if (most <= 2) within++;
    if (most > worst) [worst, worstPixel] = [most, p];
  }
  return {
    meanSteps: sum / count,
    worstSteps: worst,
    worstAt: { x: worstPixel % width, y: Math.floor(worstPixel / width) },
    withinShare: within / count,
  };
}
