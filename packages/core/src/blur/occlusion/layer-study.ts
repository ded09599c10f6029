import type { Box } from '@ivrex/kernels/interface';
import type { Sides } from '../model/box';
import type { SurfacePath } from '../paths/path-study';
import type { PathStudy } from '../paths/path-study';
import type { FoundSurfaces } from '../surfaces/find-surfaces';
import type { FrameLook } from './frame-look';
import type { Transparency } from './transparency';

/** All that one surface's own picture is made from. */
export interface LayerStudy extends FoundSurfaces {
  readonly paths: PathStudy;
  /** By surface: 0 is nearest. */
  readonly rank: Int32Array;
  /** By object id: the rank of its farthest surface. */
  readonly rankOfId: ReadonlyMap<number, number>;
  readonly reachFrames: number;
  /** The longest vector of the whole picture, pixels per frame. */
  readonly longestPx: number;
  /** By surface: how far outside the picture it is now, of what neighbouring frames show of its object. */
  readonly entering: ReadonlyMap<number, Sides>;
  /** Frames in which hidden places are looked for. */
  readonly looks: readonly FrameLook[];
  /** What shows through transparent surfaces; null when there are none. */
  readonly through: Transparency | null;
  /** Surfaces that the clean background shows. */
  readonly inBackground: Uint8Array;
}

/** One surface's own picture: what it shows, also where nearer ones hide it and beyond the picture's border. */
export interface LayerPicture {
  readonly surface: number;
  readonly box: Box;
  readonly colour: Float32Array;
  /** A pixel of `box`: UNKNOWN (made up), OWN, SEEN (in a neighbouring frame or the clean background), ABSENT. */
  readonly state: Uint8Array;
  /** By pixel of the picture: the surface's colour where it shares a pixel with a nearer one, if it was seen. */
  readonly shared: ReadonlyMap<number, readonly number[]>;
  readonly path: SurfacePath;
}

/** A picture whose pixels are still to come. */
export type UnfilledPicture = Omit<LayerPicture, 'shared'>;

/** Of a surface so much is looked for behind nearer ones, however small it is. */
export const LEAST_HIDDEN_PX = 4;
