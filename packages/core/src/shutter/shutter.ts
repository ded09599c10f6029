/** When light is gathered, in frames relative to the frame (CONTRACT: 180 degrees centred is -0.25 .. 0.25). */
export interface Shutter {
  readonly opens: number;
  readonly closes: number;
  /** 1 is physically right; the vectors' length is multiplied by it. */
  readonly strength: number;
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

/** Stratified midpoints of an even exposure. */
export function sliceTimes(shutter: Shutter, count: number): TimeSlices {
  const times = new Float32Array(count),
    weights = new Float32Array(count).fill(1 / count);
  for (let i = 0; i < count; i++) times[i] = shutter.strength * (shutter.opens + ((i + 0.5) / count) * (shutter.closes - shutter.opens));
  return { times, weights };
}

/** The largest |t| that the shutter asks a path for. */
export function reachFrames(shutter: Shutter): number {
  return Math.abs(shutter.strength) * Math.max(Math.abs(shutter.opens), Math.abs(shutter.closes));
}
