import type { BlurInput } from '../blur/model/blur-input';
import type { BlurPlan } from '../blur/model/blur-plan';
import type { FrameMix } from '../blur/model/frame-mix';
import type { Shutter } from '../shutter/shutter';

/** Why a place of the blurred picture may be off. */
export const TRUST_CAUSES = ['path', 'hidden', 'transparency', 'vectors', 'disagreement', 'depth', 'oneFrame'] as const;
export type TrustCause = (typeof TRUST_CAUSES)[number];

/** Bits of `TrustInput.doubtful`. */
export const VECTOR_MISSING = 1,
  VECTOR_CLIPPED = 2,
  VECTOR_REPAIRED = 4;

export interface TrustInput {
  /** What the plan was made of. */
  readonly passes: Omit<BlurInput, 'reachFrames'>;
  /** By pixel: vectors that are not as they were rendered; null when nothing is known. */
  readonly doubtful: Uint8Array | null;
}

export interface TrustMap {
  readonly width: number;
  readonly height: number;
  /** By cause and pixel of the blurred picture: how far off it is likely to be, in scene-linear colour. */
  readonly causes: Readonly<Record<TrustCause, Float32Array>>;
  /** All of them together. */
  readonly expected: Float32Array;
}

export interface TrustRequest {
  readonly plan: BlurPlan;
  readonly shutter: Shutter;
  /** How the neighbours' blur is mixed in; null: this frame's alone. */
  readonly mix: FrameMix | null;
  /** What the frame's own blur looks like, RGBA; a draft is enough. */
  readonly blurred: Float32Array;
  readonly input: TrustInput;
}
