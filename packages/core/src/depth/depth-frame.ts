import type { SampleType } from '../raster/image';
import type { MotionField } from '../raster/motion-field';

/** A channel of a depth pass as it is stored. */
export interface DepthChannel {
  readonly name: string;
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
}

/** One frame of what a depth pass is judged by; all planes of one size. */
export interface DepthFrame {
  readonly width: number;
  readonly height: number;
  readonly channels: readonly DepthChannel[];
  /** The beauty's coverage; null when it has none. */
  readonly alpha: Float32Array | null;
  /** Decoded; null while nobody knows how motion is stored. */
  readonly motion: MotionField | null;
}

/** A frame's chosen channel with what surrounds it. */
export interface DepthPlane extends Omit<DepthFrame, 'channels'> {
  readonly stored: DepthChannel;
}

/** Pixels that are looked at, in all. */
export const LOOKED_AT = 40_000;

/** An odd step through a frame that meets about as many pixels. */
export function strideOf({ width, height }: { readonly width: number; readonly height: number }): number {
  return Math.max(1, Math.floor((width * height) / LOOKED_AT)) | 1;
}
