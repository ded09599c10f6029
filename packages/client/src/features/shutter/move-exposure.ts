import type { ShutterPlan } from '@ivrex/core';

export type ExposurePart = 'opens' | 'closes' | 'both';

/** Times are kept at hundredths of a frame, and within a frame of the frame itself. */
const SNAP = 0.01;

function snap(t: number): number {
  return Math.round(Math.min(1, Math.max(-1, t)) / SNAP) * SNAP;
}

/** The exposure with an edge, or all of it, moved by a time in frames. An edge stops at the other one, the whole at the ends of the interval. */
export function movedExposure(part: ExposurePart, base: ShutterPlan, by: number): ShutterPlan {
  if (part === 'both') {
    const shift = Math.min(1 - base.closes, Math.max(-1 - base.opens, by));
    return { ...base, opens: snap(base.opens + shift), closes: snap(base.closes + shift) };
  }
  return part === 'opens'
    ? { ...base, opens: Math.min(snap(base.opens + by), base.closes) }
    : { ...base, closes: Math.max(snap(base.closes + by), base.opens) };
}
