import { MATCH_TAPS } from '@ivrex/kernels/interface';
import type { Side } from './beauty-pictures';
import { findPoints } from './point-search';
import type { WeighedReading } from './posterior';
import { quantile } from './pass-samples';
import { patchesOf, scaleOf } from './sweep';

/** Points that were found lie beside where the vectors lead by at least this, in the median, pixels of level 0, and by so many standard errors. */
const LEAST_PX = 0.25,
  ERRORS = 4,
  FEWEST = 30;

/**
 * What must be added to both zeros of a candidate so that its vectors lead to where its points are found: a centre that is off moves everything by the same.
 * Linear stored units; null where points lie about where they should. A picture in which nothing rests tells its zero in no other way.
 */
export function zeroShift(reading: WeighedReading): number | null {
  const { of } = reading;
  if (of.candidate.length !== null) return null;
  const side: Side = reading.middle === -0.5 ? 0 : 1,
    sign = side === 1 ? 1 : -1,
    scale = scaleOf(reading, reading.named.factor);
  const patches = patchesOf(reading, 0);
  const offs: [number[], number[]] = [[], []];
  of.sets.forEach((set, n) => {
    if (!set.frame.pictures.has[side]) return;
    const led = new Float32Array(set.count * 2);
    for (let i = 0; i < set.count; i++)
      for (const axis of [0, 1] as const) led[i * 2 + axis] = sign * scale[axis] * patches[n][(i * MATCH_TAPS + 4) * 2 + axis];
    const found = findPoints(set, led, side);
    for (let i = 0; i < set.count; i++) {
      const [x, y] = [found[i * 2] - led[i * 2], found[i * 2 + 1] - led[i * 2 + 1]];
      if ((x + y) * 0 !== 0) continue;
      offs[0].push(sign * x);
      offs[1].push(sign * y);
    }
  });
  if (offs[0].length < FEWEST) return null;
  const middle = offs.map((o) => quantile(o, 0.5)),
    // Half the distance of the quartiles over 0.67 is the width of a normal distribution.
    error = offs.map((o) => ((quantile(o, 0.75) - quantile(o, 0.25)) * 0.74) / Math.sqrt(o.length));
  const isClear = [0, 1].some((axis) => Math.abs(middle[axis]) > Math.max(LEAST_PX, ERRORS * error[axis]));
  if (!isClear) return null;
  // Least squares over both axes: one zero serves them.
  return -(middle[0] * scale[0] + middle[1] * scale[1]) / (scale[0] ** 2 + scale[1] ** 2);
}
