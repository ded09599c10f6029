import { resizePlane } from '../../raster/resize';
import type { Encoding, ScaleUnit } from '../encoding';
import { curveWords } from '../describe-encoding';
import { transferPair } from '../transfer';
import { mixedEdgeShare, type EdgeRelation } from './edges';
import type { Symptom } from './identification';
import type { MeasuredMotion } from './measured-motion';
import type { Settled } from './settle';
import type { ScaleReading } from './snap-scale';
import type { ChannelShape, StoredPass } from './stored-pass';

/** What is wrong with the pass, worst first. */
export function symptomsOf(settled: Settled, measured: MeasuredMotion, relation: EdgeRelation | null, confidence: number): Symptom[] {
  const { encoding, judged } = settled;
  const { pass, shapes } = judged.samples,
    { hypothesis } = judged;
  const used = [shapes[hypothesis.x], shapes[hypothesis.y]];
  const out = [...valueSymptoms(encoding, shapes)];
  const add = (s: Omit<Symptom, 'at'> & { at?: Symptom['at'] }) => out.push({ at: null, ...s });
  if (judged.frameOffset !== 0)
    add({
      code: 'frameOff',
      severity: 'warning',
      message: `The motion of this frame is in the file numbered ${judged.frameOffset > 0 ? 'one later' : 'one earlier'}.`,
      effect: 'Streaks would follow the motion of another frame and lie beside what moves.',
      advice: `Shift the motion pass by ${judged.frameOffset > 0 ? '+1' : '-1'}.`,
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
      });
  }
  if (encoding.axes.x === 'left')
    add({
      code: 'mirroredAxis',
      severity: 'warning',
      message: 'x is stored mirrored: positive values point left.',
      effect: 'With a one-sided shutter the streak would lie on the wrong side.',
      advice: 'The proposed reading turns it round.',
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
  const covered = coveredBy(measured, pass);
  const mixed = mixedEdgeShare(pass, hypothesis.x, used[0].high - used[0].low, covered);
  if (mixed !== null && mixed > 0.4 && relation !== 'mixed')
    add({
      code: 'mixedEdges',
      severity: 'warning',
      message: `${(100 * mixed).toFixed(0)} % of the jumps between two motions pass through a value in between: the pass was filtered or resized.`,
      effect: 'Outlines get vectors that belong to nothing and smear into both sides.',
      advice: 'Replace outlying vectors at edges by those beside them.',
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

type Add = (s: Omit<Symptom, 'at'> & { at?: Symptom['at'] }) => void;

/** Symptoms that the values show whatever the pictures say. */
export function valueSymptoms(encoding: Encoding, shapes: readonly ChannelShape[]): Symptom[] {
  const out: Symptom[] = [];
  const add: Add = (s) => out.push({ at: null, ...s });
  // Of direction and length the length alone can run into a wall.
  const used = shapes.filter((s) =>
    encoding.sets.some((set) =>
      (set.length === null ? [set.x, set.y] : [set.length]).some((n) => n === s.name || s.name.endsWith(`.${n}`)),
    ),
  );
  const direction = encoding.sets.some((set) => set.length !== null);
  if (used.length === 0) return out;
  const { undo, apply } = transferPair(encoding.transfer);
  const unit = encoding.fullScale.unit === 'px' ? ' px' : '';
  const perStored = Math.abs(encoding.fullScale.equals / (encoding.fullScale.stored - encoding.zero));
  if (encoding.transfer.kind !== 'none')
    add({
      code: 'curveOnData',
      severity: 'warning',
      message: `A display curve lies on the data (${curveWords(encoding)}): no motion reads ${apply(encoding.zero).toFixed(3)}${
        Math.abs(encoding.zero - 0.5) < 0.01 ? ' instead of 0.5' : ''
      }.`,
      effect: 'Everything that stands still would smear the same way, and lengths would be wrong.',
      advice: 'The proposed reading undoes the curve.',
    });
  const rests = used.map((s) => (!direction && s.restShare > 0.02 ? undo(s.rest) : encoding.zero));
  const apart = Math.max(...rests) - Math.min(...rests);
  const code = Math.max(...used.map((s) => s.step), 1 / 1000);
  const nominal = [0, 0.5].reduce((a, b) => (Math.abs(b - encoding.zero) < Math.abs(a - encoding.zero) ? b : a));
  const off = Math.abs(encoding.zero - nominal);
  // 127 and 128 of 255 are both as near to the middle as 8 bits come.
  const offCodes = off > 0.75 * code ? off : 0;
  if (!direction && ((offCodes > 0 && off < 0.2) || (apart > 0.75 * code && apart < 0.1 && encoding.noData === null)))
    add({
      code: 'centreOff',
      severity: 'warning',
      message:
        apart > 0.75 * code && apart < 0.1
          ? `x and y do not stand still at the same value (${rests.map((r) => r.toFixed(4)).join(' and ')}).`
          : `No motion is stored as ${encoding.zero.toFixed(4)}, ${(off / used[0].step).toFixed(used[0].step > 1e-3 ? 0 : 1)} steps beside ${nominal}.`,
      effect: `Read as ${nominal}, everything would drift by ${(Math.max(off, apart) * perStored).toFixed(2)}${unit} a frame.`,
      advice: 'The proposed reading, or re-centring, takes it out.',
    });
  const clipped = used.reduce((n, s) => n + s.clippedHigh + s.clippedLow, 0);
  if (clipped > 0)
    add({
      code: 'clippedRange',
      severity: 'warning',
      message: `${clipped} values are stuck at the end of the range (${used
        .flatMap((s) => [
          ...(s.clippedHigh > 0 ? [`${shortName(s.name)} at ${s.max.toPrecision(3)}`] : []),
          ...(s.clippedLow > 0 ? [`${shortName(s.name)} at ${s.min.toPrecision(3)}`] : []),
        ])
        .join(', ')}): the range was too small for this frame.`,
      effect: 'The fastest parts get streaks that are too short and all of one length.',
      advice: 'Continue the motion from the unclipped pixels beside them, or ask for the pass with a larger range.',
    });
  if (used[0].type === 'u8' && encoding.fullScale.unit === 'px' && perStored / 255 > 0.25)
    add({
      code: 'coarseSteps',
      severity: 'warning',
      message: `One step of 8 bits is ${(perStored / 255).toFixed(2)} px: finer motion is not in the pass.`,
      effect: 'Slow things jump between lengths, and long streaks show steps in their direction.',
      advice: 'Ask for 16 bits or float.',
    });
  const bad = used.reduce((n, s) => n + s.notFinite, 0);
  if (bad > 0)
    add({
      code: 'badPixels',
      severity: 'warning',
      message: `${bad} values are NaN or infinite.`,
      effect: 'Those pixels have no vector and stay sharp.',
      advice: 'Replace them from the valid pixels beside them.',
    });
  return out;
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
    });
  else if (relation === 'mixed')
    add({
      code: 'mixedEdges',
      severity: 'warning',
      message: 'Vectors at soft edges are mixed with what lies behind.',
      effect: 'Outlines get shorter streaks than the surface they belong to.',
      advice: 'Grow the vectors outwards under the soft edges.',
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
    at: {
      x: Math.floor((((first % pass.width) + 0.5) * measured.width) / pass.width),
      y: Math.floor(((Math.floor(first / pass.width) + 0.5) * measured.height) / pass.height),
    },
  });
}

function coveredBy(measured: MeasuredMotion, pass: StoredPass): (i: number) => boolean {
  const alpha = resizePlane(measured.alpha, measured.width, measured.height, pass.width, pass.height, 'nearest');
  return (i) => alpha[i] > 0.99;
}

function isSecondName(name: string): boolean {
  return /^(.*y|v|g(reen)?)$/i.test(name);
}
function isFirstName(name: string): boolean {
  return /^(.*x|u|r(ed)?)$/i.test(name);
}
function shortName(name: string): string {
  return name.slice(name.lastIndexOf('.') + 1);
}
