import { resizeNearest } from '../../raster/resize';
import type { Encoding, ScaleUnit } from '../encoding/encoding';
import { curveWords } from '../encoding/describe-encoding';
import { transferPair } from '../../colour/transfer';
import { blurredBeauty } from './blurred-beauty';
import type { BeautyPictures } from './beauty-pictures';
import { FILTERED_STEP, largestStepShare, followsAlpha } from './edges';
import { movingNoise } from './moving-case';
import type { IdentifyContext, Symptom } from './identification';
import type { Solution } from './solve';
import { tellingPoints, type FrameOfPass } from './points';
import { scoreMoves } from './score';
import { patchesOf, scaleOf } from './sweep';
import { decodesAlike, type WeighedReading } from './posterior';
import type { NamedScale } from './round-scale';
import type { StoredPass } from './stored-pass';
import { adderTo, valueSymptoms, type Add } from './value-symptoms';

/** What is wrong with the pass, worst first. */
export function symptomsOf(
  solution: Solution,
  encoding: Encoding,
  confidence: number,
  { fps }: IdentifyContext,
  labels: readonly (number | null)[],
): Symptom[] {
  const { frames, weighed, samples, frameOffset } = solution;
  const [{ now: pass, pictures }] = frames,
    [best] = weighed,
    { candidate } = best.of;
  const shapes = samples.shapes[0],
    [x, y] = best.swapped ? [candidate.b, candidate.a] : [candidate.a, candidate.b];
  const used = [shapes[x], shapes[y]];
  const { alpha: coverage } = pictures;
  const isMultiplied = solution.multiplied !== undefined;
  const isMixed = !isMultiplied && mixedWithStill(frames[0], [x, y], best);
  const out = valueSymptoms(
    encoding,
    shapes,
    pass,
    fps,
    best.swapped ? [candidate.zeroB, candidate.zero] : [candidate.zero, candidate.zeroB],
  );
  const add = adderTo(out);
  if (frameOffset !== 0)
    add({
      code: 'frameOff',
      severity: 'warning',
      message: `The motion of this frame is in the file numbered ${frameOffset > 0 ? 'one later' : 'one earlier'}.`,
      effect: 'Streaks would follow the motion of another frame and lie beside what moves.',
      advice: `Shift the motion pass by ${frameOffset > 0 ? '+1' : '-1'}.`,
      mend: { kind: 'shift', frames: frameOffset > 0 ? 1 : -1 },
    });
  const misfits = misfittingFrames(best, frames, labels);
  if (misfits.length > 0)
    add({
      code: 'changesWithin',
      severity: 'warning',
      message: `In frame${misfits.length > 1 ? 's' : ''} ${misfits.join(', ')} these vectors do not fit the pictures: part of the sequence may be stored in another way, or belong to another render.`,
      effect: 'Streaks of those frames would point anywhere.',
      advice: 'Look at those frames on their own; ask for the pass to be rendered anew in one setting.',
    });
  const [movesX, movesY] = moves(best);
  if (movesX && movesY && candidate.length === null) {
    const names = used.map((u) => u.name).map((n) => n.slice(n.lastIndexOf('.') + 1));
    if (isSecondName(names[0]) && isFirstName(names[1]))
      add({
        code: 'swappedAxes',
        severity: 'info',
        message: `x is stored in ${names[0]} and y in ${names[1]}: the other way round than their names say.`,
        effect: 'Read by its names, the blur would lie across the motion.',
        advice: 'The detected encoding swaps them.',
        mend: { kind: 'reading' },
      });
  }
  if (encoding.axes.x === 'left')
    add({
      code: 'mirroredAxis',
      severity: 'info',
      message: 'x is stored mirrored: positive values point left.',
      effect: 'With a one-sided shutter the streak would lie on the wrong side.',
      advice: 'The detected encoding turns it round.',
      mend: { kind: 'reading' },
    });
  if (candidate.length === null && (!movesX || !movesY))
    add({
      code: 'axisUnmeasured',
      severity: 'info',
      message: `Next to nothing moves ${movesX ? 'up or down' : 'sideways'} in this frame: that axis's sign and scale are taken from the other one.`,
      effect: null,
      advice: 'Another frame may tell.',
    });
  if (pass.width !== coverage.width || pass.height !== coverage.height)
    add({
      code: 'otherSize',
      severity: 'warning',
      message: `The pass is ${pass.width} x ${pass.height}, the beauty ${coverage.width} x ${coverage.height}.`,
      effect: 'Edges of the motion are coarser than those of the picture, so streaks fray at outlines.',
      advice: 'It is brought to the size of the beauty without mixing motions across edges; a render at full size is better.',
    });
  alphaSymptoms(encoding, isMultiplied, isMixed, add);
  out.push(...blurredBeauty(encoding, coverage, pass, fps));
  const share = !isMultiplied ? [x, y].map((c, k) => largestStepShare(pass, c, used[k].high - used[k].low)) : [];
  const steps = share.filter((v) => v !== null);
  if (steps.some((v) => v < FILTERED_STEP) && !isMixed)
    add({
      code: 'mixedEdges',
      severity: 'warning',
      message: `Between two motions the pass takes values in between (the largest step is ${(100 * Math.min(...steps)).toFixed(0)} % of the jump): it was filtered or resized.`,
      effect: 'Outlines get vectors that belong to nothing and smear into both sides.',
      advice: 'Replace outlying vectors at edges by those beside them.',
      mend: { kind: 'repair', step: { kind: 'outliers', on: true } },
    });
  const noisePx = vectorNoise(best);
  if (noisePx !== null)
    add({
      code: 'noisyVectors',
      severity: 'warning',
      message: `The vectors are noisy: neighbouring pixels of one surface differ by ${noisePx.toFixed(2)} px.`,
      effect: 'Streaks of one surface get different lengths, and their ends fray.',
      advice: 'Ask for the pass without noise or sampling at edges; replacing outliers helps against single ones.',
      mend: { kind: 'repair', step: { kind: 'outliers', on: true } },
    });
  holes(encoding, best, pass, coverage, add, () => {
    // What looks like values stuck at the low end are the holes.
    const i = out.findIndex((s) => s.code === 'clippedRange');
    if (i >= 0 && used.every((s) => s.max < 1)) out.splice(i, 1);
  });
  equalReadings(best, weighed, confidence, add);
  const order = { error: 0, warning: 1, info: 2 };
  return out.sort((a, b) => order[a.severity] - order[b.severity]);
}

