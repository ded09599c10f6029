import { TILE_PX } from '@ivrex/core';

/** Half open: x0 <= x < x1. */
export interface Area {
  readonly x0: number;
  readonly y0: number;
  readonly x1: number;
  readonly y1: number;
}

/** Of a whole picture. */
interface Size {
  readonly width: number;
  readonly height: number;
}

export function wholeOf({ width, height }: Size): Area {
  return { x0: 0, y0: 0, x1: width, y1: height };
}

/** Grown to whole tiles within the picture; null when that is all of it or none. */
export function tilesOf({ x0, y0, x1, y1 }: Area, { width, height }: Size): Area | null {
  const down = (v: number) => Math.max(0, Math.floor(v / TILE_PX) * TILE_PX),
    up = (v: number, most: number) => Math.min(most, Math.ceil(v / TILE_PX) * TILE_PX);
  const area = { x0: down(x0), y0: down(y0), x1: up(x1, width), y1: up(y1, height) };
  const isAll = area.x0 === 0 && area.y0 === 0 && area.x1 === width && area.y1 === height;
  return isAll || area.x0 >= area.x1 || area.y0 >= area.y1 ? null : area;
}

/** What is left of the picture around an area. */
export function around({ x0, y0, x1, y1 }: Area, { width, height }: Size): Area[] {
  return [
    { x0: 0, y0: 0, x1: width, y1: y0 },
    { x0: 0, y0, x1: x0, y1 },
    { x0: x1, y0, x1: width, y1 },
    { x0: 0, y0: y1, x1: width, y1: height },
  ].filter((area) => area.x1 > area.x0 && area.y1 > area.y0);
}
