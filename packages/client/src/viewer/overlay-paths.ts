import { keptShare, samplePath, type BlurPlan, type Shutter, type SpeedLimits } from '@ivrex/core';
import type { Placement } from './view-store';

export interface ShownPaths {
  readonly plan: BlurPlan;
  readonly shutter: Shutter;
  readonly limits: SpeedLimits;
  /** The whole picture; the plan may be a smaller one. */
  readonly width: number;
}

const SPACING_PX = 34,
  STEPS = 12;
/** Ways shorter than this on the screen are not drawn. */
const SHORTEST_PX = 1.5;
/** A small step in time, frames: its length is the speed. */
const MOMENT = 0.01;

/** The ways of points while the shutter is open, at true length; a dot marks where each is on the frame itself. */
export function drawPaths(context: CanvasRenderingContext2D, { zoom, x: left, y: top }: Placement, ratio: number, shown: ShownPaths): void {
  const { plan, shutter, limits } = shown;
  const scale = zoom * (shown.width / plan.width),
    factor = shown.width / plan.width;
  const step = Math.max(1, Math.round((SPACING_PX * ratio) / scale));
  const { canvas } = context,
    ways: Float64Array[] = [],
    dots: [number, number][] = [];
  for (let y = Math.floor(step / 2); y < plan.height; y += step) {
    for (let x = Math.floor(step / 2); x < plan.width; x += step) {
      const sx = left + (x + 0.5) * scale,
        sy = top + (y + 0.5) * scale;
      if (sx < 0 || sy < 0 || sx > canvas.width || sy > canvas.height) continue;
      const moment = samplePath(plan, x, y, [MOMENT]);
      if (moment === null) continue;
      const share = keptShare((Math.hypot(moment[0] - x, moment[1] - y) / MOMENT) * factor, limits) * shutter.strength;
      const times = Array.from({ length: STEPS + 1 }, (_, k) => share * (shutter.opens + (k / STEPS) * (shutter.closes - shutter.opens)));
      const way = samplePath(plan, x, y, times);
      if (way === null || Math.hypot(way[2 * STEPS] - way[0], way[2 * STEPS + 1] - way[1]) * scale < SHORTEST_PX * ratio) continue;
      ways.push(way.map((v, k) => (k % 2 === 0 ? left : top) + (v + 0.5) * scale));
      dots.push([sx, sy]);
    }
  }
  context.lineCap = context.lineJoin = 'round';
  for (const [width, colour] of [
    [3.4, 'rgb(0 0 0 / 70%)'],
    [1.5, '#ffffff'],
  ] as const) {
    context.lineWidth = width * ratio;
    context.strokeStyle = context.fillStyle = colour;
    context.beginPath();
    for (const way of ways) {
      context.moveTo(way[0], way[1]);
      for (let k = 2; k < way.length; k += 2) context.lineTo(way[k], way[k + 1]);
    }
    context.stroke();
    context.beginPath();
    for (const [x, y] of dots) {
      context.moveTo(x + width * ratio, y);
      context.arc(x, y, width * ratio * 0.85, 0, 2 * Math.PI);
    }
    context.fill();
  }
}