/** Soft edges of the picture are soft in the pass too, and go over to what stands still. */
function mixedWithStill(
  { now, pictures: { alpha } }: FrameOfPass,
  channels: readonly number[],
  { of: { candidate } }: WeighedReading,
): boolean {
  const { apply } = transferPair(candidate.curve);
  if (candidate.length !== null || Math.abs(candidate.zero) < 0.1) return false;
  const coverage = resizeNearest(alpha.data, alpha.width, alpha.height, now.width, now.height);
  return channels.some((c) => followsAlpha(now, c, coverage, apply(c === candidate.a ? candidate.zero : candidate.zeroB)) === true);
}

/** More than this, pixels and share of the fastest, is noise; a step of whole numbers differs by as much by itself. */
const NOISE_PX = 0.1,
  NOISE_SHARE = 0.004,
  OF_STEP = 0.6;

/** 25th percentile of how far a moving pixel's vector is from the mean of its neighbours, pixels of the beauty; null where that is no noise. */
function vectorNoise({ of, scale, named }: WeighedReading): number | null {
  const px = scale * named.factor * of.sets[0].frame.pictures.reduced;
  const noise = movingNoise(of) * px;
  return noise > NOISE_PX + OF_STEP * of.speed.step * px && noise > NOISE_SHARE * of.speed.fast * px ? noise : null;
}

/** A frame with so many points that can tell, of which a reading explains less than this share of what it explains in the best one, is stored otherwise. */
const TELLING = 12,
  OF_BEST = 0.3;

/** Numbers of frames, of several, that a reading does not fit. */
function misfittingFrames(best: WeighedReading, frames: Solution['frames'], labels: readonly (number | null)[]): number[] {
  const { sets } = best.of;
  if (sets.length < 2) return [];
  const scores = sets.map((set) => {
    const one = { ...best, of: { ...best.of, sets: [set] } },
      vectors = patchesOf(one, 1);
    const scored = scoreMoves([set], 1, { next: vectors, previous: vectors }, [scaleOf(best, best.named.factor)]);
    return {
      score: Math.max(scored[0][0], scored[1][0], scored[2][0]),
      telling: tellingPoints([set]),
      label: labels[frames.indexOf(set.frame)] ?? null,
    };
  });
  const most = Math.max(...scores.map((s) => s.score));
  return scores
    .flatMap(({ score, telling, label }) => (label !== null && telling > TELLING && score < OF_BEST * most ? [label] : []))
    .sort((a, b) => a - b);
}

