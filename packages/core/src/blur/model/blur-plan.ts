import type { SliceLayer, SliceSession } from '@ivrex/kernels/interface';

/** How a point travels during the exposure. "auto" takes arcs. */
export type PathChoice = 'auto' | 'straight' | 'bent' | 'arc';
export type BlurQuality = 'draft' | 'final';

/** One frame, ready to be blurred under any shutter that `reachFrames` covers. Plain data: it crosses workers as it is. */
export interface BlurPlan {
  readonly width: number;
  readonly height: number;
  /** The picture itself: what is shown where nothing moves. Premultiplied, interleaved. */
  readonly sharp: Float32Array;
  /** Nearest first. */
  readonly layers: readonly PlannedLayer[];
  /** By pixel: which layer is seen there, counted from 1; 0 where the picture is empty. */
  readonly layerOf: Uint16Array;
  /** By pixel: where what is hidden there comes from (`HIDDEN_SEEN`, `HIDDEN_MADE_UP`). */
  readonly hidden: Uint8Array;
  readonly path: 'arc' | 'line';
  /** The largest |time| (in frames, strength included) that the layers' boxes allow for. */
  readonly reachFrames: number;
  readonly report: PlanReport;
}

export interface PlannedLayer extends SliceLayer {
  /** Longest vector of the path in each tile of the picture, row by row, for each of four powers of the time; pixels. */
  readonly tileTravel: Float32Array;
  /** By pixel of colourBox: how it is known (`UNKNOWN`, `OWN`, `SEEN`, `ABSENT` of hidden.ts). */
  readonly origins: Uint8Array;
}

/** Opens a renderer of these layers; it is closed before those that were opened earlier. */
export type OpenSlices = (layers: readonly SliceLayer[]) => SliceSession;

/** What was used, for the artist. */
export interface PlanReport {
  readonly pathModel: 'straight' | 'bent' | 'arc';
  /** Some surface's speed changes within the frame, and its path follows that. */
  readonly changesPace: boolean;
  readonly layersFrom: 'ids' | 'depth and motion' | 'motion' | 'one layer';
  readonly orderFrom: 'depth' | 'neighbours' | 'speed' | 'one layer';
  readonly layerCount: number;
  /** Neighbouring frames that were looked at. */
  readonly neighbours: readonly ('before' | 'after')[];
  /** Neighbours whose blur is mixed into this frame's, and the share of the picture that comes from them. */
  readonly mixed: readonly ('before' | 'after')[];
  readonly mixedShare: number;
  /** Share of the covered pixels behind which a farther surface was found in a neighbouring frame or the clean background. */
  readonly seenShare: number;
  /** The same, made up from the surroundings. */
  readonly inpaintedShare: number;
  /** Pixels shared by two surfaces that were taken apart. */
  readonly separatedPixels: number;
  /** Sentences: what is wrong with the passes or with the result. */
  readonly warnings: readonly string[];
  /** Sentences: what was missing and what that costs. */
  readonly notes: readonly string[];
}

/** Bits of `BlurPlan.hidden`: what a nearer surface hides there now was seen elsewhere, or is made up from its surroundings. */
export const HIDDEN_MADE_UP = 1,
  HIDDEN_SEEN = 2;

export const TILE_PX = 32;

export interface Size {
  readonly width: number;
  readonly height: number;
}

export function tilesAcross(size: Size): { readonly x: number; readonly y: number } {
  return { x: Math.ceil(size.width / TILE_PX), y: Math.ceil(size.height / TILE_PX) };
}
