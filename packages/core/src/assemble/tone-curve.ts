/** A point of a curve: both values 0 to 1 on the grey axis. */
export type CurvePoint = readonly [number, number];
export type CurvePoints = readonly CurvePoint[];

export const STRAIGHT_CURVE: CurvePoints = [
  [0, 0],
  [1, 1],
];

/** The scene value in the middle of the grey axis. */
export const MIDDLE_GREY = 0.18;
/** Nearer to 1 than this the axis stands for no light that a picture holds (1800). */
const AXIS_END = 0.9999;

/** Scene-linear light, from 0 on, to 0..1: black at 0, middle grey at a half, 1.0 at 0.85, 8.0 at 0.98. No highlight falls off it. */
export function toGreyAxis(v: number): number {
  return v <= 0 ? 0 : v / (v + MIDDLE_GREY);
}

export function fromGreyAxis(p: number): number {
  const held = Math.min(AXIS_END, Math.max(0, p));
  return (MIDDLE_GREY * held) / (1 - held);
}

export function isStraight(points: CurvePoints): boolean {
  return points.every(([x, y]) => x === y);
}

/**
 * The curve through the points on the grey axis, monotone between them (Fritsch and Carlson, SIAM J. Numer. Anal. 17, 1980); level before the
 * first and after the last. At least two points, x rising.
 */
export function curveThrough(points: CurvePoints): (p: number) => number {
  const last = points.length - 1;
  const steep = points.slice(1).map(([x, y], i) => (y - points[i][1]) / (x - points[i][0]));
  const slopes = points.map((_, i) => {
    if (i === 0) return steep[0];
    if (i === last) return steep[last - 1];
    return steep[i - 1] * steep[i] <= 0 ? 0 : (steep[i - 1] + steep[i]) / 2;
  });
  steep.forEach((s, i) => {
    if (s === 0) slopes[i] = slopes[i + 1] = 0;
    else {
      const a = slopes[i] / s,
        b = slopes[i + 1] / s,
        far = a * a + b * b;
      if (far > 9) {
        slopes[i] = (3 * a * s) / Math.sqrt(far);
        slopes[i + 1] = (3 * b * s) / Math.sqrt(far);
      }
    }
  });
  return (p) => {
    if (p <= points[0][0]) return points[0][1];
    if (p >= points[last][0]) return points[last][1];
    let i = 0;
    while (points[i + 1][0] < p) i++;
    const [x0, y0] = points[i],
      [x1, y1] = points[i + 1],
      h = x1 - x0,
      u = (p - x0) / h;
    return (
      (1 + 2 * u) * (1 - u) ** 2 * y0 + u * (1 - u) ** 2 * h * slopes[i] + u * u * (3 - 2 * u) * y1 + u * u * (u - 1) * h * slopes[i + 1]
    );
  };
}
