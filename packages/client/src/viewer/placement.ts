import type { Placement, Point } from './view-store';

const MIN_ZOOM = 0.02,
  MAX_ZOOM = 256,
  FIT_MARGIN_PX = 14;

export interface Extent {
  readonly width: number;
  readonly height: number;
}

/** The whole picture, centred. */
export function fitPlacement(canvas: Extent, picture: Extent): Placement {
  const zoom = Math.max(
    MIN_ZOOM,
    Math.min((canvas.width - 2 * FIT_MARGIN_PX) / picture.width, (canvas.height - 2 * FIT_MARGIN_PX) / picture.height),
  );
  return { zoom, x: Math.round((canvas.width - picture.width * zoom) / 2), y: Math.round((canvas.height - picture.height * zoom) / 2) };
}

/** The same picture point stays under `at` (canvas pixels). */
export function zoomAt(placement: Placement, at: Point, factor: number): Placement {
  const zoom = Math.min(MAX_ZOOM, Math.max(MIN_ZOOM, placement.zoom * factor));
  const ratio = zoom / placement.zoom;
  return { zoom, x: at.x - (at.x - placement.x) * ratio, y: at.y - (at.y - placement.y) * ratio };
}

export function onPicture(placement: Placement, at: Point): Point {
  return { x: (at.x - placement.x) / placement.zoom, y: (at.y - placement.y) / placement.zoom };
}

/** One picture pixel on one canvas pixel, the canvas's middle staying where it is. */
export function oneToOne(placement: Placement, canvas: Extent): Placement {
  const p = zoomAt(placement, { x: canvas.width / 2, y: canvas.height / 2 }, 1 / placement.zoom);
  return { ...p, x: Math.round(p.x), y: Math.round(p.y) };
}
