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

/** The map of a sum: of a picture and of one that is added to it so many times as bright. Errors of two blurs are taken as independent. */
export function addTrust(map: TrustMap, added: TrustMap, factor: number): void {
  const both = (a: Float32Array, b: Float32Array) => {
    for (let i = 0; i < a.length; i++) a[i] = Math.hypot(a[i], factor * b[i]);
  };
  both(map.expected, added.expected);
  for (const cause of TRUST_CAUSES) both(map.causes[cause], added.causes[cause]);
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
