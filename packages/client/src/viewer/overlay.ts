import { halfToNumber } from '@ivrex/core';
import type { MotionField } from '@ivrex/core';
import type { Raster } from '@ivrex/contract';
import { drawPaths, type ShownPaths } from './overlay-paths';
import type { Placement, Point } from './view-store';

export interface OverlayState {
  readonly placement: Placement;
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
  readonly field: MotionField | null;
  readonly needles: boolean;
  readonly paths: ShownPaths | null;
  readonly wipe: number | null;
  readonly pins: readonly Point[];
  readonly raster: Raster | null;
}

const NEEDLE_SPACING_PX = 26;
/** From here on each pixel is large enough to print its values in. */
const VALUES_FROM_ZOOM = 48;

/** What lies over the picture: needles, the wipe's edge, pins, and values in large pixels. */
export function drawOverlay(context: CanvasRenderingContext2D, s: OverlayState): void {
  // Some browsers do not show a canvas anew that was only cleared: it starts afresh.
  context.reset();
  if (s.paths !== null) drawPaths(context, s.placement, s.ratio, s.paths);
  if (s.needles && s.field !== null) drawNeedles(context, s, s.field);
  if (s.placement.zoom >= VALUES_FROM_ZOOM * s.ratio && s.raster?.header.format === 'rgba16f') drawValues(context, s, s.raster);
  if (s.wipe !== null) drawWipe(context, s, s.wipe);
  s.pins.forEach((pin, i) => drawPin(context, s, pin, i + 1));
}

/** From where a point is to where it will be at the next frame, at true length. */
function drawNeedles(context: CanvasRenderingContext2D, s: OverlayState, field: MotionField): void {
  const { zoom, x, y } = s.placement;
  const step = Math.max(1, Math.round((NEEDLE_SPACING_PX * s.ratio) / zoom));
  for (const [width, colour] of [
    [3 * s.ratio, 'rgb(0 0 0 / 65%)'],
    [1.3 * s.ratio, '#fff4d8'],
  ] as const) {
    context.lineWidth = width;
    context.strokeStyle = context.fillStyle = colour;
    context.beginPath();
    for (let py = Math.floor(step / 2); py < field.height; py += step) {
      for (let px = Math.floor(step / 2); px < field.width; px += step) {
        const i = py * field.width + px,
          dx = field.toNext[i * 2],
          dy = field.toNext[i * 2 + 1];
        if (field.valid[i] === 0 || dx * dx + dy * dy < 0.01) continue;
        const sx = x + (px + 0.5) * zoom,
          sy = y + (py + 0.5) * zoom;
        if (sx < 0 || sy < 0 || sx > context.canvas.width || sy > context.canvas.height) continue;
        context.moveTo(sx, sy);
        context.lineTo(sx + dx * zoom, sy + dy * zoom);
        context.moveTo(sx + width, sy);
        context.arc(sx, sy, width * 0.9, 0, 2 * Math.PI);
      }
    }
    context.stroke();
  }
}

function drawWipe(context: CanvasRenderingContext2D, s: OverlayState, wipe: number): void {
  const x = Math.round(s.placement.x + wipe * s.width * s.placement.zoom),
    top = Math.max(0, s.placement.y),
    bottom = Math.min(context.canvas.height, s.placement.y + s.height * s.placement.zoom);
  for (const [width, colour] of [
    [3, 'rgb(0 0 0 / 60%)'],
    [1, '#ffffff'],
  ] as const) {
    context.fillStyle = colour;
    context.fillRect(x - (width * s.ratio) / 2, top, width * s.ratio, bottom - top);
  }
  const size = 12 * s.ratio;
  label(context, 'sharp', x - size, top + 2 * size, 'right', s.ratio);
  label(context, 'blurred', x + size, top + 2 * size, 'left', s.ratio);
}

function label(context: CanvasRenderingContext2D, text: string, x: number, y: number, align: CanvasTextAlign, ratio: number): void {
  context.font = `${12 * ratio}px 'Inter Variable', sans-serif`;
  context.textAlign = align;
  context.lineWidth = 3 * ratio;
  context.strokeStyle = 'rgb(0 0 0 / 75%)';
  context.strokeText(text, x, y);
  context.fillStyle = '#fff';
  context.fillText(text, x, y);
}

function drawPin(context: CanvasRenderingContext2D, s: OverlayState, pin: Point, number: number): void {
  const x = s.placement.x + (pin.x + 0.5) * s.placement.zoom,
    y = s.placement.y + (pin.y + 0.5) * s.placement.zoom,
    r = 5 * s.ratio;
  for (const [width, colour] of [
    [4, 'rgb(0 0 0 / 70%)'],
    [1.6, '#ffffff'],
  ] as const) {
    context.lineWidth = width * s.ratio;
    context.strokeStyle = colour;
    context.strokeRect(x - r, y - r, 2 * r, 2 * r);
  }
  label(context, String(number), x + 2 * r, y - r, 'left', s.ratio);
}

function drawValues(context: CanvasRenderingContext2D, s: OverlayState, raster: Raster): void {
  const { zoom, x, y } = s.placement;
  context.font = `${Math.min(12 * s.ratio, zoom / 5.2)}px 'Inter Variable', sans-serif`;
  context.textAlign = 'center';
  const halves = raster.planes[0];
  for (let py = Math.max(0, Math.floor(-y / zoom)); py < Math.min(s.height, (context.canvas.height - y) / zoom); py++) {
    for (let px = Math.max(0, Math.floor(-x / zoom)); px < Math.min(s.width, (context.canvas.width - x) / zoom); px++) {
      for (let c = 0; c < 4; c++) {
        const value = halfToNumber(halves[(py * s.width + px) * 4 + c]).toFixed(3),
          cx = x + (px + 0.5) * zoom,
          cy = y + (py + 0.26 + c * 0.2) * zoom;
        context.lineWidth = 2 * s.ratio;
        context.strokeStyle = 'rgb(0 0 0 / 80%)';
        context.strokeText(value, cx, cy);
        context.fillStyle = '#fff';
        context.fillText(value, cx, cy);
      }
    }
  }
}
