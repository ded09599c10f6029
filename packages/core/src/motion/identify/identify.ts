import type { Encoding } from '../encoding/encoding';
import { resizePlane } from '../../raster/resize';
import { describeEncoding } from '../encoding/describe-encoding';
import { pairedT } from './compare-errors';
import { relationToAlpha, type EdgeRelation } from './edges';
import { evidenceOf } from './evidence';
import { confidenceOf } from './confidence';
import { transferPair } from '../../colour/transfer';
import { velocitiesOf, type PassSamples } from './hypothesis';
import type { Identification, MotionFiles } from './identification';
import { judgeAlike, judgePass, type Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import { readFromValues } from './read-from-values';
import { settle, type Settled } from './settle';
import type { StoredPass } from './stored-pass';
import { symptomsOf } from './symptoms';
import { onOneSide, outsideOf, secondSet } from './two-sets';
import { BOTH, warpErrorOf, warpErrorsAt } from './warp-fit';

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
  const others = second === null ? rivals : outsideOf(second.sets, settled.judged, rivals);
  const evidence = evidenceOf(full, measured, others);
  const confidence = confidenceOf(full, measured, others, evidence.explained);
  if (confidence < LEAST_CONFIDENCE) {
    const fallback = readFromValues(measured, files);
    if (fallback.confidence > confidence) return { ...fallback, symptoms: [...fallback.symptoms, ...foreign(evidence.measured)] };
  }
  return {
    encoding: full.encoding,
    confidence,
    frameOffset: settled.judged.frameOffset,
    symptoms: symptomsOf(full, measured, files, relation, confidence),
    evidence,
  };
}

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

/** Of the pass's own alpha, or the beauty's brought to the pass's size. */
function alphaRelation({ judged }: Settled, measured: MeasuredMotion): EdgeRelation | null {
  const { pass } = judged.samples,
    { hypothesis } = judged;
  const alpha = ownAlpha(judged.samples)?.data ?? resizePlane(measured.alpha, measured.width, measured.height, pass.width, pass.height);
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
      mend: { kind: 'makeMotion' },
      at: null,
    },
  ];
}
