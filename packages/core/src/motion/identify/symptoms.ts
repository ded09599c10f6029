import { resizeNearest } from '../../raster/resize';
import type { Encoding, ScaleUnit } from '../encoding/encoding';
import { curveWords } from '../encoding/describe-encoding';
import { blurredBeauty } from './blurred-beauty';
import { mixedEdgeShare, type EdgeRelation } from './edges';
import type { MotionFiles, Symptom } from './identification';
import type { MeasuredMotion } from './measured-motion';
import type { Settled } from './settle';
import type { ScaleReading } from './snap-scale';
import type { StoredPass } from './stored-pass';
import { adderTo, valueSymptoms, type Add } from './value-symptoms';

/** What is wrong with the pass, worst first. */
export function symptomsOf(
  settled: Settled,
  measured: MeasuredMotion,
  files: MotionFiles,
  relation: EdgeRelation | null,
  confidence: number,
): Symptom[] {
  const { encoding, judged } = settled;
  const { pass, shapes } = judged.samples,
    { hypothesis } = judged;
  const used = [shapes[hypothesis.x], shapes[hypothesis.y]];
  const out = valueSymptoms(encoding, shapes, { width: pass.width, height: pass.height, fps: files.fps });
  const add = adderTo(out);
  if (judged.frameOffset !== 0)
    add({
      code: 'frameOff',
      severity: 'warning',
      message: `The motion of this frame is in the file numbered ${judged.frameOffset > 0 ? 'one later' : 'one earlier'}.`,
      effect: 'Streaks would follow the motion of another frame and lie beside what moves.',
      advice: `Shift the motion pass by ${judged.frameOffset > 0 ? '+1' : '-1'}.`,
      mend: { kind: 'shift', frames: judged.frameOffset > 0 ? 1 : -1 },
    });
  if (settled.measuredX && settled.measuredY && hypothesis.layout === 'components') {
    const names = [shapes[hypothesis.x].name, shapes[hypothesis.y].name].map((n) => n.slice(n.lastIndexOf('.') + 1));
    if (isSecondName(names[0]) && isFirstName(names[1]))
      add({
        code: 'swappedAxes',
        severity: 'warning',
        message: `x is stored in ${names[0]} and y in ${names[1]}: the other way round than their names say.`,
        effect: 'Read by its names, the blur would lie across the motion.',
        advice: 'The proposed reading swaps them.',
        mend: { kind: 'reading' },
      });
  }
  if (encoding.axes.x === 'left')
    add({
      code: 'mirroredAxis',
      severity: 'warning',
      message: 'x is stored mirrored: positive values point left.',
      effect: 'With a one-sided shutter the streak would lie on the wrong side.',
      advice: 'The proposed reading turns it round.',
      mend: { kind: 'reading' },
    });
  if (hypothesis.layout === 'components' && (!settled.measuredX || !settled.measuredY))
    add({
      code: 'axisUnmeasured',
      severity: 'info',
      message: `Next to nothing moves ${settled.measuredX ? 'up or down' : 'sideways'} in this frame: that axis's sign and scale are taken from the other one.`,
      effect: null,
      advice: 'Another frame may tell.',
    });
  if (pass.width !== measured.width || pass.height !== measured.height)
    add({
      code: 'otherSize',
      severity: 'warning',
      message: `The pass is ${pass.width} x ${pass.height}, the beauty ${measured.width} x ${measured.height}.`,
      effect: 'Edges of the motion are coarser than those of the picture, so streaks fray at outlines.',
      advice: 'It is brought to the size of the beauty without mixing motions across edges; a render at full size is better.',
    });
  alphaSymptoms(encoding, relation, add);
  out.push(...blurredBeauty(encoding, measured, files));
  const covered = coveredBy(measured, pass);
  const mixed = mixedEdgeShare(pass, hypothesis.x, used[0].high - used[0].low, covered);
  if (mixed !== null && mixed > 0.4 && relation !== 'mixed')
    add({
      code: 'mixedEdges',
      severity: 'warning',
      message: `${(100 * mixed).toFixed(0)} % of the jumps between two motions pass through a value in between: the pass was filtered or resized.`,
      effect: 'Outlines get vectors that belong to nothing and smear into both sides.',
      advice: 'Replace outlying vectors at edges by those beside them.',
      mend: { kind: 'repair', step: { kind: 'outliers', on: true } },
    });
  holes(settled, measured, add, () => {
    // What looks like values stuck at the low end are the holes.
    const i = out.findIndex((s) => s.code === 'clippedRange');
    if (i >= 0 && used.every((s) => s.clippedHigh === 0)) out.splice(i, 1);
  });
  const others = settled.scales.filter((s) => s !== settled.scales[0] && s.cost < settled.scales[0].cost + 0.75);
  if (confidence > 0.3 && (others.length > 0 || settled.otherCurves.length > 0)) {
    const first = others[0];
    const words = [
      ...(first === undefined ? [] : [`a full scale of ${UNIT_WORDS[first.unit](first.equals)} over ${spanWords(first.span)}`]),
      ...settled.otherCurves.slice(0, 2).map((transfer) => curveWords({ transfer })),
    ];
    add({
      code: 'equalReadings',
      severity: 'info',
      message: `These can't be told apart from the proposed reading here: ${words.join('; ')}. The most usual one is proposed${
        settled.otherCurves.length === 0 ? '; they decode alike' : ''
      }.`,
      effect: null,
      advice: null,
    });
  }
  const order = { error: 0, warning: 1, info: 2 };
  return out.sort((a, b) => order[a.severity] - order[b.severity]);
}

