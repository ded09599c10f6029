import type { Encoding } from '../encoding/encoding';
import type { Mend } from './mend';
import type { StoredPass } from './stored-pass';

/** A still or moved point that somebody knows for certain: pixels of the beauty's display window. */
export type MotionFact =
  | { readonly kind: 'still'; readonly x: number; readonly y: number }
  | { readonly kind: 'moved'; readonly x: number; readonly y: number; readonly toX: number; readonly toY: number };

export interface MotionFiles {
  /** The pass in the file of the beauty's number, and in those beside it. */
  readonly now: StoredPass;
  readonly next: StoredPass | null;
  readonly previous: StoredPass | null;
  readonly fps: number | null;
  readonly pixelAspect: number;
  readonly facts: readonly MotionFact[];
}

export const SYMPTOM_CODES = [
  'curveOnData',
  'centreOff',
  'clippedRange',
  'coarseSteps',
  'mirroredAxis',
  'swappedAxes',
  'frameOff',
  'otherAnimation',
  'otherSize',
  'multipliedByAlpha',
  'mixedEdges',
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

export interface Evidence {
  readonly from: 'pictures' | 'values' | 'facts';
  /** Points with texture, and those of them whose motion was found. */
  readonly points: number;
  readonly measured: number;
  /** Share of the measured points that the reading explains. */
  readonly explained: number;
  /** Mean difference of brightness (0 to 1, square root of light) at the points: as they are, and after warping by the reading. */
  readonly residual: { readonly before: number; readonly after: number } | null;
  readonly plots: readonly AxisPlot[];
  /** Other readings that were tried, and what was left of the picture's difference under them. */
  readonly alternatives: readonly { readonly reading: string; readonly residual: number }[];
}

export interface Identification {
  readonly encoding: Encoding;
  readonly confidence: number;
  readonly frameOffset: number;
  readonly symptoms: readonly Symptom[];
  readonly evidence: Evidence;
}
