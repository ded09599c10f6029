import { decodeDepth, emptyMotionField, PLAIN_DEPTH, type BlurFramePasses } from '@ivrex/core';
import { renderBlurred, renderSharp, type FrameSize, type SharpPasses } from '../render-cards';
import { exposeSolid, renderSolid, type SolidScene } from '../solid/render-solid';
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

/** A scene in one size: what a renderer hands over of it, and its true exposures. */
export interface Shoot {
  readonly size: FrameSize;
  /** The frame that is blurred is 0. */
  readonly frameAt: (offset: number) => BlurFramePasses;
  readonly expose: (shutters: readonly FidelityShutter[]) => readonly Float32Array[];
}

/** The fewest moments that a truth is made of. */
export const TRUTH_MOMENTS = 256;

/** Points a pixel of the sharp frames: about what a render in production has at its edges. */
const SHARP_SAMPLES = 16;

/** `samples` are points a pixel and moment of the truth. */
export function shootCards(scene: FidelityScene, size: FrameSize, samples: number): Shoot {
  const cards = scene.makeCards();
  return {
    size,
    frameAt: (offset) => asPasses(renderSharp(cards, scene.frame + offset, size, SHARP_SAMPLES), size),
    expose: (shutters) =>
      shutters.map(({ opens, closes }) => renderBlurred(cards, scene.frame, opens, closes, size, TRUTH_MOMENTS, samples)),
  };
}

/** `moments` a frame of time, four points a pixel each. */
export function shootSolid(scene: SolidScene, size: FrameSize, moments: number): Shoot {
  return {
    size,
    frameAt: (offset) => asPasses(renderSolid(scene, offset, size, SHARP_SAMPLES / 4), size),
    expose: (shutters) => exposeSolid(scene, 0, shutters, size, moments),
  };
}

/** What a renderer wrote, decoded; ids count from 1. */
function asPasses(passes: SharpPasses, { width, height }: FrameSize): BlurFramePasses {
  const motion = emptyMotionField(width, height, true);
  for (let i = 0; i < motion.valid.length; i++) {
    motion.toNext.set(passes.motion.subarray(i * 4, i * 4 + 2), i * 2);
    motion.toPrevious.set(passes.motion.subarray(i * 4 + 2, i * 4 + 4), i * 2);
    motion.valid[i] = passes.ids[i] === 0 ? 0 : 1;
  }
  return {
    rgba: passes.rgba,
    motion,
    depth: decodeDepth({ type: 'float', data: passes.depth, width }, PLAIN_DEPTH),
    ids: Float32Array.from(passes.ids),
  };
}
