import type { Encoding } from '../encoding/encoding';
import type { BeautyNeighbours } from './beauty-pictures';
import type { Mend } from './mend';
import type { StoredPass } from './stored-pass';

/** A still or moved point that somebody knows for certain: pixels of the beauty's display window. */
export type MotionFact =
  | { readonly kind: 'still'; readonly x: number; readonly y: number }
  | { readonly kind: 'moved'; readonly x: number; readonly y: number; readonly toX: number; readonly toY: number };

/** One frame of a motion pass. */
export interface PassesOfFrame {
  /** The beauty's number; null for a lone file. */
  readonly frame: number | null;
  /** The pass in the file of the beauty's number, and in those beside it. */
  readonly now: StoredPass;
  readonly next: StoredPass | null;
  readonly previous: StoredPass | null;
}

/** One frame of a beauty and of its motion pass. */
export interface FrameToIdentify extends PassesOfFrame {
  readonly beauty: BeautyNeighbours;
}

export interface IdentifyContext {
  readonly fps: number | null;
  readonly pixelAspect: number;
  /** About the first frame. */
  readonly facts: readonly MotionFact[];
  /** Encodings that were saved for passes like this one: likelier than others, unless the pictures say otherwise. */
  readonly known?: readonly Encoding[];
}

export const SYMPTOM_CODES = [
  'curveOnData',
  'centreOff',
  'clippedRange',
  'coarseSteps',
  'mirroredAxis',
  'swappedAxes',
  'frameOff',
  'changesWithin',
  'otherAnimation',
  'otherSize',
  'multipliedByAlpha',
  'mixedEdges',
  'noisyVectors',
  'badPixels',
  'blackHoles',
  'blurredBeauty',
  'axisUnmeasured',
  'equalReadings',
  'notMeasured',
] as const;
export type SymptomCode = (typeof SYMPTOM_CODES)[number];

/** Something about the pass: `message` says what, `effect` what it does in the blur, `advice` what to do. */
export interface Symptom {
  readonly code: SymptomCode;
  /** Damage is never `info`. */
  readonly severity: 'info' | 'warning' | 'error';
  readonly message: string;
  readonly effect: string | null;
  readonly advice: string | null;
  /** Null: nothing can be done here, or nothing needs to be. */
  readonly mend: Mend | null;
  /** A pixel of the beauty where it is seen. */
  readonly at: { readonly x: number; readonly y: number } | null;
}

/** One axis of the evidence: what was measured against what is stored. */
export interface PlotPoint {
  readonly stored: number;
  /** Pixels per frame. */
  readonly measured: number;
  /** It lies where the reading says. */
  readonly fits: boolean;
  readonly x: number;
  readonly y: number;
}

export interface AxisPlot {
  readonly channel: string;
  readonly points: readonly PlotPoint[];
  /** The reading, drawn: stored value to pixels per frame. Empty for direction and length. */
  readonly line: readonly { readonly stored: number; readonly measured: number }[];
}

/** A reading that was weighed, with what belongs to it: others that decode to the same vectors count with it. */
export interface WeighedEncoding {
  readonly encoding: Encoding;
  /** Of the belief, 0 to 1. */
  readonly share: number;
  /** Of what the pictures change at points that can tell, 0 to 1. */
  readonly explained: number;
}

export interface Evidence {
  readonly from: 'pictures' | 'values' | 'facts';
  /** Frames that were looked at. */
  readonly frames: readonly number[];
  /** Points with texture that were looked at, and those of them whose motion was found. */
  readonly points: number;
  readonly measured: number;
  /** Share of what the pictures change that the reading explains, over standing still and over chance. */
  readonly explained: number;
  /** Mean difference at those points (0 to 1, square root of light): as the pictures are, and after warping by the reading. */
  readonly residual: { readonly before: number; readonly after: number } | null;
  readonly plots: readonly AxisPlot[];
  /** The likeliest readings, the chosen one first; each decodes to other vectors than those before it. */
  readonly readings: readonly WeighedEncoding[];
  /** The chosen one is among the encodings that were known, which counted in its favour. */
  readonly isKnown: boolean;
  /** What would tell the readings apart that remain, in sentences. */
  readonly wouldTell: readonly string[];
}

export interface Identification {
  readonly encoding: Encoding;
  readonly confidence: number;
  readonly frameOffset: number;
  readonly symptoms: readonly Symptom[];
  readonly evidence: Evidence;
}