/** An axis tells its sign when its vectors differ by so many pixels. */
const MOVES_PX = 0.4;

function moves({ of, swapped, scale, yScale }: WeighedReading): readonly [boolean, boolean] {
  const spread = [0, 1].map((axis) => {
    const at = swapped ? 1 - axis : axis;
    let low = 0,
      high = 0;
    for (const { levels } of of.sets) {
      const { vectors } = levels[0];
      for (let i = 8 + at; i < vectors.length; i += 18) {
        low = Math.min(low, vectors[i]);
        high = Math.max(high, vectors[i]);
      }
    }
    return (high - low) * scale * (axis === 1 ? yScale : 1);
  });
  return [spread[0] > MOVES_PX, spread[1] > MOVES_PX];
}

/** Other names of the same vectors: a span against a scale, a curve that hardly bends here. */
function equalReadings(best: WeighedReading, weighed: readonly WeighedReading[], confidence: number, add: Add): void {
  if (confidence <= 0.3) return;
  const words = new Set([
    ...best.otherNames
      .filter((n) => n.isRound)
      .slice(0, 2)
      .map(scaleWords),
    ...weighed
      .slice(1)
      .filter((w) => decodesAlike(w) && w.share > 0.1 && w.middle !== best.middle && w.named.isRound)
      .map((w) => scaleWords(w.named)),
    ...weighed
      .filter((w) => decodesAlike(w) && w.share > 0.1 && w.of.candidate.curve.kind !== best.of.candidate.curve.kind)
      .map((w) => curveWords({ transfer: w.of.candidate.curve })),
  ]);
  words.delete(scaleWords(best.named));
  if (words.size === 0) return;
  add({
    code: 'equalReadings',
    severity: 'info',
    message: `These can't be told apart from the detected encoding here: ${[...words].slice(0, 3).join('; ')}. The most usual one is proposed; they decode alike.`,
    effect: null,
    advice: null,
  });
}

const UNIT_WORDS: Record<ScaleUnit, (equals: number) => string> = {
  px: (equals) => `${equals} px`,
  frameWidth: (equals) => `${equals === 1 ? 'a' : equals} frame width${equals === 1 ? '' : 's'}`,
  frameSize: (equals) => `${equals === 1 ? 'a' : equals} frame width and height`,
  halfFrame: (equals) => (equals === 1 ? 'half the frame' : `${equals} half frames`),
};

function scaleWords({ unit, equals, covers: { from, to, unit: time } }: NamedScale): string {
  return `a full scale of ${UNIT_WORDS[unit](equals)} ${time === 'seconds' ? 'per second' : `from ${from} to ${to} frames`}`;
}

function alphaSymptoms(encoding: Encoding, isMultiplied: boolean, isMixed: boolean, add: Add): void {
  if (isMultiplied)
    add({
      code: 'multipliedByAlpha',
      severity: 'warning',
      message: `The vectors were multiplied by alpha${encoding.alpha === null ? ', and the pass has no alpha of its own' : ''}.`,
      effect: 'Soft edges get vectors that are too short, or far too long around a centred zero: they tear or ring.',
      advice:
        encoding.alpha === null
          ? "The detected encoding borrows the beauty's alpha and divides by it."
          : 'The detected encoding divides by alpha.',
      mend: { kind: 'reading' },
    });
  else if (isMixed)
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
function holes(
  encoding: Encoding,
  { of: { candidate } }: WeighedReading,
  pass: StoredPass,
  beauty: BeautyPictures['alpha'],
  add: Add,
  removeClippedAtNothing: () => void,
): void {
  if (Math.abs(encoding.zero) < 0.1 || candidate.length !== null) return;
  const x = pass.channels[candidate.a].data,
    y = pass.channels[candidate.b].data;
  const covered = coveredBy(beauty, pass);
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
      x: Math.floor((((first % pass.width) + 0.5) * beauty.width) / pass.width),
      y: Math.floor(((Math.floor(first / pass.width) + 0.5) * beauty.height) / pass.height),
    },
  });
}

function coveredBy(beauty: BeautyPictures['alpha'], pass: StoredPass): (i: number) => boolean {
  const alpha = resizeNearest(beauty.data, beauty.width, beauty.height, pass.width, pass.height);
  return (i) => alpha[i] > 0.99;
}

function isSecondName(name: string): boolean {
  return /^(.*y|v|g(reen)?)$/i.test(name);
}
function isFirstName(name: string): boolean {
  return /^(.*x|u|r(ed)?)$/i.test(name);
}
