import {
  neighboursToMix,
  type ApplySettings,
  type Grade,
  type Lens,
  type PathChoice,
  type SpeedLimits,
  type WantedNeighbours,
} from '@ivrex/core';
import type { FrameSources } from '../frames/pass-files';

/** Everything that one frame's blur reads and does. Plain data. */
export interface BlurFrame {
  readonly sources: FrameSources;
  /** The frames before and after as frames of their own, for blur that is mixed of both; null where there is none, or none is wanted. */
  readonly before?: FrameSources | null;
  readonly after?: FrameSources | null;
  /** "off": the blur of this frame alone. */
  readonly bothFrames: 'auto' | 'off';
  readonly path: PathChoice;
  /** "off": what is hidden is made up from its surroundings alone. */
  readonly hidden: 'auto' | 'off';
  readonly settings: ApplySettings;
  /** Vectors outside these speeds are shortened. */
  readonly limits?: SpeedLimits | null;
  /** What is done to the element before it moves. */
  readonly grade?: Grade | null;
  readonly lens?: Lens | null;
  /** Light passes of the same element, blurred apart and added. */
  readonly lights?: readonly BlurredLight[];
}

/** One light pass of an element. */
export interface BlurredLight {
  readonly name: string;
  /** So many times as bright, 0 to 1. */
  readonly opacity: number;
  readonly frame: Omit<BlurFrame, 'lights'>;
}

/** The neighbours whose files a frame's blur reads to mix theirs in. */
export function wantedNeighbours({
  bothFrames,
  settings: { shutter, quality },
  limits,
  path,
}: Pick<BlurFrame, 'bothFrames' | 'settings' | 'limits' | 'path'>): WantedNeighbours {
  return neighboursToMix({ bothFrames, quality, shutter, limits: limits ?? null, path });
}
