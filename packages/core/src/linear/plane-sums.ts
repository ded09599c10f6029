import { solveTwo } from './solve-linear';

/** Sums of places, values and their products, for the plane value = value0 + right x + down y that fits them best (least squares). */
export interface PlaneSums {
  n: number;
  x: number;
  y: number;
  xx: number;
  xy: number;
  yy: number;
  d: number;
  xd: number;
  yd: number;
}

export function emptySums(): PlaneSums {
  return { n: 0, x: 0, y: 0, xx: 0, xy: 0, yy: 0, d: 0, xd: 0, yd: 0 };
}

export function addValue(s: PlaneSums, x: number, y: number, d: number): void {
  s.n++;
  s.x += x;
  s.y += y;
  s.xx += x * x;
  s.xy += x * y;
  s.yy += y * y;
  s.d += d;
  s.xd += x * d;
  s.yd += y * d;
}

export type CentredSums = Pick<PlaneSums, 'xx' | 'xy' | 'yy' | 'xd' | 'yd'>;

/** The products about the means of places and values. Slopes are solved from these: far from (0, 0) the plain sums lose their digits. */
export function aboutMeans({ n, x, y, xx, xy, yy, d, xd, yd }: PlaneSums): CentredSums {
  const one = n === 0 ? 0 : 1 / n;
  return { xx: xx - x * x * one, xy: xy - x * y * one, yy: yy - y * y * one, xd: xd - x * d * one, yd: yd - y * d * one };
}

/** Value at (0, 0), and the change of it a step to the right and down. */
export type Plane = readonly [value: number, right: number, down: number];

/** The plane through the middle of what was summed up, with these slopes. */
export function withSlopes({ n, x, y, d }: PlaneSums, right: number, down: number): Plane {
  return [(d - right * x - down * y) / n, right, down];
}

/** Null when the places lie on a line: their spread across it is below `leastShare` of the one along it. */
export function fitPlane(sums: PlaneSums, leastShare = 1e-12): Plane | null {
  const { xx, xy, yy, xd, yd } = aboutMeans(sums);
  const slopes = solveTwo(xx, xy, yy, xd, yd, leastShare);
  return slopes === null ? null : withSlopes(sums, slopes[0], slopes[1]);
}

/** d(p) = d0 + m p with m complex: turn and scale, which both components of a vector share. */
export interface Similarity {
  readonly re: number;
  readonly im: number;
}

/** From what the two components of a vector were summed up to, not necessarily over the same places. Null when these lie on one. */
export function fitSimilarity(x: CentredSums, y: CentredSums): Similarity | null {
  const m = solveTwo(x.xx + y.yy, y.xy - x.xy, x.yy + y.xx, x.xd + y.yd, y.xd - x.yd, 1e-9);
  return m === null ? null : { re: m[0], im: m[1] };
}
