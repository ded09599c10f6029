import { sliceTimes, type Shutter } from '../../shutter/shutter';
import type { BlurPlan, Size } from './blur-plan';

/** The plan of a frame beside this one, and when that frame is: one frame before, or one after. */
export interface NeighbourPlan {
  readonly at: -1 | 1;
  readonly plan: BlurPlan;
}

/** How the blur of a frame and those of its neighbours make one picture under one shutter. Plain data. */
export interface FrameMix {
  /** Of the exposure, in order; together they are all of it. */
  readonly parts: readonly MixPart[];
  /** By part and block of BLOCK_PX x BLOCK_PX pixels, row by row: what the part's neighbour counts, 0 to 1; the frame itself counts the rest. */
  readonly shares: Float32Array;
  /**
   * Likewise: what the mix is likely to be off by, in scene-linear light, as either frame foresees the other; 0 where there is no neighbour. Null: nobody
   * asked.
   */
  readonly errors: Float32Array | null;
}

export interface MixPart {
  /** Shares of the time that the shutter is open, 0 to 1. */
  readonly from: number;
  readonly to: number;
  /** When the neighbour is whose blur may count in it; 0 for none. */
  readonly neighbour: -1 | 0 | 1;
}

/** Shares are smooth: one for a block of this side is enough (an eighth of the picture's side costs 0.1 to 0.3 dB). */
export const BLOCK_PX = 4;

/** Values by block, row by row. */
export interface BlockPlane {
  readonly across: number;
  readonly down: number;
  readonly values: Float32Array;
}

/** What a mix holds by part and block, averaged over the light of the whole exposure. @throws TypeError when errors were not asked for */
export function overExposure(plane: 'shares' | 'errors', { width, height }: Size, mix: FrameMix, shutter: Shutter): BlockPlane {
  const ofParts = mix[plane];
  if (ofParts === null) throw new TypeError('this mix was made without errors');
  const across = Math.ceil(width / BLOCK_PX),
    down = Math.ceil(height / BLOCK_PX),
    values = new Float32Array(across * down);
  mix.parts.forEach((part, n) => {
    const light = lightOf(part, shutter),
      from = n * values.length;
    for (let i = 0; i < values.length; i++) values[i] += light * ofParts[from + i];
  });
  return { across, down, values };
}

/** The share of the exposure's light that falls in one of its parts. */
export function lightOf({ from, to }: MixPart, shutter: Shutter): number {
  return sliceTimes(shutter, 1, from, to).weights[0];
}

/** A place in blocks: a block's centre is that of its pixels. */
export function toBlocks(px: number): number {
  return (px - (BLOCK_PX - 1) / 2) / BLOCK_PX;
}

/** A frame's plan with those that its blur is mixed with. Plain data. */
export interface MixedPlan {
  /** Its report says what was mixed in. */
  readonly plan: BlurPlan;
  readonly neighbours: readonly NeighbourPlan[];
  /** Null: this frame alone. */
  readonly mix: FrameMix | null;
}
