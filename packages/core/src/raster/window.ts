/** Pixel bounds, inclusive on all sides, y down: the form that OpenEXR stores. */
export interface Window {
  readonly xMin: number;
  readonly yMin: number;
  readonly xMax: number;
  readonly yMax: number;
}

export function widthOf(window: Window): number {
  return window.xMax - window.xMin + 1;
}

export function heightOf(window: Window): number {
  return window.yMax - window.yMin + 1;
}

export function windowOfSize(width: number, height: number): Window {
  return { xMin: 0, yMin: 0, xMax: width - 1, yMax: height - 1 };
}

export function sameWindow(a: Window, b: Window): boolean {
  return a.xMin === b.xMin && a.yMin === b.yMin && a.xMax === b.xMax && a.yMax === b.yMax;
}
