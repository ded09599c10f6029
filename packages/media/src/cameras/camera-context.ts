import type { PictureSize } from '@ivrex/core';

/** What a camera file needs to know about the shot. */
export interface CameraContext extends PictureSize {
  /** For files that count in seconds. Null: nobody knows. */
  readonly fps: number | null;
  /** The frame that such files mean by second 0. */
  readonly startFrame: number;
}
