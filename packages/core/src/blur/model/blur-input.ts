import type { MotionField } from '../../raster/motion-field';
import type { PathChoice } from './blur-plan';

/** One frame's passes, all over the same display window. */
export interface BlurFramePasses {
  /** Premultiplied, interleaved. */
  readonly rgba: Float32Array;
  readonly motion: MotionField;
  /** Decoded: above 0, larger is farther, Infinity where nothing is; NaN at filtered edges (see `completeDepth`). */
  readonly depth: Float32Array | null;
  /** 0 means no object. The same number is the same object in every frame. */
  readonly ids: Float32Array | Uint32Array | null;
  /** What `knowFrame` worked out of these passes. */
  readonly known?: KnownFrame;
}

/** What a plan works out of each frame by itself: of a frame that several plans look at it is worked out once. */
export interface KnownFrame {
  /** Colours that are numbers, with a coverage in 0 to 1. */
  readonly rgba: Float32Array;
  /** Every pixel has one. */
  readonly depth: Float32Array | null;
  /** Pixels whose colour was no number, and whose alpha was beyond 0 or 1. */
  readonly broken: number;
  readonly covered: number;
  /** By pixel: 1 where the data passes say something about it. */
  readonly trusted: Uint8Array;
}

/** Steps of the blur that can be left out, to see what each is worth. All are on when nothing is said. */
export interface BlurSteps {
  /** Paths go on through the motion of the neighbouring frames, so that a change of pace is followed. */
  readonly chain: boolean;
  /** Gradients of the motion as whole affine transforms; off: as rotation and scale alone. */
  readonly shear: boolean;
  /** Pixels that two surfaces share are taken apart. */
  readonly edges: boolean;
  /** What shows through evenly transparent surfaces is taken off them and given to what lies behind. */
  readonly through: boolean;
}

export interface BlurInput extends BlurFramePasses {
  readonly width: number;
  readonly height: number;
  /** The frames before and after, null where there is none; they are looked at for what is hidden now, and for the change of pace. */
  readonly previous?: BlurFramePasses | null;
  readonly next?: BlurFramePasses | null;
  /** A picture without the things in front: what the farthest surface shows where it is hidden. Premultiplied, interleaved. */
  readonly background?: Float32Array | null;
  /**
   * The picture is a light pass: what it shows (mirrored, refracted) has edges that its surface has not, so it is planned without the depth, which
   * is the surface's.
   */
  readonly isLight?: boolean;
  /** "off": hidden parts are filled in from their surroundings alone. */
  readonly hidden?: 'auto' | 'off';
  readonly path: PathChoice;
  /** The largest |time| in frames (strength included) that will be asked for. */
  readonly reachFrames: number;
  readonly steps?: Partial<BlurSteps>;
}
