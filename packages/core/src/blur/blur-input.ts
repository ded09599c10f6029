import type { MotionField } from '../motion/motion-field';
import type { PathChoice } from './blur-plan';

/** One frame's passes, all over the same display window. */
export interface BlurInput {
  readonly width: number;
  readonly height: number;
  /** Premultiplied, interleaved. */
  readonly rgba: Float32Array;
  readonly motion: MotionField;
  /** Larger is farther. */
  readonly depth: Float32Array | null;
  /** 0 means no object. */
  readonly ids: Float32Array | Uint32Array | null;
  readonly path: PathChoice;
  /** The largest |time| in frames (strength included) that will be asked for. */
  readonly reachFrames: number;
}
