import type { BlurPlan } from '../blur/model/blur-plan';
import type { ExposureShape } from '../shutter/exposure-shape';
import type { Shutter } from '../shutter/shutter';

/** One frame with a picture of it that was blurred in the render. */
export interface MatchFrame {
  readonly frame: number;
  /** Made for at least `MATCH_REACH` frames. */
  readonly plan: BlurPlan;
  /** Premultiplied RGBA, interleaved, of the plan's size. */
  readonly reference: Float32Array;
  /** Without one, only colours are compared. */
  readonly hasAlpha: boolean;
}

/** The longest exposure, in frames before and after, that is looked for. */
export const MATCH_REACH = 1.25;

/** What is known beforehand; null is to be found. */
export interface MatchLocks {
  readonly opens: number | null;
  readonly closes: number | null;
  /** 1 when nothing is said: strength and length of the exposure trade off exactly. */
  readonly strength: number | null;
  readonly shape: ExposureShape | null;
}

/** "auto" takes a grade when it explains a good part of the difference. */
export type GradeFit = 'none' | 'gain' | 'gainOffset' | 'auto';

/** Reference colour = gain x ours + offset x our alpha, for red, green and blue. */
export interface ReferenceGrade {
  readonly gain: readonly [number, number, number];
  readonly offset: readonly [number, number, number];
}

/** What the reference can't tell. */
export type Undetermined = 'opens' | 'closes' | 'strength' | 'direction' | 'everything';

export interface ShutterMatch extends Shutter {
  readonly shape: ExposureShape;
  /** Standard errors, from how far parts of the picture disagree; null where the value was given. */
  readonly opensError: number | null;
  readonly closesError: number | null;
  readonly strengthError: number | null;
  readonly angleErrorDeg: number;
  readonly undetermined: readonly Undetermined[];
  /** Sentences about what is not determined or looks odd. */
  readonly notes: readonly string[];
  readonly grade: ReferenceGrade | null;
  /** Root mean square of what is left, over the points that were looked at. */
  readonly residual: number;
  /** The same without any blur. */
  readonly sharpResidual: number;
  /** 0..1: how far the match can be built on. */
  readonly confidence: number;
  /** The error by shutter angle, each with the phase that suits it best. */
  readonly curve: readonly { readonly angleDeg: number; readonly residual: number }[];
  /** By frame: what is left there. */
  readonly frames: readonly { readonly frame: number; readonly residual: number }[];
}
