import type { Transfer } from '../../colour/transfer';
import { transferPair } from '../../colour/transfer';
import { fitLine, type LineFit } from './line-fit';
import type { MeasuredMotion } from './measured-motion';
import type { StoredPass, ChannelShape } from './stored-pass';
import { valuesAt } from './stored-pass';
import { velocities, type LinearMotion } from './warp-fit';

/** A pass's values at the measured points. */
export interface PassSamples {
  readonly pass: StoredPass;
  readonly shapes: readonly ChannelShape[];
  /** By channel, at the measured points; NaN where the value says nothing. */
  readonly values: readonly Float64Array[];
  /** Channels that hold more than one value. */
  readonly varying: readonly number[];
}

export function samplesOf(pass: StoredPass, shapes: readonly ChannelShape[], measured: MeasuredMotion): PassSamples {
  const values = pass.channels.map((channel, c) => valuesAt(pass, channel, shapes[c], measured));
  const varying = shapes.map((_, c) => c).filter((c) => shapes[c].high > shapes[c].low && !/^(z|depth)$/i.test(shapes[c].name));
  return { pass, shapes, values, varying: varying.slice(0, 8) };
}

/** One way to read the pass, as numbers that can be slid: in pixels of the beauty per frame. */
export type Hypothesis =
  | {
      readonly layout: 'components';
      readonly x: number;
      readonly y: number;
      readonly transfer: Transfer;
      /** offset x, slope x, offset y, slope y: velocity = offset + slope x value after the curve. */
      readonly parameters: Float64Array;
    }
  | {
      readonly layout: 'direction';
      readonly x: number;
      readonly y: number;
      readonly length: number;
      readonly transfer: Transfer;
      /** Value of x and y, after the curve, that is no direction. */
      readonly zero: number;
      readonly signX: 1 | -1;
      readonly signY: 1 | -1;
      /** One: pixels a unit of length. */
      readonly parameters: Float64Array;
    };

/** The hypothesis as something that is linear in its parameters. NaN where the samples say nothing. */
export function motionOf(samples: PassSamples, hypothesis: Hypothesis): LinearMotion {
  const { undo } = transferPair(hypothesis.transfer);
  const linear = (c: number) => samples.values[c].map(undo);
  const ux = linear(hypothesis.x),
    uy = linear(hypothesis.y);
  if (hypothesis.layout === 'components') {
    const ones = new Float64Array(ux.length).fill(1);
    return { basisX: [ones, ux, null, null], basisY: [null, null, ones, uy] };
  }
  const length = linear(hypothesis.length);
  const bx = new Float64Array(ux.length),
    by = new Float64Array(ux.length);
  for (let k = 0; k < ux.length; k++) {
    const x = ux[k] - hypothesis.zero,
      y = uy[k] - hypothesis.zero,
      norm = Math.hypot(x, y);
    bx[k] = norm > 0 ? (hypothesis.signX * x * length[k]) / norm : 0;
    by[k] = norm > 0 ? (hypothesis.signY * y * length[k]) / norm : 0;
    if (length[k] !== length[k] || norm !== norm) bx[k] = by[k] = NaN;
  }
  return { basisX: [bx], basisY: [by] };
}

/** Velocity at every point under a hypothesis. */
export function velocitiesOf(samples: PassSamples, hypothesis: Hypothesis): { vx: Float64Array; vy: Float64Array } {
  const count = samples.values[0].length;
  const vx = new Float64Array(count),
    vy = new Float64Array(count);
  velocities(motionOf(samples, hypothesis), hypothesis.parameters, vx, vy);
  return { vx, vy };
}

/** What flow says about a velocity, straight through the frame: to the next where known, else away from the previous. */
export function measuredVelocity(measured: MeasuredMotion): { mx: Float64Array; my: Float64Array } {
  const count = measured.x.length;
  const side = (axis: 0 | 1) =>
    Float64Array.from({ length: count }, (_, k) => {
      const next = measured.toNext[k * 2 + axis],
        previous = -measured.toPrevious[k * 2 + axis];
      return next !== next ? previous : previous !== previous ? next : (next + previous) / 2;
    });
  return { mx: side(0), my: side(1) };
}

export const CURVES: readonly Transfer[] = [{ kind: 'none' }, { kind: 'power', exponent: 2.2 }, { kind: 'srgb' }];

const PAIRS_KEPT = 3;

