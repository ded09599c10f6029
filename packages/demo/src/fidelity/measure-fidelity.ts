import {
  comparePictures,
  mixFrames,
  neighboursToMix,
  prepareBlur,
  renderMixedRows,
  type BlurFramePasses,
  type BlurInput,
  type BlurPlan,
  type BlurQuality,
  type Comparison,
  type MixedPlan,
} from '@ivrex/core';
import type { Kernels, SliceLayer } from '@ivrex/kernels';
import type { FrameSize } from '../render-cards';
import type { FidelityShutter, Shoot } from './frames';

/** A shot as an artist has it. */
export interface SceneFrames {
  readonly size: FrameSize;
  /** By their distance from the frame that is blurred. */
  readonly frames: ReadonlyMap<number, BlurFramePasses>;
}

/** The frames that a blur can use. */
export const AROUND = [-2, -1, 0, 1, 2] as const;

export function sceneFrames(shoot: Shoot, offsets: readonly number[] = AROUND): SceneFrames {
  return { size: shoot.size, frames: new Map(offsets.map((offset) => [offset, shoot.frameAt(offset)])) };
}

export function eachFrame({ size, frames }: SceneFrames, change: (passes: BlurFramePasses) => BlurFramePasses): SceneFrames {
  return { size, frames: new Map([...frames].map(([offset, passes]) => [offset, change(passes)])) };
}

export function onlyFrames({ size, frames }: SceneFrames, offsets: readonly number[]): SceneFrames {
  return { size, frames: new Map([...frames].filter(([offset]) => offsets.includes(offset))) };
}

export function frameNow({ frames }: SceneFrames): BlurFramePasses {
  const now = frames.get(0);
  if (now === undefined) throw new Error('The frame that is blurred is not among the frames.');
  return now;
}

/** Plans of a shot's frames, each made when it is first needed; null where a frame is missing. They reach one frame far. */
export type Plans = (offset: number) => BlurPlan | null;

export function plansOf({ size, frames }: SceneFrames, more: Partial<BlurInput> = {}): Plans {
  const made = new Map<number, BlurPlan>();
  return (offset) => {
    const own = frames.get(offset);
    if (own === undefined) return null;
    let plan = made.get(offset);
    if (plan === undefined) {
      const previous = frames.get(offset - 1) ?? null,
        next = frames.get(offset + 1) ?? null;
      plan = prepareBlur({ ...size, ...own, previous, next, path: 'auto', reachFrames: 1, ...more });
      made.set(offset, plan);
    }
    return plan;
  };
}

export interface PostBlur {
  readonly rgba: Float32Array;
  readonly mixed: MixedPlan;
  readonly slices: number;
}

/** The product's blur. */
export function postBlur(
  kernels: Kernels,
  plans: Plans,
  { opens, closes }: FidelityShutter,
  quality: BlurQuality,
  { bothFrames = 'auto', withErrors = false }: { readonly bothFrames?: 'auto' | 'off'; readonly withErrors?: boolean } = {},
): PostBlur {
  const plan = plans(0);
  if (plan === null) throw new Error('The frame that is blurred is not among the frames.');
  const shutter = { opens, closes, strength: 1 },
    open = (layers: readonly SliceLayer[]) => kernels.openSlices(layers),
    wanted = neighboursToMix({ bothFrames, quality, shutter, limits: null, path: 'auto' });
  const there = wanted.at.flatMap((at) => {
    const neighbour = plans(at);
    return neighbour === null ? [] : [{ at, plan: neighbour }];
  });
  const mixed = mixFrames(plan, wanted, there, shutter, open, withErrors),
    rgba = new Float32Array(plan.width * plan.height * 4);
  return { rgba, mixed, slices: renderMixedRows(mixed, { shutter, quality, samples: 'auto' }, 0, plan.height, rgba, open) };
}

export function againstTruth(rgba: Float32Array, truth: Float32Array, frames: SceneFrames): Comparison {
  return comparePictures(rgba, truth, frames.size.width, frames.size.height, frameNow(frames).rgba);
}
