import {
  comparePictures,
  prepareBlur,
  renderRows,
  type BlurFramePasses,
  type BlurInput,
  type BlurPlan,
  type BlurQuality,
  type Comparison,
} from '@ivrex/core';
import type { Kernels } from '@ivrex/kernels';
import type { Card } from '../card';
import { renderBlurred, type FrameSize } from '../render-cards';
import { sceneFrame } from './frames';
import type { FidelityScene } from './scenes';

export interface FidelityShutter {
  readonly name: string;
  readonly opens: number;
  readonly closes: number;
}

export const FIDELITY_SHUTTERS: readonly FidelityShutter[] = [
  { name: '180 centred', opens: -0.25, closes: 0.25 },
  { name: '180 from the frame', opens: 0, closes: 0.5 },
  { name: '360 centred', opens: -0.5, closes: 0.5 },
  { name: '360 from the frame', opens: 0, closes: 1 },
];

/** The fewest moments that a truth is made of. */
export const TRUTH_MOMENTS = 256;

export interface SceneFrames {
  readonly size: FrameSize;
  readonly previous: BlurFramePasses;
  readonly now: BlurFramePasses;
  readonly next: BlurFramePasses;
}

export function sceneFrames(scene: FidelityScene, cards: readonly Card[], size: FrameSize): SceneFrames {
  const [previous, now, next] = [-1, 0, 1].map((offset) => sceneFrame(scene, cards, offset, size));
  return { size, previous, now, next };
}

/** The true blur: TRUTH_MOMENTS pictures of `samples` points a pixel. */
export function sceneTruth(
  scene: FidelityScene,
  cards: readonly Card[],
  shutter: FidelityShutter,
  size: FrameSize,
  samples: number,
): Float32Array {
  return renderBlurred(cards, scene.frame, shutter.opens, shutter.closes, size, TRUTH_MOMENTS, samples);
}

export interface PostBlur {
  readonly rgba: Float32Array;
  readonly plan: BlurPlan;
  readonly slices: number;
}

export function postBlur(
  kernels: Kernels,
  { size, previous, now, next }: SceneFrames,
  shutter: FidelityShutter,
  quality: BlurQuality,
  more: Partial<BlurInput> = {},
): PostBlur {
  const { width, height } = size;
  const plan = prepareBlur({ width, height, ...now, previous, next, path: 'auto', reachFrames: 1, ...more });
  const rgba = new Float32Array(width * height * 4),
    session = kernels.openSlices(plan.layers);
  try {
    const slices = renderRows(
      plan,
      session,
      { shutter: { opens: shutter.opens, closes: shutter.closes, strength: 1 }, quality, samples: 'auto' },
      0,
      height,
      rgba,
    );
    return { rgba, plan, slices };
  } finally {
    session.close();
  }
}

export function againstTruth(rgba: Float32Array, truth: Float32Array, { size, now }: SceneFrames): Comparison {
  return comparePictures(rgba, truth, size.width, size.height, now.rgba);
}
