import type { CurvePoints } from '@ivrex/core';
import { arrowOf, isDeleteKey } from '../../ui/arrow-keys';

/** Points of a curve nearer to each other along the axis can't be told apart. */
const LEAST_APART = 0.01;

export type Place = readonly [x: number, y: number];

function rounded(v: number): number {
  return Number(v.toFixed(4));
}

/** A point brought to another place, both from 0 to 1. It stays between its neighbours: points keep their order. */
export function movedPoint(points: CurvePoints, index: number, [x, y]: Place): CurvePoints {
  const low = index === 0 ? 0 : points[index - 1][0] + LEAST_APART,
    high = index === points.length - 1 ? 1 : points[index + 1][0] - LEAST_APART;
  const to: Place = [rounded(Math.min(high, Math.max(low, x))), rounded(Math.min(1, Math.max(0, y)))];
  return points.map((point, i) => (i === index ? to : point));
}

/** Null where another point stands too near. */
export function withPoint(points: CurvePoints, [x, y]: Place): CurvePoints | null {
  if (points.some(([other]) => Math.abs(other - x) < 2 * LEAST_APART)) return null;
  const added: Place = [rounded(x), rounded(y)];
  return [...points, added].sort((a, b) => a[0] - b[0]);
}

/** Null for one of the last two: a curve needs them. */
export function withoutPoint(points: CurvePoints, index: number): CurvePoints | null {
  return points.length <= 2 ? null : points.filter((_, i) => i !== index);
}

/** What a key of the keyboard does to a point; null when nothing. */
export function nudgedPoint(
  points: CurvePoints,
  index: number,
  { key, shiftKey }: { readonly key: string; readonly shiftKey: boolean },
): CurvePoints | null {
  if (isDeleteKey(key)) return withoutPoint(points, index);
  const arrow = arrowOf(key),
    by = shiftKey ? 0.05 : 0.005;
  return arrow === null ? null : movedPoint(points, index, [points[index][0] + arrow.x * by, points[index][1] + arrow.y * by]);
}