/** Hypotheses that the measured motion suggests: channel pairs by how well a line through them explains it, under each curve. */
export function suggestFromFlow(samples: PassSamples, measured: MeasuredMotion): Hypothesis[] {
  const { mx, my } = measuredVelocity(measured);
  const found: { readonly score: number; readonly hypothesis: Hypothesis }[] = [];
  for (const transfer of CURVES) {
    const { undo } = transferPair(transfer);
    const linear = new Map(samples.varying.map((c) => [c, samples.values[c].map(undo)]));
    const fits = (target: Float64Array) => new Map([...linear].map(([c, u]) => [c, fitLine(u, target)]));
    found.push(...componentPairs(transfer, fits(mx), fits(my)).slice(0, PAIRS_KEPT));
    const direction = directionOf(samples, transfer, linear, mx, my);
    if (direction !== null) found.push(direction);
  }
  return found.sort((a, b) => b.score - a.score).map((f) => f.hypothesis);
}

function componentPairs(
  transfer: Transfer,
  onX: ReadonlyMap<number, LineFit | null>,
  onY: ReadonlyMap<number, LineFit | null>,
): { score: number; hypothesis: Hypothesis }[] {
  const pairs: { score: number; hypothesis: Hypothesis }[] = [];
  for (const [x, fx] of onX) {
    for (const [y, fy] of onY) {
      if (x === y || fx === null || fy === null) continue;
      let slopeX = fx.slope,
        slopeY = fy.slope;
      const score = fx.gain + fy.gain;
      // An axis in which nothing moves tells no slope: the other's stands in.
      if (fx.gain < WEAK_GAIN && fy.gain > 2 * WEAK_GAIN) slopeX = Math.sign(slopeX || 1) * Math.abs(slopeY);
      if (fy.gain < WEAK_GAIN && fx.gain > 2 * WEAK_GAIN) slopeY = Math.sign(slopeY || 1) * Math.abs(slopeX);
      pairs.push({
        score,
        hypothesis: { layout: 'components', x, y, transfer, parameters: Float64Array.of(fx.offset, slopeX, fy.offset, slopeY) },
      });
    }
  }
  return pairs.sort((a, b) => b.score - a.score);
}

const WEAK_GAIN = 0.15;

function directionOf(
  samples: PassSamples,
  transfer: Transfer,
  linear: ReadonlyMap<number, Float64Array>,
  mx: Float64Array,
  my: Float64Array,
): { score: number; hypothesis: Hypothesis } | null {
  if (linear.size < 3) return null;
  const speed = mx.map((x, k) => Math.hypot(x, my[k]));
  // Directions of slow points are noise. Brought to 20 px, so that the line's tolerance is about a degree and a half.
  const unit = (m: Float64Array) => m.map((v, k) => (speed[k] > 1.5 ? (20 * v) / speed[k] : NaN));
  const ux = unit(mx),
    uy = unit(my);
  let best: { score: number; hypothesis: Hypothesis } | null = null;
  const lengths = [...linear].map(([c, u]) => ({ c, fit: fitLine(u, speed) })).filter(({ fit }) => fit !== null && fit.gain > WEAK_GAIN);
  for (const { c: length, fit: along } of lengths) {
    for (const [x, fx] of [...linear].map(([c, u]) => [c, fitLine(u, ux)] as const)) {
      if (x === length || fx === null || fx.gain < WEAK_GAIN) continue;
      for (const [y, u] of linear) {
        if (y === length || y === x) continue;
        const fy = fitLine(u, uy);
        if (fy === null || along === null) continue;
        const score = along.gain + (fx.gain + fy.gain) / 2;
        if (best !== null && score <= best.score) continue;
        best = {
          score,
          hypothesis: {
            layout: 'direction',
            x,
            y,
            length,
            transfer,
            zero: restingDirection(samples, transfer, x, -fx.offset / fx.slope),
            signX: fx.slope < 0 ? -1 : 1,
            signY: fy.slope < 0 ? -1 : 1,
            parameters: Float64Array.of(along.slope),
          },
        };
      }
    }
  }
  return best;
}

/** No direction is stored as the middle or as nothing, whichever lies nearer to what was measured. */
function restingDirection(samples: PassSamples, transfer: Transfer, channel: number, measured: number): number {
  const { undo } = transferPair(transfer);
  const { rest, restShare } = samples.shapes[channel];
  const candidates = [0, 0.5, ...(restShare > 0.02 ? [undo(rest)] : [])];
  return candidates.reduce((a, b) => (Math.abs(b - measured) < Math.abs(a - measured) ? b : a));
}

/** The value that stands still: what most pixels hold, else the middle of whole numbers, else nothing. */
export function restOf({ rest, restShare, type }: ChannelShape): number {
  if (restShare > 0.02) return rest;
  return type === 'u8' || type === 'u16' ? 0.5 : 0;
}
