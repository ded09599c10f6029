import { HIDDEN_MADE_UP, HIDDEN_SEEN, PIXELS_PER_SLICE, sampleBilinear, toBlocks, type BlurPlan, type Shutter } from '@ivrex/core';
import type { BlurPreview } from '../workers/blur-preview';
import { objectColour, type ShownPixels } from './data-picture';
import type { Look, ViewState } from './view-store';

/** Looks that show what the blur of this frame is made from. */
export const PLAN_LOOKS = ['layers', 'bends', 'hidden', 'slices', 'frames'] as const;
export type PlanLook = (typeof PLAN_LOOKS)[number];

export const PLAN_LOOK_NAMES: Record<PlanLook, string> = {
  layers: 'Layers',
  bends: 'Bends',
  hidden: 'Hidden',
  slices: 'Slices',
  frames: 'Frames',
};

export function isPlanLook(look: Look): look is PlanLook {
  return (PLAN_LOOKS as readonly Look[]).includes(look);
}

export async function showPlan(
  look: PlanLook,
  plan: BlurPlan,
  shutter: Shutter,
  samples: 'auto' | number,
  preview: BlurPreview,
  blurred: ViewState['blurred'],
): Promise<ShownPixels> {
  switch (look) {
    case 'layers':
      return showLayers(plan);
    case 'hidden':
      return showHidden(plan);
    case 'frames':
      return showFrames(plan, blurred);
    case 'bends': {
      const bends = await preview.figure(plan, shutter, 'bends');
      const most = largest(bends);
      return heat(plan, bends, most, `how far paths leave the straight line: up to ${most.toFixed(most < 10 ? 2 : 1)} px`);
    }
    case 'slices': {
      const lengths = await preview.figure(plan, shutter, 'lengths');
      const most = largest(lengths);
      if (samples === 'auto') {
        const needed = lengths.map((px) => Math.ceil(px / PIXELS_PER_SLICE.final));
        return heat(plan, needed, largest(needed), `slices that the travel needs: up to ${largest(needed)}`);
      }
      const each = lengths.map((px) => px / samples);
      return heat(
        plan,
        each,
        Math.max(2 * PIXELS_PER_SLICE.final, most / samples),
        `${samples} slices: up to ${(most / samples).toFixed(2)} px each; above ${PIXELS_PER_SLICE.final} px copies may show`,
        PIXELS_PER_SLICE.final,
      );
    }
  }
}

function showLayers({ width, height, layerOf, layers }: BlurPlan): ShownPixels {
  const colours = Array.from({ length: layers.length + 1 }, (_, k) => (k === 0 ? ([0.07, 0.07, 0.07] as const) : objectColour(k * 7)));
  const rgba = new Float32Array(width * height * 4);
  for (let i = 0; i < layerOf.length; i++) put(rgba, i, colours[layerOf[i]]);
  return { width, height, rgba, note: layers.length === 1 ? 'one layer' : `${layers.length} layers, a colour each` };
}

/** How much of each place comes from the frames before and after. */
function showFrames(plan: BlurPlan, blurred: ViewState['blurred']): ShownPixels {
  const { width, height } = plan,
    none = (note: string) => heat(plan, new Float32Array(width * height), 0, note);
  if (blurred?.quality !== 'final' || blurred.isOld === true)
    return none('the exact picture is on its way: drafts are of this frame alone');
  const { neighbourShares: shares, report } = blurred;
  if (shares === null) return none('this frame alone');
  const values = new Float32Array(width * height);
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) values[i] = sampleBilinear(shares.values, shares.across, shares.down, toBlocks(x), toBlocks(y));
  const most = largest(values);
  return heat(
    plan,
    values,
    most,
    `from the frame ${report.mixed.join(' and the frame ')}: ${percent(report.mixedShare)} in all, up to ${percent(most)} where it is bright`,
  );
}

function percent(share: number): string {
  return `${Math.round(100 * share)} %`;
}

const FOUND = [0.16, 0.52, 0.56] as const,
  MADE_UP = [0.86, 0.56, 0.2] as const,
  NOTHING_HIDDEN = [0.13, 0.13, 0.13] as const,
  EMPTY = [0.05, 0.05, 0.05] as const;

function showHidden({ width, height, hidden, layerOf }: BlurPlan): ShownPixels {
  const rgba = new Float32Array(width * height * 4);
  let found = 0,
    madeUp = 0;
  for (let i = 0; i < hidden.length; i++) {
    if ((hidden[i] & HIDDEN_MADE_UP) !== 0) {
      madeUp++;
      put(rgba, i, MADE_UP);
    } else if ((hidden[i] & HIDDEN_SEEN) !== 0) {
      found++;
      put(rgba, i, FOUND);
    } else put(rgba, i, layerOf[i] === 0 ? EMPTY : NOTHING_HIDDEN);
  }
  const share = (n: number) => `${((100 * n) / hidden.length).toFixed(1)} %`;
  return {
    width,
    height,
    rgba,
    note:
      found + madeUp === 0
        ? 'nothing hidden lies behind anything here'
        : `what lies behind: ${share(found)} of the picture found elsewhere (blue-green), ${share(madeUp)} made up (amber)`,
  };
}

/** Dark is nothing, bright is `most`; above `limit` the colour turns to amber. */
function heat({ width, height, layerOf }: BlurPlan, values: Float32Array, most: number, note: string, limit = Infinity): ShownPixels {
  const rgba = new Float32Array(width * height * 4);
  for (let i = 0; i < values.length; i++) {
    const t = most > 0 ? Math.sqrt(Math.min(1, values[i] / most)) : 0;
    if (layerOf[i] === 0) put(rgba, i, EMPTY);
    else if (values[i] > limit) put(rgba, i, [0.55 + 0.45 * t, 0.35 + 0.3 * t, 0.12]);
    else put(rgba, i, [0.1 + 0.75 * t * t, 0.1 + 0.8 * t, 0.12 + 0.6 * Math.sqrt(t)]);
  }
  return { width, height, rgba, note };
}

function put(rgba: Float32Array, i: number, [r, g, b]: readonly [number, number, number]): void {
  rgba[i * 4] = r;
  rgba[i * 4 + 1] = g;
  rgba[i * 4 + 2] = b;
  rgba[i * 4 + 3] = 1;
}

function largest(values: Float32Array): number {
  let most = 0;
  for (const v of values) if (v > most) most = v;
  return most;
}
