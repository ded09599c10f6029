import type { Encoding } from '../encoding';
import { resizePlane } from '../../raster/resize';
import { describeEncoding } from '../describe-encoding';
import { pairedT } from './compare-errors';
import { relationToAlpha, type EdgeRelation } from './edges';
import { evidenceOf } from './evidence';
import { transferPair } from '../transfer';
import { velocitiesOf, type Hypothesis, type PassSamples } from './hypothesis';
import type { Identification, MotionFiles } from './identification';
import { isSameMotion, judgeAlike, judgePass, slide, spread, type Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import { readFromValues } from './read-from-values';
import { settle, type Settled } from './settle';
import type { StoredPass } from './stored-pass';
import { symptomsOf } from './symptoms';
import { fitWarp, warpErrorOf, warpErrorsAt, type WarpView } from './warp-fit';

/**
 * Works out how a motion pass is stored: measured motion suggests readings, the warped picture judges them, round values are taken
 * where the pictures allow them. Falls back on the values alone, with little confidence, when the pictures do not tell.
 * About a second for 960 x 540 on one thread, beside `measureMotion`.
 */
export function identifyEncoding(measured: MeasuredMotion, files: MotionFiles): Identification {
  const best = bestReading(measured, files);
  if (best === null) return readFromValues(measured, files);
  const { settled, rivals } = best;
  const second = secondSet(settled, measured, files);
  const finished = second === null ? settled : { ...settled, encoding: second };
  const relation = alphaRelation(finished, measured);
  const encoding = withAlpha(finished, relation, measured);
  const full: Settled = { ...finished, encoding: { ...encoding, name: describeEncoding(encoding) } };
  const evidence = evidenceOf(full, measured, rivals);
  const confidence = confidenceOf(full, measured, rivals, evidence.explained, second !== null);
  if (confidence < LEAST_CONFIDENCE) {
    const fallback = readFromValues(measured, files);
    if (fallback.confidence > confidence) return { ...fallback, symptoms: [...fallback.symptoms, ...foreign(evidence.measured)] };
  }
  return {
    encoding: full.encoding,
    confidence,
    frameOffset: settled.judged.frameOffset,
    symptoms: symptomsOf(full, measured, relation, confidence),
    evidence,
  };
}

const BOTH: WarpView = { target: 'both', level: 0, chosen: null, bend: null };

const SIDES = (['next', 'previous'] as const).map((target): WarpView => ({ ...BOTH, target })),
  CLEARLY_WORSE = 1.1;

/** Below this the pictures do not support the reading. */
const LEAST_CONFIDENCE = 0.35;

function bestReading(measured: MeasuredMotion, files: MotionFiles): { settled: Settled; rivals: Judged[] } | null {
  const both = judgePass(files.now, 0, measured),
    own = onOneSide(both, measured);
  // A reading that leaves next to nothing is of the right file: the neighbours need not be read.
  const leftBy = ([best]: readonly Judged[]) => (best === undefined ? 1 : best.error.mean / stillError(best, measured)),
    left = leftBy(own);
  // One that leaves little is the right reading, if perhaps of the file beside it.
  const judgeBeside = (pass: StoredPass, by: 1 | -1) =>
    left < MOSTLY_RIGHT && pass.width === files.now.width
      ? judgeAlike(own.slice(0, ALIKE), pass, by, measured)
      : judgePass(pass, by, measured);
  const beside =
    leftBy(both) < CLEARLY_RIGHT
      ? []
      : [...(files.next === null ? [] : judgeBeside(files.next, 1)), ...(files.previous === null ? [] : judgeBeside(files.previous, -1))];
  const [first] = own.length > 0 ? own : beside;
  if (first === undefined) return null;
  // Another file's number must be clearly better: motion changes little from frame to frame.
  const other = beside.filter((j) => isBetter(j, first, measured)).sort((a, b) => a.error.mean - b.error.mean)[0] ?? first;
  const settled = settle(other, measured, files);
  return { settled, rivals: [...own, ...beside].filter((j) => j !== other) };
}

const LOOKED_AT_AGAIN = 6,
  PARTNERED = 2;

/**
 * Where everything speeds up, the way to the next frame is far from the mirrored way to the previous one, and against both a mixture of
 * the two does as well as either. Where two pairs of channels that are stored alike explain a neighbour each, they are two sets, and the
 * one to the next frame is read first. Gives back what it got where there are no such pairs.
 */
function onOneSide(judged: readonly Judged[], measured: MeasuredMotion): readonly Judged[] {
  if (judged.length === 0 || judged[0].samples.varying.length < 4 || measured.next === null || measured.previous === null) return judged;
  const [{ samples, frameOffset }] = judged,
    chosen = spread(samples, 1000);
  const on = (side: WarpView, hypothesis: Hypothesis) => slide(samples, frameOffset, hypothesis, measured, [1, 0], { ...side, chosen });
  const pairs = SIDES.flatMap((side, s) => {
    const firsts = judged.slice(0, LOOKED_AT_AGAIN).map((j) => on(side, j.hypothesis));
    firsts.sort((a, b) => likely(a) - likely(b));
    return firsts.slice(0, PARTNERED).flatMap((first) =>
      partnersOf(first).map((partner) => {
        const other = on(SIDES[1 - s], partner);
        return { next: s === 0 ? first : other, previous: s === 0 ? other : first, unlikely: likely(first) + likely(other) };
      }),
    );
  })
    .filter(({ next, previous }) => areTwoSets(next.hypothesis, previous.hypothesis))
    .sort((a, b) => a.unlikely - b.unlikely)
    .map((pair) => ({ ...pair, error: (pair.next.error.mean + pair.previous.error.mean) / 2 }));
  if (pairs.length > 0 && pairs[0].error < judged[0].error.mean) {
    const { next, previous } = pairs[0];
    return [next, previous, ...judged];
  }
  return judged;
}

/** What is stored like it in two other channels, for the other neighbour: the same zero and scale, turned round or not. */
function partnersOf({ samples, hypothesis }: Judged): Hypothesis[] {
  if (hypothesis.layout === 'direction') return [];
  const left = samples.varying.filter((c) => c !== hypothesis.x && c !== hypothesis.y);
  return left.flatMap((x) =>
    left
      .filter((y) => y !== x)
      .flatMap((y) => [1, -1].map((sign) => ({ ...hypothesis, x, y, parameters: hypothesis.parameters.map((p) => sign * p) }))),
  );
}

/**
 * The error, weighed up where x and y are no neighbours in the file or no motion is stored as no usual value: a common acceleration lets
 * x of one set pass for x of the other, with a zero of its own.
 */
function likely({ samples, hypothesis, error }: Judged): number {
  if (hypothesis.layout === 'direction') return error.mean;
  const { undo } = transferPair(hypothesis.transfer),
    [ox, sx, oy, sy] = hypothesis.parameters;
  const off = (c: number, offset: number, slope: number) => {
    const { rest, restShare } = samples.shapes[c];
    return Math.min(...[0, 0.5, ...(restShare > 0.02 ? [undo(rest)] : [])].map((zero) => Math.abs(offset + slope * zero)));
  };
  const px = Math.hypot(off(hypothesis.x, ox, sx), off(hypothesis.y, oy, sy));
  return error.mean * (Math.abs(hypothesis.x - hypothesis.y) === 1 ? 1 : 1.1) * (1 + 0.1 * Math.min(3, px));
}

/** Other channels, the same scale, and the same sign or the other one on both axes. */
function areTwoSets(a: Hypothesis, b: Hypothesis): boolean {
  if (a.layout === 'direction' || b.layout === 'direction') return false;
  if ([b.x, b.y].some((c) => c === a.x || c === a.y)) return false;
  const [, ax, , ay] = a.parameters,
    [, bx, , by] = b.parameters;
  return Math.sign(ax * bx) === Math.sign(ay * by) && [ax / bx, ay / by].every((r) => Math.abs(Math.log(Math.abs(r))) < 0.12);
}

/** Of the picture's difference this share is left by the right file; the file beside it leaves twice as much even where motion is smooth. */
const CLEARLY_RIGHT = 0.27,
  MOSTLY_RIGHT = 0.6,
  ALIKE = 4;

/** What the pictures differ by where a reading has vectors, without them. */
function stillError({ samples, hypothesis }: Judged, measured: MeasuredMotion): number {
  const { vx } = velocitiesOf(samples, hypothesis);
  const still = vx.map((v) => (v - v === 0 ? 0 : NaN));
  return warpErrorOf(measured, still, still, BOTH).mean;
}

function isBetter(a: Judged, b: Judged, measured: MeasuredMotion): boolean {
  const errors = [a, b].map((j) => {
    const { vx, vy } = velocitiesOf(j.samples, j.hypothesis);
    return warpErrorsAt(measured, vx, vy, BOTH);
  });
  const t = pairedT(errors[1], errors[0]);
  return t > 4;
}

/** Two more channels that hold the way to the other neighbour: the encoding with both sets, or null. */
function secondSet(settled: Settled, measured: MeasuredMotion, files: MotionFiles): Encoding | null {
  const { samples, hypothesis, frameOffset } = settled.judged;
  if (hypothesis.layout === 'direction') return null;
  const left = samples.varying.filter((c) => c !== hypothesis.x && c !== hypothesis.y);
  if (left.length < 2 || measured.next === null || measured.previous === null) return null;
  const chosen = spread(samples, 1000);
  const tried = partnersOf(settled.judged).map((partner) =>
    slide(samples, frameOffset, partner, measured, [1, 0], { target: 'both', chosen, bend: null }),
  );
  tried.sort((a, b) => a.error.mean - b.error.mean);
  const [found] = tried;
  if (found === undefined || found.hypothesis.layout === 'direction') return null;
  const same = slide(samples, frameOffset, found.hypothesis, measured, [0], { target: 'both', chosen: null, bend: null });
  const other = settle({ ...found, hypothesis: same.hypothesis }, measured, files);
  if (other.judged.error.mean > 1.4 * settled.judged.error.mean + 0.003) return null;
  const [mine] = settled.encoding.sets,
    [theirs] = other.encoding.sets;
  const [, slopeX, , slopeY] = hypothesis.parameters,
    [, otherX, , otherY] = other.judged.hypothesis.parameters;
  const flip = Math.sign(slopeX * otherX);
  if (Math.abs(Math.log(Math.abs(otherX / slopeX))) > 0.12 || flip !== Math.sign(slopeY * otherY)) return null;
  // The same vectors twice are one set.
  if (flip > 0 && settled.middle === other.middle) return null;
  const middle = Math.sign(settled.middle ?? -(other.middle ?? -1)) || 1,
    length = Math.abs(mine.covers.to - mine.covers.from),
    onward = Math.sign(mine.covers.to - mine.covers.from);
  /** The interval on one side of the frame, from its start to its end or the other way round. */
  const covers = (side: number, sense: number): Encoding['sets'][number]['covers'] => {
    const [from, to] = side > 0 ? [0, length] : [-length, 0];
    return sense > 0 ? { from, to, unit: mine.covers.unit } : { from: to, to: from, unit: mine.covers.unit };
  };
  const sets = [
    { ...mine, covers: covers(middle, onward) },
    { ...theirs, covers: covers(-middle, onward * flip) },
  ];
  // To the next frame first.
  return { ...settled.encoding, sets: middle < 0 ? sets.reverse() : sets };
}

/** Of the pass's own alpha, or the beauty's brought to the pass's size. */
function alphaRelation({ judged }: Settled, measured: MeasuredMotion): EdgeRelation | null {
  const { pass } = judged.samples,
    { hypothesis } = judged;
  const alpha =
    ownAlpha(judged.samples)?.data ?? resizePlane(measured.alpha, measured.width, measured.height, pass.width, pass.height, 'linear');
  return relationToAlpha(pass, [hypothesis.x, hypothesis.y], alpha);
}

function withAlpha({ encoding, judged }: Settled, relation: EdgeRelation | null, measured: MeasuredMotion): Encoding {
  const own = ownAlpha(judged.samples);
  if (relation === 'multiplied') return { ...encoding, premultiplied: true, alpha: own?.name ?? null };
  return { ...encoding, noData: noDataOf(judged, measured) };
}

/** The pass's own alpha, when it is one: a channel of that name that covers something and not everything. */
function ownAlpha({ pass, shapes }: PassSamples): StoredPass['channels'][number] | null {
  const at = pass.channels.findIndex((c) => /^(a|alpha)$/i.test(c.name.slice(c.name.lastIndexOf('.') + 1)));
  return at >= 0 && shapes[at].max > 0 && shapes[at].max > shapes[at].min && shapes[at].min >= 0 ? pass.channels[at] : null;
}

/** What most pixels hold, when it can't be the value that stands still and the picture has nothing there. */
function noDataOf({ samples, hypothesis }: Judged, measured: MeasuredMotion): number | null {
  if (hypothesis.layout === 'direction') return null;
  const x = samples.shapes[hypothesis.x],
    y = samples.shapes[hypothesis.y];
  if (x.rest !== y.rest || x.restShare < 0.02 || y.restShare < 0.02) return null;
  const { undo } = transferPair(hypothesis.transfer);
  const { parameters } = hypothesis,
    { pass } = samples;
  const speed = Math.hypot(parameters[0] + parameters[1] * undo(x.rest), parameters[2] + parameters[3] * undo(y.rest));
  const reach = Math.abs(parameters[1]) * (undo(x.high) - undo(x.low)) + Math.abs(parameters[3]) * (undo(y.high) - undo(y.low));
  if (!(speed > 1 + 0.1 * reach)) return null;
  let there = 0,
    empty = 0;
  const { data } = pass.channels[hypothesis.x];
  for (let j = 0; j < data.length; j += 11) {
    if (data[j] !== x.rest) continue;
    there++;
    const px = Math.floor((((j % pass.width) + 0.5) * measured.width) / pass.width),
      py = Math.floor(((Math.floor(j / pass.width) + 0.5) * measured.height) / pass.height);
    if (measured.alpha[py * measured.width + px] < 0.02) empty++;
  }
  return there > 20 && empty > 0.7 * there ? x.rest : null;
}

function foreign(measuredPoints: number): Identification['symptoms'] {
  if (measuredPoints < 120) return [];
  return [
    {
      code: 'otherAnimation',
      severity: 'error',
      message: `The picture's motion was measured at ${measuredPoints} points, and no reading of this pass explains it.`,
      effect: 'Blur would point anywhere.',
      advice: 'Check that the pass belongs to this animation and these frame numbers, or estimate motion from the frames instead.',
      at: null,
    },
  ];
}

/**
 * How sure a reading is, 0 to 1, held against the test set: what the warp takes away of the picture's difference, how clearly other
 * readings are worse, and how much of the measured motion it explains.
 */
function confidenceOf(
  settled: Settled,
  measured: MeasuredMotion,
  rivals: readonly Judged[],
  explained: number,
  hasTwoSets: boolean,
): number {
  const { judged, scales } = settled;
  const { vx, vy } = velocitiesOf(judged.samples, judged.hypothesis);
  const still = new Float64Array(vx.length).map((_, k) => (vx[k] - vx[k] === 0 ? 0 : NaN));
  const errors = warpErrorsAt(measured, vx, vy, BOTH);
  const before = warpErrorOf(measured, still, still, { ...settled.view, bend: null }),
    after = warpErrorOf(measured, vx, vy, settled.view);
  const drop = before.mean > 0 ? 1 - after.mean / before.mean : 0;
  const overStill = pairedT(warpErrorsAt(measured, still, still, BOTH), errors);
  let margin = Infinity;
  const ownSide = settled.middle === 1 ? SIDES[0] : settled.middle === -1 ? SIDES[1] : null;
  const { sets } = settled.encoding,
    nameOf = (c: number) => judged.samples.pass.channels[c].name;
  for (const rival of rivals) {
    const other = velocitiesOf(rival.samples, rival.hypothesis);
    if (isSameMotion(vx, vy, other.vx, other.vy)) continue;
    // One axis of each of two sets is a mixture of them, not another reading.
    if (hasTwoSets && sets.some((s) => s.x === nameOf(rival.hypothesis.x)) && sets.some((s) => s.y === nameOf(rival.hypothesis.y)))
      continue;
    // Two more channels that say nearly the same are the other neighbour's set, not another reading.
    const used = [judged.hypothesis.x, judged.hypothesis.y];
    const disjoint = ![rival.hypothesis.x, rival.hypothesis.y].some((c) => used.includes(c));
    if (disjoint && isSameMotion(vx, vy, other.vx, other.vy, 0.3)) continue;
    let t = pairedT(warpErrorsAt(measured, other.vx, other.vy, BOTH), errors);
    // Where things speed up, a vector to one neighbour fits that one, and its mirror image the other one only half.
    if (ownSide !== null) {
      const fits = warpErrorOf(measured, vx, vy, ownSide).mean,
        theirs = Math.min(...SIDES.map((side) => warpErrorOf(measured, other.vx, other.vy, side).mean));
      if (theirs > CLEARLY_WORSE * fits)
        t = Math.max(t, pairedT(warpErrorsAt(measured, other.vx, other.vy, ownSide), warpErrorsAt(measured, vx, vy, ownSide)));
      else if (disjoint) continue;
    }
    margin = Math.min(margin, t);
  }
  // Everything moving alike needs no pass: a reading must do clearly better than the best single vector.
  const alike = bestSingleVector(measured, vx, vy);
  if (!isSameMotion(vx, vy, alike.vx, alike.vy))
    margin = Math.min(margin, pairedT(warpErrorsAt(measured, alike.vx, alike.vy, BOTH), errors));
  const rise = (v: number, half: number) => v / (v + half);
  let confidence = rise(Math.max(0, drop - 0.05), 0.02) * rise(Math.max(0, overStill - 2), 0.4) * rise(Math.max(0, margin - 2), 0.3);
  confidence *= rise(after.points, 12);
  if (explained < 0.35) confidence *= 0.4 + explained;
  if (!settled.measuredX || !settled.measuredY) confidence *= 0.75;
  if (scales[0]?.snapped !== true) confidence *= 0.93;
  confidence /= 1 + 1.5 * coarseness(judged, vx, vy);
  return Math.min(0.99, Number.isNaN(confidence) ? 0 : confidence);
}

/** A step of the pass where values stand still, as a share of the usual speed: what lies between two steps can't be read. */
function coarseness({ samples, hypothesis }: Judged, vx: Float64Array, vy: Float64Array): number {
  if (hypothesis.layout === 'direction') return 0;
  const speeds = vx.map((x, k) => Math.hypot(x, vy[k])).filter((s) => s - s === 0);
  speeds.sort();
  const usual = speeds[speeds.length >> 1] ?? 0;
  if (!(usual > 0)) return 0;
  const { undo, apply } = transferPair(hypothesis.transfer);
  const [ox, slope] = hypothesis.parameters;
  const { step } = samples.shapes[hypothesis.x];
  // Of 16 bits and floats the steps are finer than anything that is measured.
  if (step < 1e-3) return 0;
  const rest = apply(-ox / slope);
  return Math.min(1, Math.abs(slope * (undo(rest + step) - undo(rest))) / usual);
}

function bestSingleVector(measured: MeasuredMotion, vx: Float64Array, vy: Float64Array): { vx: Float64Array; vy: Float64Array } {
  const ones = vx.map((v) => (v - v === 0 ? 1 : NaN));
  const middle = (v: Float64Array) => {
    const sorted = v.filter((n) => n - n === 0).sort();
    return sorted.length === 0 ? 0 : sorted[sorted.length >> 1];
  };
  const { parameters } = fitWarp(
    measured,
    { basisX: [ones, null], basisY: [null, ones] },
    Float64Array.of(middle(vx), middle(vy)),
    [2, 1, 0].filter((l) => l < measured.now.length),
    { target: 'both', chosen: null, bend: null },
  );
  return { vx: ones.map((o) => o * parameters[0]), vy: ones.map((o) => o * parameters[1]) };
}
