import type { Encoding } from '../encoding';
import { resizePlane } from '../../raster/resize';
import { describeEncoding } from '../describe-encoding';
import { pairedT } from './compare-errors';
import { relationToAlpha, type EdgeRelation } from './edges';
import { evidenceOf } from './evidence';
import { transferPair } from '../transfer';
import { velocitiesOf, type PassSamples } from './hypothesis';
import type { Identification, MotionFiles } from './identification';
import { isSameMotion, judgePass, slide, type Judged } from './judge';
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
  const confidence = confidenceOf(full, measured, rivals, evidence.explained);
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

/** Below this the pictures do not support the reading. */
const LEAST_CONFIDENCE = 0.35;

function bestReading(measured: MeasuredMotion, files: MotionFiles): { settled: Settled; rivals: Judged[] } | null {
  const own = judgePass(files.now, 0, measured);
  // A reading that leaves next to nothing is of the right file: the neighbours need not be read.
  const isClear = own.length > 0 && own[0].error.mean < CLEARLY_RIGHT * stillError(own[0], measured);
  const beside = isClear
    ? []
    : [
        ...(files.next === null ? [] : judgePass(files.next, 1, measured)),
        ...(files.previous === null ? [] : judgePass(files.previous, -1, measured)),
      ];
  const [first] = own.length > 0 ? own : beside;
  if (first === undefined) return null;
  // Another file's number must be clearly better: motion changes little from frame to frame.
  const other = beside.filter((j) => isBetter(j, first, measured)).sort((a, b) => a.error.mean - b.error.mean)[0] ?? first;
  const settled = settle(other, measured, files);
  return { settled, rivals: [...own, ...beside].filter((j) => j !== other) };
}

/** Of the picture's difference this share is left by the right file; the file beside it leaves twice as much even where motion is smooth. */
const CLEARLY_RIGHT = 0.27;

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
  const pass = samples.pass;
  const rest: StoredPass = { ...pass, channels: left.map((c) => pass.channels[c]) };
  const [found] = judgePass(rest, frameOffset, measured);
  if (found === undefined || found.hypothesis.layout === 'direction') return null;
  const same = slide(found.samples, frameOffset, { ...found.hypothesis, transfer: hypothesis.transfer }, measured, [0], {
    target: 'both',
    chosen: null,
    bend: null,
  });
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
function confidenceOf(settled: Settled, measured: MeasuredMotion, rivals: readonly Judged[], explained: number): number {
  const { judged, scales } = settled;
  const { vx, vy } = velocitiesOf(judged.samples, judged.hypothesis);
  const still = new Float64Array(vx.length).map((_, k) => (vx[k] - vx[k] === 0 ? 0 : NaN));
  const errors = warpErrorsAt(measured, vx, vy, BOTH);
  const before = warpErrorOf(measured, still, still, { ...settled.view, bend: null }),
    after = warpErrorOf(measured, vx, vy, settled.view);
  const drop = before.mean > 0 ? 1 - after.mean / before.mean : 0;
  const overStill = pairedT(warpErrorsAt(measured, still, still, BOTH), errors);
  let margin = Infinity;
  for (const rival of rivals) {
    const other = velocitiesOf(rival.samples, rival.hypothesis);
    if (isSameMotion(vx, vy, other.vx, other.vy)) continue;
    // Two more channels that say nearly the same are the other neighbour's set, not another reading.
    const used = [judged.hypothesis.x, judged.hypothesis.y];
    const disjoint = ![rival.hypothesis.x, rival.hypothesis.y].some((c) => used.includes(c));
    if (disjoint && isSameMotion(vx, vy, other.vx, other.vy, 0.3)) continue;
    margin = Math.min(margin, pairedT(warpErrorsAt(measured, other.vx, other.vy, BOTH), errors));
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
