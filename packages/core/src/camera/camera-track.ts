import { IvrexError } from '../errors';
import type { Camera } from './camera';

/** Cameras by frame, as files and headers give them. */
export interface CameraTrack {
  readonly name: string;
  readonly frames: ReadonlyMap<number, Camera>;
}

/** `continued`: the track does not reach this frame, the motion of the frames beside it was carried on. */
export interface TrackedCamera {
  readonly camera: Camera;
  readonly continued: boolean;
}

/** A lone camera stands still. Gaps of more frames than this are not bridged. */
const LONGEST_GAP = 4;

/**
 * The camera of a frame. Between two known ones, and one frame beyond the ends, the matrices' entries follow the parabola through the
 * three nearest: a camera that moves evenly or speeds up evenly goes on as it did. @throws IvrexError missingFrame
 */
export function cameraAt({ frames, name }: CameraTrack, frame: number): TrackedCamera {
  const own = frames.get(frame);
  if (own !== undefined) return { camera: own, continued: false };
  const known = [...frames.keys()].sort((a, b) => Math.abs(a - frame) - Math.abs(b - frame) || a - b).slice(0, 3);
  if (frames.size === 1) return { camera: frames.get(known[0]) as Camera, continued: false };
  if (known.length === 0 || Math.abs(known[0] - frame) > LONGEST_GAP)
    throw new IvrexError('missingFrame', `the camera track ${name} says nothing about frame ${frame}`);
  const cameras = known.map((f) => frames.get(f) as Camera);
  const weights = known.map((f, i) => known.reduce((w, other, j) => (i === j ? w : (w * (frame - other)) / (f - other)), 1));
  const blend = (of: (camera: Camera) => ArrayLike<number>) =>
    Float64Array.from(of(cameras[0]), (_, k) => cameras.reduce((sum, camera, i) => sum + weights[i] * of(camera)[k], 0));
  const eyes = cameras.map((c) => c.eye);
  const eye = eyes.some((e) => e === null) ? null : blend((c) => c.eye as readonly number[]);
  const inside = known.some((f) => f < frame) && known.some((f) => f > frame);
  return {
    camera: {
      toScreen: blend((c) => c.toScreen),
      alongView: blend((c) => c.alongView),
      eye: eye === null ? null : [eye[0], eye[1], eye[2]],
    },
    continued: !inside,
  };
}
