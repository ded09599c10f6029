import type { Transfer } from '../../colour/transfer';
import { motionOf, samplesOf, suggestFromFlow, velocitiesOf, type Hypothesis, type PassSamples } from './hypothesis';
import type { MeasuredMotion } from './measured-motion';
import { suggestFromSweep } from './sweep';
import { shapeOf, type StoredPass } from './stored-pass';
import { fitWarp, warpErrorOf, type WarpError, type WarpView } from './warp-fit';

/** A hypothesis after the pictures have had their say. */
export interface Judged {
  readonly samples: PassSamples;
  /** Added to the beauty's frame number to get the file's. */
  readonly frameOffset: number;
  readonly hypothesis: Hypothesis;
  readonly deviations: Float64Array;
  readonly error: WarpError;
}

const FEW_POINTS = 1000,
  GOOD_ENOUGH = 0.4;

/** A spread-out part of the points. */
export function spread(samples: PassSamples, most: number): Int32Array {
  const count = samples.values[0].length;
  const every = Math.max(1, count / most);
  return Int32Array.from({ length: Math.floor(count / every) }, (_, k) => Math.floor(k * every));
}

/** Every hypothesis that flow or the sweep suggests, slid to where the picture fits best; best first. */
export function judgePass(pass: StoredPass, frameOffset: number, measured: MeasuredMotion): Judged[] {
  const shapes = pass.channels.map((c) => shapeOf(c, pass.width));
  const samples = samplesOf(pass, shapes, measured);
  if (samples.varying.length < 2 || measured.x.length < 24) return [];
  const chosen = spread(samples, FEW_POINTS);
  const view = { target: 'both', chosen, bend: null } as const;
  const judge = (suggested: readonly Hypothesis[]) =>
    withoutDoubles(samples, suggested).map((hypothesis) => slide(samples, frameOffset, hypothesis, measured, coarseToFine(measured), view));
  const judged = judge(suggestFromFlow(samples, measured));
  const still = new Float64Array(measured.x.length);
  const before = warpErrorOf(measured, still, still, { ...view, level: 0 }).mean;
  // Where flow has led to a reading that takes most of the difference away, the long search has nothing to add.
  if (!judged.some((j) => j.error.mean < GOOD_ENOUGH * before)) judged.push(...judge(suggestFromSweep(samples, measured)));
  return judged.sort(byError);
}

/** The readings that were best for one file of a sequence, slid to where another file's pictures fit best: files of one sequence are stored alike. */
export function judgeAlike(best: readonly Judged[], pass: StoredPass, frameOffset: number, measured: MeasuredMotion): Judged[] {
  const samples = samplesOf(pass, best[0].samples.shapes, measured);
  const view = { target: 'both', chosen: spread(samples, FEW_POINTS), bend: null } as const;
  return best.map(({ hypothesis }) => slide(samples, frameOffset, hypothesis, measured, coarseToFine(measured), view)).sort(byError);
}

/** Suggestions that read the same channels alike within a twentieth would slide to the same place. */
function withoutDoubles(samples: PassSamples, suggested: readonly Hypothesis[]): Hypothesis[] {
  const kept: { readonly hypothesis: Hypothesis; readonly vx: Float64Array; readonly vy: Float64Array }[] = [];
  for (const hypothesis of suggested) {
    const { vx, vy } = velocitiesOf(samples, hypothesis);
    const double = kept.some(
      (k) =>
        k.hypothesis.transfer === hypothesis.transfer &&
        k.hypothesis.layout === hypothesis.layout &&
        k.hypothesis.x === hypothesis.x &&
        k.hypothesis.y === hypothesis.y &&
        isSameMotion(k.vx, k.vy, vx, vy, 0.08),
    );
    if (!double) kept.push({ hypothesis, vx, vy });
  }
  return kept.map((k) => k.hypothesis);
}

/** Their median difference is below a share of the speed. */
export function isSameMotion(ax: Float64Array, ay: Float64Array, bx: Float64Array, by: Float64Array, share = 0.05): boolean {
  const off: number[] = [];
  for (let k = 0; k < ax.length; k++) {
    const d = Math.hypot(ax[k] - bx[k], ay[k] - by[k]) / (0.5 + Math.hypot(ax[k], ay[k]));
    if (d === d) off.push(d);
  }
  off.sort((a, b) => a - b);
  return off.length > 0 && off[off.length >> 1] < share;
}

export function byError(a: Judged, b: Judged): number {
  return a.error.mean - b.error.mean;
}

function coarseToFine(measured: MeasuredMotion): number[] {
  return [2, 1, 0].filter((l) => l < measured.now.length);
}

export function slide(
  samples: PassSamples,
  frameOffset: number,
  hypothesis: Hypothesis,
  measured: MeasuredMotion,
  levels: readonly number[],
  view: Omit<WarpView, 'level'>,
): Judged {
  const fit = fitWarp(measured, motionOf(samples, hypothesis), hypothesis.parameters, levels, view);
  const slid: Hypothesis = { ...hypothesis, parameters: fit.parameters };
  const { vx, vy } = velocitiesOf(samples, slid);
  return {
    samples,
    frameOffset,
    hypothesis: slid,
    deviations: fit.deviations,
    error: warpErrorOf(measured, vx, vy, { ...view, level: 0 }),
  };
}

/** The same channels under another curve, starting from the same velocities. */
export function underCurve(judged: Judged, transfer: Transfer): Hypothesis {
  const { samples, hypothesis } = judged;
  if (hypothesis.layout === 'direction') return { ...hypothesis, transfer };
  const { vx, vy } = velocitiesOf(samples, hypothesis);
  const { basisX, basisY } = motionOf(samples, { ...hypothesis, transfer });
  const [ox, sx] = plainLine(basisX[1], vx),
    [oy, sy] = plainLine(basisY[3], vy);
  return { ...hypothesis, transfer, parameters: Float64Array.of(ox, sx, oy, sy) };
}

function plainLine(u: Float64Array | null, v: Float64Array): readonly [number, number] {
  let n = 0,
    su = 0,
    sv = 0,
    suu = 0,
    suv = 0;
  if (u === null) return [0, 0];
  for (let k = 0; k < u.length; k++) {
    if (u[k] - u[k] !== 0 || v[k] - v[k] !== 0) continue;
    n++;
    su += u[k];
    sv += v[k];
    suu += u[k] * u[k];
    suv += u[k] * v[k];
  }
  const slope = (n * suv - su * sv) / Math.max(1e-12, n * suu - su * su);
  return [(sv - slope * su) / Math.max(1, n), slope];
}
