import type { DepthEncoding, ElementShape, Encoding, MatteChoice, PictureReading, RepairStep } from '@ivrex/core';
import type { LayerChoice } from '../formats/layers';

/** One layer of one file on disk. */
export interface PassFile extends LayerChoice {
  readonly file: string;
}

/** A picture with how it is to be read; null: as its kind of file usually is. */
export interface PictureFile extends PassFile {
  readonly reading?: PictureReading | null;
  /** The pass whose alpha stands in for the picture's own. */
  readonly alphaFrom?: PassFile | null;
  /** Light passes of the same render that are taken out of it. */
  readonly without?: readonly PictureFile[];
  /** Of a light pass: the picture of its surface, whose alpha it has. */
  readonly coverFrom?: PictureFile;
}

/** The pass that says what of a picture belongs to an element. */
export interface MatteFile extends PassFile {
  readonly choice: MatteChoice;
}

/** A depth pass with how it is stored; null: measured from the frame that asks for it. */
export interface DepthFile extends PassFile {
  readonly encoding?: DepthEncoding | null;
}

/** An id pass with its channel; null: found by name, else by what varies. */
export interface IdsFile extends PassFile {
  readonly channel?: string | null;
}

/** The passes of one frame. */
export interface FrameFiles {
  readonly beauty: PictureFile;
  readonly matte?: MatteFile | null;
  readonly motion: PassFile;
  readonly depth: DepthFile | null;
  readonly ids: IdsFile | null;
}

/** Everything that one frame of the blur reads. Plain data. */
export interface FrameSources extends FrameFiles {
  /** The frames before and after, where they are. */
  readonly previous?: FrameFiles | null;
  readonly next?: FrameFiles | null;
  /** A picture without the things in front. */
  readonly background?: PictureFile | null;
  readonly encoding: Encoding;
  readonly repairs?: readonly RepairStep[];
  /** How the element is made of its pictures; without it as they are. */
  readonly shape?: ElementShape;
  /** For encodings in seconds, when the motion pass's header does not say. */
  readonly fps: number | null;
}
