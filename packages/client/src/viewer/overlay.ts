import { halfToNumber } from '@ivrex/core';
import type { CompareBox, MotionField, StreakMeasure } from '@ivrex/core';
import type { Raster, StreakReport } from '@ivrex/contract';
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
  /** A point on a wipe's edge, in shares of the picture, and where the second picture lies. */
  readonly edge: { readonly x: number; readonly y: number; readonly toX: number; readonly toY: number } | null;
  /** The edge has a handle that turns it. */
  readonly edgeTurns: boolean;
  readonly names: readonly string[];
  readonly beside: boolean;
  readonly region: CompareBox | null;
  readonly streaks: StreakReport['streaks'];
  readonly drawn: (CompareBox & { readonly isLine: boolean }) | null;
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
  if (s.edge !== null) drawEdge(context, s, s.edge);
  if (s.beside) drawBeside(context, s);
  if (s.region !== null) drawBox(context, s, s.region, 'counted');
  // Names of neighbours take turns above and below.
  s.streaks.forEach((streak, i) => {
    if (!('refused' in streak)) drawStreak(context, s, streak, i % 2 === 0);
  });
  if (s.drawn !== null) {
    if (s.drawn.isLine) drawLine(context, s, { x: s.drawn.x0, y: s.drawn.y0 }, { x: s.drawn.x1, y: s.drawn.y1 }, '#ffffff');
    else drawBox(context, s, s.drawn, '');
  }
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

/** How far from the middle of the edge its turning handle lies, in screen pixels. */
export const EDGE_HANDLE_PX = 64;

function drawEdge(context: CanvasRenderingContext2D, s: OverlayState, { x, y, toX, toY }: NonNullable<OverlayState['edge']>): void {
  const cx = s.placement.x + x * s.width * s.placement.zoom,
    cy = s.placement.y + y * s.height * s.placement.zoom,
    far = (s.width + s.height) * s.placement.zoom;
  context.save();
  context.beginPath();
  context.rect(s.placement.x, s.placement.y, s.width * s.placement.zoom, s.height * s.placement.zoom);
  context.clip();
  for (const [width, colour] of [
    [3, 'rgb(0 0 0 / 60%)'],
    [1, '#ffffff'],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width * s.ratio;
    context.beginPath();
    context.moveTo(cx - toY * far, cy + toX * far);
    context.lineTo(cx + toY * far, cy - toX * far);
    if (s.edgeTurns) {
      const h = EDGE_HANDLE_PX * s.ratio;
      context.moveTo(cx, cy);
      context.lineTo(cx + toX * h, cy + toY * h);
      context.moveTo(cx + toX * h + 6 * s.ratio, cy + toY * h);
      context.arc(cx + toX * h, cy + toY * h, 6 * s.ratio, 0, 2 * Math.PI);
    }
    context.stroke();
  }
  context.restore();
  // Beside an upright edge the names stand at its top, else at its middle.
  const top = Math.abs(toX) > 0.99 ? Math.max(0, s.placement.y) + 24 * s.ratio : cy + 4 * s.ratio,
    off = 14 * s.ratio;
  label(context, s.names[0], cx - toX * off, top - (Math.abs(toX) > 0.99 ? 0 : toY * off * 1.4), toX >= 0 ? 'right' : 'left', s.ratio);
  label(context, s.names[1], cx + toX * off, top + (Math.abs(toX) > 0.99 ? 0 : toY * off * 1.4), toX >= 0 ? 'left' : 'right', s.ratio);
}

function drawBeside(context: CanvasRenderingContext2D, s: OverlayState): void {
  const { width } = context.canvas;
  label(context, s.names[0], 14 * s.ratio, 24 * s.ratio, 'left', s.ratio);
  label(context, s.names[1], width / 2 + 14 * s.ratio, 24 * s.ratio, 'left', s.ratio);
}

function drawBox(context: CanvasRenderingContext2D, s: OverlayState, box: CompareBox, text: string): void {
  const { zoom, x, y } = s.placement;
  for (const [width, colour] of [
    [3, 'rgb(0 0 0 / 60%)'],
    [1, '#ffffff'],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width * s.ratio;
    context.strokeRect(x + box.x0 * zoom, y + box.y0 * zoom, (box.x1 - box.x0) * zoom, (box.y1 - box.y0) * zoom);
  }
  if (text !== '')
    label(context, text, x + Math.min(box.x0, box.x1) * zoom, y + Math.min(box.y0, box.y1) * zoom - 6 * s.ratio, 'left', s.ratio);
}

function drawLine(context: CanvasRenderingContext2D, s: OverlayState, from: Point, to: Point, colour: string): void {
  const { zoom, x, y } = s.placement;
  for (const [width, stroke] of [
    [4, 'rgb(0 0 0 / 65%)'],
    [1.6, colour],
  ] as const) {
    context.strokeStyle = stroke;
    context.lineWidth = width * s.ratio;
    context.beginPath();
    context.moveTo(x + from.x * zoom, y + from.y * zoom);
    context.lineTo(x + to.x * zoom, y + to.y * zoom);
    context.stroke();
  }
}

/** Beside the streak, so that it is still seen. */
function drawStreak(
  context: CanvasRenderingContext2D,
  s: OverlayState,
  { from, to, angleDeg, angleErrorDeg }: StreakMeasure,
  isAbove: boolean,
): void {
  const length = Math.hypot(to.x - from.x, to.y - from.y),
    off = (9 * s.ratio) / s.placement.zoom,
    nx = (-(to.y - from.y) / length) * off,
    ny = ((to.x - from.x) / length) * off;
  const side = ny < 0 === isAbove ? 1 : -1;
  const a = { x: from.x + side * nx, y: from.y + side * ny },
    b = { x: to.x + side * nx, y: to.y + side * ny };
  drawLine(context, s, a, b, '#fff4d8');
  const { zoom, x, y } = s.placement;
  label(
    context,
    `${angleDeg.toFixed(0)}° ± ${angleErrorDeg.toFixed(0)}`,
    x + ((a.x + b.x) / 2) * zoom,
    isAbove ? y + Math.min(a.y, b.y) * zoom - 8 * s.ratio : y + Math.max(a.y, b.y) * zoom + 18 * s.ratio,
    'center',
    s.ratio,
  );
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
