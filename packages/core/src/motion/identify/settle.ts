import type { Encoding } from '../encoding/encoding';
import type { Transfer } from '../../colour/transfer';
import { transferPair } from '../../colour/transfer';
import { isClearlyWorse } from './compare-errors';
import { bendOf, findInterval } from './find-interval';
import { motionOf, velocitiesOf } from './hypothesis';
import { slide, spread, underCurve, type Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import { coversOf, snapScale, type ScaleReading } from './snap-scale';
import type { ChannelShape } from './stored-pass';
import { warpErrorsAt, type WarpTarget, type WarpView } from './warp-fit';

export interface PassContext {
  readonly fps: number | null;
  readonly pixelAspect: number;
}

/** A reading with meaningful values, and how it came to be. */
export interface Settled {
  readonly judged: Judged;
  readonly encoding: Encoding;
  /** Values of no motion in x and in y as measured, after the curve; null along an axis in which nothing moves. */
  readonly zeros: readonly [number | null, number | null];
  readonly middle: number | null;
  readonly scales: readonly ScaleReading[];
  /** Curves that the pictures can't tell apart from the chosen one. */
  readonly otherCurves: readonly Transfer[];
  readonly measuredX: boolean;
  readonly measuredY: boolean;
  /** How the reading is held against the pictures. */
  readonly view: WarpView;
}

/** Which curve, which interval, and round values for zero and scale, where the pictures allow it. */
export function settle(judged: Judged, measured: MeasuredMotion, context: PassContext): Settled {
  const { curve, others } = chooseCurve(judged, measured);
  const interval = findInterval(curve, measured);
  const { middle } = interval;
  const target: WarpTarget = middle === 1 ? 'next' : middle === -1 ? 'previous' : 'both';
  const levels = [1, 0].filter((l) => l < measured.now.length);
  const bend = target === 'both' && middle !== null ? { ...bendOf(measured), middle } : null;
  let fine = slide(curve.samples, curve.frameOffset, interval.hypothesis, measured, levels, { target, chosen: null, bend });
  if (bend !== null) {
    // Only points that were measured both ways took part: where they hardly miss a round zero, it is one.
    const held = interval.hypothesis;
    const { vx, vy } = velocitiesOf(curve.samples, held);
    const view = { target, chosen: null, bend, level: 0 };
    const free = velocitiesOf(fine.samples, fine.hypothesis);
    if (!isClearlyWorse(warpErrorsAt(measured, vx, vy, view), warpErrorsAt(measured, free.vx, free.vy, view)))
      fine = { ...fine, hypothesis: held };
  }
  const view = { target, chosen: null, bend, level: 0 };
  return { ...write(fine, measured, context, interval.sure ? middle : null), otherCurves: others, view };
}

const POINTS_FOR_CURVES = 1500;
const CURVES_TRIED: readonly Transfer[] = [
  { kind: 'none' },
  { kind: 'power', exponent: 2.2 },
  { kind: 'srgb' },
  { kind: 'power', exponent: 1.8 },
  { kind: 'power', exponent: 2.4 },
  { kind: 'power', exponent: 2.6 },
];

/** The curve under which the picture warps best; of those that warp equally well the most usual one. */
function chooseCurve(judged: Judged, measured: MeasuredMotion): { curve: Judged; others: Transfer[] } {
  const view = { target: 'both', chosen: spread(judged.samples, POINTS_FOR_CURVES), bend: null } as const;
  const tried = CURVES_TRIED.map((transfer) => {
    const slid = slide(judged.samples, judged.frameOffset, underCurve(judged, transfer), measured, [0], view);
    const { vx, vy } = velocitiesOf(judged.samples, slid.hypothesis);
    return { slid, transfer, errors: warpErrorsAt(measured, vx, vy, { ...view, level: 0 }), cost: curveCost(transfer) + zeroCost(slid) };
  });
  const best = tried.reduce((a, b) => (b.slid.error.mean < a.slid.error.mean ? b : a));
  const equal = tried.filter((t) => t === best || !isClearlyWorse(t.errors, best.errors));
  equal.sort((a, b) => a.cost - b.cost);
  return { curve: equal[0].slid, others: equal.slice(1).map((t) => t.transfer) };
}

function curveCost(transfer: Transfer): number {
  if (transfer.kind === 'none') return 0;
  return transfer.kind === 'srgb' || transfer.exponent === 2.2 ? 0.8 : 1.6;
}

/** How unusual the value is that stands still under this curve. */
function zeroCost({ hypothesis, deviations, samples }: Judged): number {
  if (hypothesis.layout === 'direction') return 0;
  return [0, 1].reduce((sum, axis) => {
    const [offset, slope] = [hypothesis.parameters[axis * 2], hypothesis.parameters[axis * 2 + 1]];
    if (!(deviations[axis * 2 + 1] < 0.2 * Math.abs(slope))) return sum;
    const zero = -offset / slope,
      shape = samples.shapes[axis === 0 ? hypothesis.x : hypothesis.y];
    const near = Math.max(3 * (deviations[axis * 2] / Math.abs(slope)), shape.step > 1e-3 ? 0.6 * shape.step : 0.001);
    const { undo } = transferPair(hypothesis.transfer);
    // What most pixels hold is known exactly; what was slid to is not.
    const rest = shape.restShare > 0.02 && Math.abs(undo(shape.rest) - zero) < near + 0.004 ? undo(shape.rest) : null;
    const distance = Math.min(...[0, 0.5].map((n) => Math.abs((rest ?? zero) - n)));
    return sum + Math.min(1, distance / (rest === null ? near : Math.max(shape.step > 1e-3 ? shape.step : 0, 0.001)) / 2);
  }, 0);
}

function write(
  judged: Judged,
  measured: MeasuredMotion,
  context: PassContext,
  middle: number | null,
): Omit<Settled, 'otherCurves' | 'view'> {
  const { samples, hypothesis, deviations } = judged;
  const { pass, shapes } = samples;
  const toPassX = pass.width / measured.width,
    toPassY = pass.height / measured.height;
  const base = {
    ivrexEncoding: 1 as const,
    note: '',
    space: 'screen' as const,
    transfer: hypothesis.transfer,
    premultiplied: false,
    alpha: null,
    noData: null,
  };
  const facts = { width: pass.width, height: pass.height, fps: context.fps, pixelAspect: context.pixelAspect, middle };
  const name = (c: number) => shapes[c].name;
  if (hypothesis.layout === 'direction') {
    const [perUnit] = hypothesis.parameters,
      sure = deviations[0] / Math.abs(perUnit);
    const scale = { x: perUnit * toPassX, y: perUnit * toPassY, sureX: sure, sureY: sure };
    const scales = snapScale(scale, { ...facts, plain: true });
    const [best] = scales;
    const { reversed, axes } = axesOf(hypothesis.signX, hypothesis.signY, middle);
    const encoding: Encoding = {
      ...base,
      name: '',
      sets: [
        { x: name(hypothesis.x), y: name(hypothesis.y), length: name(hypothesis.length), covers: coversOf(middle, best.span, reversed) },
      ],
      zero: hypothesis.zero,
      fullScale: { stored: 1, equals: best.equals, unit: best.unit },
      axes,
      pixelAspect: best.pixelAspect,
    };
    return { judged, encoding, zeros: [hypothesis.zero, hypothesis.zero], middle, scales, measuredX: true, measuredY: true };
  }
  const [offsetX, slopeX, offsetY, slopeY] = hypothesis.parameters;
  const moves = axisMoves(judged);
  const zeros = [moves[0] ? -offsetX / slopeX : null, moves[1] ? -offsetY / slopeY : null] as const;
  const zero = chooseZero(judged, zeros);
  // Around the middle 1 is full scale; beside 0 it is a unit beyond the zero, so that pixels stay pixels.
  const stored = Math.abs(zero) < 0.2 ? 1 + zero : 1,
    full = stored - zero;
  const scale = {
    x: moves[0] ? slopeX * full * toPassX : null,
    y: moves[1] ? slopeY * full * toPassY : null,
    sureX: deviations[1] / Math.abs(slopeX),
    sureY: deviations[3] / Math.abs(slopeY),
  };
  const scales = snapScale(scale, { ...facts, plain: Math.abs(zero) < 0.2 });
  const [best] = scales;
  const { reversed, axes } = axesOf(
    moves[0] ? Math.sign(slopeX) : 1,
    moves[1] ? Math.sign(slopeY) : moves[0] ? Math.sign(slopeX) : 1,
    middle,
  );
  const encoding: Encoding = {
    ...base,
    name: '',
    sets: [{ x: name(hypothesis.x), y: name(hypothesis.y), length: null, covers: coversOf(middle, best.span, reversed) }],
    zero,
    fullScale: { stored, equals: best.equals, unit: best.unit },
    axes,
    pixelAspect: best.pixelAspect,
  };
  return { judged, encoding, zeros, middle, scales, measuredX: moves[0], measuredY: moves[1] };
}

/** An axis tells its slope when its values vary by enough pixels and the slope is well determined. */
function axisMoves({ samples, hypothesis, deviations }: Judged): readonly [boolean, boolean] {
  const { basisX, basisY } = motionOf(samples, hypothesis);
  const along = (u: Float64Array | null, slope: number, deviation: number) => {
    if (u === null) return true;
    const sorted = Float64Array.from(u.filter((v) => v - v === 0)).sort();
    const spread = (sorted[Math.floor(sorted.length * 0.95)] - sorted[Math.floor(sorted.length * 0.05)]) * Math.abs(slope);
    return spread > 0.4 && deviation < 0.15 * Math.abs(slope);
  };
  return [along(basisX[1], hypothesis.parameters[1], deviations[1]), along(basisY[3], hypothesis.parameters[3], deviations[3])];
}

/**
 * Signs as axes, or as time turned round: position(before) - position(now) is stored more often than both axes mirrored, and so it is with
 * x mirrored when the vectors are known to be about the frame before.
 */
function axesOf(signX: number, signY: number, middle: number | null): { reversed: boolean; axes: Encoding['axes'] } {
  const reversed = signX < 0 && (signY < 0 || (middle !== null && middle < 0));
  const x = reversed ? -signX : signX,
    y = reversed ? -signY : signY;
  return { reversed, axes: { x: x < 0 ? 'left' : 'right', y: y < 0 ? 'up' : 'down' } };
}

function chooseZero({ samples, hypothesis, deviations }: Judged, zeros: readonly (number | null)[]): number {
  if (hypothesis.layout === 'direction') return hypothesis.zero;
  const { undo } = transferPair(hypothesis.transfer);
  const axes = [0, 1]
    .map((axis) => {
      const shape: ChannelShape = samples.shapes[axis === 0 ? hypothesis.x : hypothesis.y];
      const value = zeros[axis];
      return value === null
        ? null
        : { shape, value, deviation: Math.max(1e-6, deviations[axis * 2] / Math.abs(hypothesis.parameters[axis * 2 + 1])) };
    })
    .filter((a) => a !== null);
  if (axes.length === 0) return undo(samples.shapes[hypothesis.x].rest);
  const weight = axes.reduce((s, a) => s + a.deviation ** -2, 0);
  const value = axes.reduce((s, a) => s + a.value * a.deviation ** -2, 0) / weight;
  const code = Math.max(...axes.map((a) => (a.shape.step > 1e-3 ? a.shape.step : 0)));
  // A tenth of a pixel is what the warp can tell, whatever it says of itself.
  const slope = Math.max(Math.abs(hypothesis.parameters[1]), Math.abs(hypothesis.parameters[3]));
  const near = Math.max(4 / Math.sqrt(weight), 0.75 * code, Math.min(0.1 / slope, 0.2));
  const rests = axes.filter((a) => a.shape.restShare > 0.02).map((a) => undo(a.shape.rest));
  const still = rests.find((r) => Math.abs(r - value) < near + 0.002);
  const round = [0, 0.5].find((z) => Math.abs(z - value) < near);
  if (still === undefined) return round ?? Number(value.toPrecision(5));
  // Resting pixels may have been rounded away from the true zero: what moves tells better, if it tells clearly.
  const doubt = Math.max(2.5 / Math.sqrt(weight), 0.02 / slope);
  if (round !== undefined && Math.abs(still - value) - Math.abs(round - value) > doubt) return round;
  return tidy(still, Math.max(...axes.map((a) => a.shape.step)));
}

/** A value that a curve was undone of, or that was rounded to 16 bits: 0.49999998 is 0.5. 8 bits say 127 or 128, and mean it. */
function tidy(value: number, step: number): number {
  const near = step < 1e-3 ? Math.max(2e-6, step) : 2e-6;
  return [0, 0.5, 1].find((z) => Math.abs(z - value) < near) ?? value;
}