const UNIT_WORDS: Record<ScaleUnit, (equals: number) => string> = {
  px: (equals) => `${equals} px`,
  frameWidth: (equals) => `${equals === 1 ? 'a' : equals} frame width${equals === 1 ? '' : 's'}`,
  frameSize: (equals) => `${equals === 1 ? 'a' : equals} frame width and height`,
  halfFrame: (equals) => (equals === 1 ? 'half the frame' : `${equals} half frames`),
};

function spanWords({ length, unit }: ScaleReading['span']): string {
  return unit === 'seconds' ? 'a second' : length === 1 ? 'a frame' : length === 0.5 ? 'half a frame' : `${length} frames`;
}

function alphaSymptoms(encoding: Encoding, relation: EdgeRelation | null, add: Add): void {
  if (relation === 'multiplied')
    add({
      code: 'multipliedByAlpha',
      severity: 'warning',
      message: `The vectors were multiplied by alpha${encoding.alpha === null ? ', and the pass has no alpha of its own' : ''}.`,
      effect: 'Soft edges get vectors that are too short, or far too long around a centred zero: they tear or ring.',
      advice:
        encoding.alpha === null
          ? "The proposed reading borrows the beauty's alpha and divides by it."
          : 'The proposed reading divides by alpha.',
      mend: { kind: 'reading' },
    });
  else if (relation === 'mixed')
    add({
      code: 'mixedEdges',
      severity: 'warning',
      message: 'Vectors at soft edges are mixed with what lies behind.',
      effect: 'Outlines get shorter streaks than the surface they belong to.',
      advice: 'Grow the vectors outwards under the soft edges.',
      mend: { kind: 'repair', step: { kind: 'growEdges', on: true, reachPx: 6 } },
    });
}

/** Covered pixels that read exactly nothing in both channels, under a zero that is not nothing. */
function holes({ encoding, judged }: Settled, measured: MeasuredMotion, add: Add, removeClippedAtNothing: () => void): void {
  const { pass } = judged.samples,
    { hypothesis } = judged;
  if (Math.abs(encoding.zero) < 0.1 || hypothesis.layout === 'direction') return;
  const x = pass.channels[hypothesis.x].data,
    y = pass.channels[hypothesis.y].data;
  const covered = coveredBy(measured, pass);
  let count = 0,
    first = -1;
  for (let i = 0; i < x.length; i++) {
    if (x[i] !== 0 || y[i] !== 0 || !covered(i)) continue;
    count++;
    if (first < 0) first = i;
  }
  if (count === 0) return;
  removeClippedAtNothing();
  add({
    code: 'blackHoles',
    severity: 'warning',
    message: `${count} covered pixels hold black instead of a vector.`,
    effect: 'They would be flung across the picture.',
    advice: 'Replace them from the valid pixels beside them.',
    mend: { kind: 'repair', step: { kind: 'fillHoles', on: true, clipped: false } },
    at: {
      x: Math.floor((((first % pass.width) + 0.5) * measured.width) / pass.width),
      y: Math.floor(((Math.floor(first / pass.width) + 0.5) * measured.height) / pass.height),
    },
  });
}

function coveredBy(measured: MeasuredMotion, pass: StoredPass): (i: number) => boolean {
  const alpha = resizeNearest(measured.alpha, measured.width, measured.height, pass.width, pass.height);
  return (i) => alpha[i] > 0.99;
}

function isSecondName(name: string): boolean {
  return /^(.*y|v|g(reen)?)$/i.test(name);
}
function isFirstName(name: string): boolean {
  return /^(.*x|u|r(ed)?)$/i.test(name);
}
