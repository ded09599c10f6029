import type { ShutterPlan, SpeedHistogram } from '@ivrex/core';

export type SpeedLimit = 'floorPx' | 'ceilingPx';

/** The shutter with another limit, pixels a frame; 0 and null are off. The floor stays below the ceiling. */
export function withLimit(shutter: ShutterPlan, limit: SpeedLimit, value: number | null): ShutterPlan {
  const { floorPx, ceilingPx } = shutter;
  const v = value === null || value <= 0 ? null : Number(value.toPrecision(3));
  if (limit === 'floorPx') return { ...shutter, floorPx: v !== null && ceilingPx !== null ? Math.min(v, ceilingPx) : v };
  return { ...shutter, ceilingPx: v !== null && floorPx !== null ? Math.max(v, floorPx) : v };
}

/** The speed at a place along the scale, 0 at its slow end and 1 at its fast one; each step along it is a factor. */
export function speedAlong({ edges }: SpeedHistogram, along: number): number {
  return edges[0] * (edges[edges.length - 1] / edges[0]) ** along;
}

/** What a limit dragged to a speed is: at the end of the scale it is off. */
export function limitAt(limit: SpeedLimit, speed: number, { edges }: SpeedHistogram): number | null {
  const first = edges[0],
    last = edges[edges.length - 1];
  return (limit === 'floorPx' && speed <= first * 1.05) || (limit === 'ceilingPx' && speed >= last / 1.02) ? null : speed;
}

/** How much of what moves has a speed in this range, 0 to 1. */
export function shareBetween({ edges, counts }: SpeedHistogram, from: number, to: number): number {
  let inside = 0,
    all = 0;
  counts.forEach((count, k) => {
    all += count;
    const middle = Math.sqrt(edges[k] * edges[k + 1]);
    if (middle >= from && middle < to) inside += count;
  });
  return all === 0 ? 0 : inside / all;
}
