import { transferPair } from '../../colour/transfer';
import { isClearlyWorse } from './compare-errors';
import { motionOf, velocitiesOf, type Hypothesis, type PassSamples } from './hypothesis';
import type { Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import { fitWarp, warpErrorsAt, type LinearMotion } from './warp-fit';

/** Half of (way to next + way to previous) at the points: where things speed up or turn. NaN where one way was not measured. */
export function bendOf({ toNext, toPrevious }: MeasuredMotion): { x: Float64Array; y: Float64Array } {
  const axis = (c: 0 | 1) => Float64Array.from({ length: toNext.length / 2 }, (_, k) => (toNext[k * 2 + c] + toPrevious[k * 2 + c]) / 2);
  return { x: axis(0), y: axis(1) };
}

const FEWEST = 40,
  MOST_POINTS = 1500,
  MIDDLES = [1, -1, 0, 0.5, -0.5];

interface Interval {
  /** From + to of the stretch of time that the vectors cover, in frames; null when only one neighbour is there. */
  readonly middle: number | null;
  /** The others fit clearly worse. */
  readonly sure: boolean;
  readonly hypothesis: Hypothesis;
}

/**
 * Which stretch of time the vectors cover shows where things speed up: a vector says (next - previous) / 2 + (from + to) (next +
 * previous) / 2. Each middle is tried with the zero held where values stand still (left free, the zero would take in part of a common
 * acceleration) on the points that were measured both ways.
 */
export function findInterval({ samples, hypothesis }: Judged, measured: MeasuredMotion): Interval {
  if (measured.next === null || measured.previous === null) {
    const middle = measured.next !== null ? 1 : -1;
    return { middle, sure: false, hypothesis };
  }
  const bend = bendOf(measured);
  const known: number[] = [];
  for (let k = 0; k < bend.x.length; k++) if (bend.x[k] - bend.x[k] === 0) known.push(k);
  if (known.length < FEWEST) return { middle: null, sure: false, hypothesis };
  const every = Math.max(1, known.length / MOST_POINTS);
  const chosen = Int32Array.from({ length: Math.floor(known.length / every) }, (_, k) => known[Math.floor(k * every)]);
  const held = heldZero(samples, hypothesis);
  const tried = MIDDLES.map((middle) => {
    const view = { target: 'both' as const, chosen, bend: { ...bend, middle } };
    const fit = fitWarp(
      measured,
      held.motion,
      held.start,
      [1, 0].filter((l) => l < measured.now.length),
      view,
    );
    const candidate: Hypothesis = { ...hypothesis, parameters: held.parametersOf(fit.parameters) };
    const { vx, vy } = velocitiesOf(samples, candidate);
    return { middle, candidate, errors: warpErrorsAt(measured, vx, vy, { ...view, level: 0 }) };
  });
  const means = tried.map((t) => meanOf(t.errors));
  const order = tried.map((_, i) => i).sort((a, b) => means[a] - means[b]);
  const [best, second] = order.map((i) => tried[i]);
  return { middle: best.middle, sure: isClearlyWorse(second.errors, best.errors), hypothesis: best.candidate };
}

function meanOf(values: Float64Array): number {
  let n = 0,
    sum = 0;
  for (const v of values) {
    if (v - v !== 0) continue;
    n++;
    sum += v;
  }
  return n === 0 ? Infinity : sum / n;
}

/** The hypothesis with its zero held at the value that stands still: only slopes are left to slide. */
function heldZero(
  samples: PassSamples,
  hypothesis: Hypothesis,
): { motion: LinearMotion; start: Float64Array; parametersOf: (slopes: Float64Array) => Float64Array } {
  const motion = motionOf(samples, hypothesis);
  if (hypothesis.layout === 'direction') return { motion, start: hypothesis.parameters, parametersOf: (p) => p };
  const { undo } = transferPair(hypothesis.transfer);
  const [ox, sx, oy, sy] = hypothesis.parameters;
  const zeros = [
    { c: hypothesis.x, zero: -ox / sx, slope: sx },
    { c: hypothesis.y, zero: -oy / sy, slope: sy },
  ].map(({ c, zero, slope }) => {
    const shape = samples.shapes[c];
    const candidates = [0, 0.5, ...(shape.restShare > 0.02 ? [undo(shape.rest)] : [])];
    const near = candidates.reduce((a, b) => (Math.abs(b - zero) < Math.abs(a - zero) ? b : a));
    // Far from everything usual it is what it is.
    return Math.abs(near - zero) * Math.abs(slope) < HELD_WITHIN_PX ? near : zero;
  });
  const minus = (u: Float64Array | null, zero: number) => (u === null ? null : u.map((v) => v - zero));
  return {
    motion: { basisX: [minus(motion.basisX[1], zeros[0]), null], basisY: [null, minus(motion.basisY[3], zeros[1])] },
    start: Float64Array.of(sx, sy),
    parametersOf: (slopes) => Float64Array.of(-zeros[0] * slopes[0], slopes[0], -zeros[1] * slopes[1], slopes[1]),
  };
}

/** A common acceleration moves the zero by at most about this. */
const HELD_WITHIN_PX = 6;
