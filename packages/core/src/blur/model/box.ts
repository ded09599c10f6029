import type { Box } from '@ivrex/kernels/interface';
import type { Size } from './blur-plan';

export function grow(box: Box, by: number): Box {
  return { x0: box.x0 - by, y0: box.y0 - by, width: box.width + 2 * by, height: box.height + 2 * by };
}

export function clip(box: Box, width: number, height: number): Box {
  const x0 = Math.max(0, box.x0),
    y0 = Math.max(0, box.y0);
  return { x0, y0, width: Math.min(width, box.x0 + box.width) - x0, height: Math.min(height, box.y0 + box.height) - y0 };
}

export function contains(box: Box, x: number, y: number): boolean {
  return x >= box.x0 && y >= box.y0 && x < box.x0 + box.width && y < box.y0 + box.height;
}

/** A picture pixel's number in a box, -1 outside. */
export function indexIn(box: Box, x: number, y: number): number {
  const column = x - box.x0,
    row = y - box.y0;
  return column < 0 || row < 0 || column >= box.width || row >= box.height ? -1 : row * box.width + column;
}

/** Pixels beyond each border of the picture. */
export interface Sides {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** A side that grows starts at the picture's border. */
export function growSides(box: Box, { left, top, right, bottom }: Sides, { width, height }: Size): Box {
  const x0 = left > 0 ? -left : box.x0,
    y0 = top > 0 ? -top : box.y0,
    x1 = right > 0 ? width + right : box.x0 + box.width,
    y1 = bottom > 0 ? height + bottom : box.y0 + box.height;
  return { x0, y0, width: x1 - x0, height: y1 - y0 };
}
