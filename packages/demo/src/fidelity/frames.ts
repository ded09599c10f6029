import { decodeDepth, emptyMotionField, PLAIN_DEPTH, type BlurFramePasses } from '@ivrex/core';
import type { Card } from '../card';
import { renderSharp, type FrameSize } from '../render-cards';
import type { FidelityScene } from './scenes';

/** Points a pixel of the sharp frames: about what a render in production has at its edges. */
const SHARP_SAMPLES = 16;

/** A scene's frame at `offset` frames from its own, as a renderer hands it over; ids count from 1. */
export function sceneFrame(
  { frame }: Pick<FidelityScene, 'frame'>,
  cards: readonly Card[],
  offset: number,
  size: FrameSize,
): BlurFramePasses & { readonly coverage: Float32Array[] } {
  const coverage = cards.map(() => new Float32Array(size.width * size.height));
  const passes = renderSharp(cards, frame + offset, size, SHARP_SAMPLES, cards.length <= 8 ? coverage : null);
  const motion = emptyMotionField(size.width, size.height, true);
  for (let i = 0; i < motion.valid.length; i++) {
    motion.toNext.set(passes.motion.subarray(i * 4, i * 4 + 2), i * 2);
    motion.toPrevious.set(passes.motion.subarray(i * 4 + 2, i * 4 + 4), i * 2);
    motion.valid[i] = passes.ids[i] === 0 ? 0 : 1;
  }
  return {
    rgba: passes.rgba,
    motion,
    depth: decodeDepth({ type: 'float', data: passes.depth, width: size.width }, PLAIN_DEPTH),
    ids: Float32Array.from(passes.ids),
    coverage,
  };
}
