import { exposureWithin, type ExposureShape } from './exposure-shape';

/** When light is gathered, in frames relative to the frame (180 degrees centred is -0.25 .. 0.25). */
export interface Shutter {
  readonly opens: number;
  readonly closes: number;
  /** 1 is physically right; the vectors' length is multiplied by it. */
  readonly strength: number;
  /** Even when it is missing. */
  readonly shape?: ExposureShape | undefined;
}

export type ShutterAlign = 'centre' | 'open' | 'close';

export function shutterAngleDeg(shutter: Pick<Shutter, 'opens' | 'closes'>): number {
  return (shutter.closes - shutter.opens) * 360;
}

/** "open": opens on the frame. "close": closes on it. "centre": half before, half after. */
export function shutterFromAngle(angleDeg: number, align: ShutterAlign, strength = 1): Shutter {
  const frames = angleDeg / 360;
  const opens = align === 'centre' ? -frames / 2 : align === 'open' ? 0 : -frames;
  return { opens, closes: opens + frames, strength };
}

export interface TimeSlices {
  /** Frames, already multiplied by the strength. */
  readonly times: Float32Array;
  readonly weights: Float32Array;
}

/**
 * Stratified midpoints, each with the light of its part of the exposure; the weights of a whole exposure add up to 1.
 * @param from,to the part of the time that the shutter is open, 0..1
 */
export function sliceTimes({ opens, closes, strength, shape }: Shutter, count: number, from = 0, to = 1): TimeSlices {
  const times = new Float32Array(count),
    weights = new Float32Array(count),
    at = (i: number) => from + (i / count) * (to - from);
  for (let i = 0; i < count; i++) {
    times[i] = strength * (opens + at(i + 0.5) * (closes - opens));
    weights[i] = shape === undefined || shape.kind === 'even' ? (to - from) / count : exposureWithin(shape, at(i), at(i + 1));
  }
  return { times, weights };
}

/** The largest |t| that the shutter asks a path for. */
export function reachFrames(shutter: Pick<Shutter, 'opens' | 'closes' | 'strength'>): number {
  return Math.abs(shutter.strength) * Math.max(Math.abs(shutter.opens), Math.abs(shutter.closes));
}

const REACHES = [0.5, 1, 2, 4, 8, 16, 40];

/** The reach that a shutter's plan is made for, a step of few: dragging it seldom needs a new plan, and page and server make the same one. */
export function planReach(shutter: Pick<Shutter, 'opens' | 'closes' | 'strength'>): number {
  const reach = reachFrames(shutter);
  return REACHES.find((r) => r >= reach - 1e-9) ?? reach;
}
