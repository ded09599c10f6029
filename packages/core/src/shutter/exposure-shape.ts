/**
 * How much light a shutter lets in over its interval, as a share of its most. "ramps" opens and closes over a share of the interval each (a
 * focal-plane or rolling blade's soft edges); "bell" rises and falls all along, as a raised cosine.
 */
export type ExposureShape =
  | { readonly kind: 'even' }
  | {
      readonly kind: 'ramps';
      /** Share of the interval, 0..1, that it takes to open; with `closing` at most 1. */
      readonly opening: number;
      readonly closing: number;
    }
  | { readonly kind: 'bell' };

/** Light at `u` (0 the shutter opens, 1 it closes), 0..1. */
export function exposureAt(shape: ExposureShape, u: number): number {
  if (!(u >= 0 && u <= 1)) return 0;
  switch (shape.kind) {
    case 'even':
      return 1;
    case 'ramps':
      return Math.min(1, shape.opening > 0 ? u / shape.opening : 1, shape.closing > 0 ? (1 - u) / shape.closing : 1);
    case 'bell':
      return (1 - Math.cos(2 * Math.PI * u)) / 2;
  }
}

/** The share of all light that comes in from `from` to `to`; 1 over the whole interval. */
export function exposureWithin(shape: ExposureShape, from: number, to: number): number {
  return (lightUntil(shape, to) - lightUntil(shape, from)) / lightUntil(shape, 1);
}

/** The integral of `exposureAt` from 0 to u. */
function lightUntil(shape: ExposureShape, u: number): number {
  switch (shape.kind) {
    case 'even':
      return u;
    case 'bell':
      return (u - Math.sin(2 * Math.PI * u) / (2 * Math.PI)) / 2;
    case 'ramps': {
      const { opening, closing } = shape;
      const rising = Math.min(u, opening),
        left = Math.max(0, u - (1 - closing));
      // A closed ramp counts half its length; what is still to come of the closing one is a smaller triangle.
      const up = opening > 0 ? (rising * rising) / (2 * opening) : 0,
        flat = Math.max(0, Math.min(u, 1 - closing) - opening),
        down = closing > 0 ? left - (left * left) / (2 * closing) : 0;
      return up + flat + down;
    }
  }
}
