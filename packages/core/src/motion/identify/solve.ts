import type { BeautyPictures } from './beauty-pictures';
import { bendReadings, type BentReading } from './bend';
import { candidatesOf, type Candidate } from './candidates';
import { followsAlpha } from './edges';
import type { PassesOfFrame, IdentifyContext } from './identification';
import { alphaAt, motionChannels, ownAlpha } from './motion-channels';
import { caseOf } from './moving-case';
import type { FrameOfPass } from './points';
import { weigh, type WeighedReading } from './posterior';
import { samplePasses, type JointRest, type PassSamples } from './pass-samples';
import { knownPrior } from './known-encodings';
import { findSecondSet, type SecondSet } from './second-set';
import { shapeOf, type StoredPass } from './stored-pass';
import type { NamedScale } from './round-scale';
import { refine, refineAll, sweep, type Case } from './sweep';
import { pixelUnder, vectorField } from './vector-field';
import { zeroShift } from './zero-shift';

/** A whole solution of the passes as numbered, or as those of the files beside them. */
export interface Solution {
  readonly frames: readonly FrameOfPass[];
  readonly samples: PassSamples;
  readonly channels: readonly number[];
  readonly weighed: readonly WeighedReading[];
  readonly second: SecondSet | null;
  /** Channel the values were multiplied by, null for the beauty's alpha; undefined: they were not. */
  readonly multiplied: string | null | undefined;
  readonly frameOffset: -1 | 0 | 1;
}

/** Null where nothing can be weighed: fewer than two channels that vary, or no textured point that moves. */
export function solve(
  frames: readonly PassesOfFrame[],
  opened: readonly BeautyPictures[],
  context: IdentifyContext,
  frameOffset: -1 | 0 | 1,
  only: readonly Candidate[] | null = null,
): Solution | null {
  const used = frames
    .map((f, i) => ({ pictures: opened[i], ...passesOf(f, frameOffset) }))
    .filter((f): f is typeof f & { readonly now: StoredPass } => f.now !== null);
  if (used.length === 0 || !used.some((f) => f.pictures.has[0] || f.pictures.has[1])) return null;
  const [{ now: first }] = used;
  const alphaOf = (pass: StoredPass, pictures: BeautyPictures) => ownAlpha(pass)?.data ?? alphaAt(pictures, pass);
  const coverages = used.map((f) => alphaOf(f.now, f.pictures));
  const shapes = used.map((f) => f.now.channels.map(shapeOf));
  const { channels, constants } = motionChannels(first, shapes, used[0].pictures);
  if (channels.length + constants.length < 2 || channels.length === 0) return null;
  const isMultiplied = used.some((f, i) => {
    const relations = channels.map((c) => followsAlpha(f.now, c, coverages[i], 0));
    return relations.filter((r) => r === true).length >= (channels.length === 2 ? 1 : 2);
  });
  const samples = samplePasses(
    used.map((f) => f.now),
    shapes,
    coverages,
    isMultiplied,
  );
  const ofFrame = used.map((f, i): FrameOfPass => ({
    pictures: f.pictures,
    now: f.now,
    beside: f.beside,
    alpha: isMultiplied
      ? {
          now: coverages[i],
          beside: [
            f.beside[0] === null ? null : alphaOf(f.beside[0], f.pictures),
            f.beside[1] === null ? null : alphaOf(f.beside[1], f.pictures),
          ],
        }
      : { now: null, beside: [null, null] },
  }));
  const candidates =
    only ??
    candidatesOf(samples, channels, constants, isMultiplied, (a, b, rest) => (isMultiplied ? null : standsStill(ofFrame, a, b, rest)));
  const yScales = [
    1,
    ofFrame[0].pictures.height / ofFrame[0].pictures.width,
    ...(Math.abs(context.pixelAspect - 1) > 1e-3 ? [context.pixelAspect] : []),
  ];
  const multiplied = isMultiplied ? (ownAlpha(first)?.name ?? null) : undefined;
  const weighed = weighCandidates(candidates, ofFrame, samples, yScales, { ...context, multiplied }, only === null);
  if (weighed.length === 0) return null;
  return {
    frames: ofFrame,
    samples,
    channels,
    weighed,
    second: findSecondSet(weighed, channels),
    multiplied,
    frameOffset,
  };
}

/** Usual pairs first: the others are only looked at when those explain little. */
const UNUSUAL = -2.2,
  ENOUGH = 0.3;

function weighCandidates(
  candidates: readonly Candidate[],
  frames: readonly FrameOfPass[],
  samples: PassSamples,
  yScales: readonly number[],
  context: IdentifyContext & Pick<Solution, 'multiplied'>,
  proposes: boolean,
): WeighedReading[] {
  const cases = candidates.flatMap((c) => caseOf(c, frames, samples) ?? []);
  const isUsual = (c: Case) => c.candidate.prior > UNUSUAL || c.candidate.curve.kind !== 'none';
  const readings: BentReading[] = [];
  for (const some of [cases.filter(isUsual), cases.filter((c) => !isUsual(c))]) {
    if (some.length === 0 || readings.some((r) => r.fit > ENOUGH)) continue;
    readings.push(...bendReadings(refineAll(sweep(some, samples, yScales)), some, proposes));
  }
  const extra = (r: BentReading, named: NamedScale) =>
    timePrior(r) + factPrior(r, named.factor, context) + knownPrior(r, named, samples.names, context.multiplied, context.known ?? []);
  const weighed = weigh(readings, context, extra);
  const shifted = weighed.length > 0 && weighed[0].fit < ZERO_IS_RIGHT ? withOtherZero(weighed[0], frames, samples) : [];
  return shifted.some((r) => r.fit > weighed[0].fit + BETTER_ZERO) ? weigh([...readings, ...shifted], context, extra) : weighed;
}

/** From this fit on zero is right; another one must explain so much more. */
const ZERO_IS_RIGHT = 0.85,
  BETTER_ZERO = 0.04,
  ODD_ZERO = -3,
  MOST_SHIFT = 0.35;

/** The same reading with the zero that its points are found by. */
function withOtherZero(reading: WeighedReading, frames: readonly FrameOfPass[], samples: PassSamples): BentReading[] {
  const shift = zeroShift(reading),
    { candidate } = reading.of;
  // A large one would turn any pass into one even motion.
  if (shift === null || Math.abs(shift) > MOST_SHIFT * reading.of.speed.fast) return [];
  const moved = { ...candidate, zero: candidate.zero + shift, zeroB: candidate.zeroB + shift, prior: candidate.prior + ODD_ZERO },
    of = caseOf(moved, frames, samples);
  return of === null ? [] : bendReadings([refine({ ...reading, of, prior: reading.prior + ODD_ZERO })], [], false);
}

/** Position before minus position now is common, position now minus position after is not. */
function timePrior({ signX, signY, middle }: BentReading): number {
  return signX < 0 && signY < 0 ? (middle === -0.5 ? 0.7 : -0.7) : 0;
}

/** What the artist knows weighs as much as anything can; one wrong point does not outweigh the pictures by more than this. */
const FACT_PX = 1.5,
  FACT_SHARE = 0.05,
  MOST_AGAINST = 12;

function factPrior({ of, swapped, scale, signX, signY, yScale }: BentReading, factor: number, { facts }: IdentifyContext): number {
  const [{ frame }] = of.sets,
    { pictures } = frame;
  const field = vectorField(frame.now, of.candidate, frame.alpha.now);
  let sum = 0;
  for (const fact of facts) {
    const pixel = pixelUnder(fact.x / pictures.reduced - 0.5, fact.y / pictures.reduced - 0.5, pictures, field);
    if (!field.read(pixel)) continue;
    const [u, v] = swapped ? [field.v, field.u] : [field.u, field.v],
      k = scale * factor * pictures.reduced;
    const [tx, ty] = fact.kind === 'still' ? [0, 0] : [fact.toX - fact.x, fact.toY - fact.y];
    const off = Math.hypot(u * k * signX - tx, v * k * signY * yScale - ty) / (FACT_PX + FACT_SHARE * Math.hypot(tx, ty));
    sum -= Math.min(MOST_AGAINST, 0.5 * off * off);
  }
  return sum;
}

function passesOf(
  { now, next, previous }: PassesOfFrame,
  offset: -1 | 0 | 1,
): {
  readonly now: StoredPass | null;
  readonly beside: readonly [StoredPass | null, StoredPass | null];
} {
  if (offset === 0) return { now, beside: [previous, next] };
  return offset === 1 ? { now: next, beside: [now, null] } : { now: previous, beside: [null, now] };
}

const FEWEST_STILL = 30,
  EMPTY_SHARE = 0.9;

/** Where both channels hold their rest: do the pictures change at textured places, or is nothing there at all? */
function standsStill(frames: readonly FrameOfPass[], a: number, b: number, rest: JointRest): boolean | null {
  let held = 0,
    changed = 0,
    there = 0,
    empty = 0;
  for (const { pictures, now } of frames) {
    const [p, q] = [now.channels[a].data, now.channels[b].data],
      { cells, alpha } = pictures;
    const isRest = (i: number) => p[i] === rest.a && q[i] === rest.b;
    for (let k = 0; k < cells.x.length; k++) {
      if (!isRest(pixelUnder(cells.x[k], cells.y[k], pictures, now))) continue;
      held++;
      if (cells.changes[k] > 0) changed++;
    }
    for (let i = 0; i < p.length; i += 23) {
      if (!isRest(i)) continue;
      there++;
      if (alpha.data[pixelUnder(i % now.width, Math.floor(i / now.width), now, alpha)] === 0) empty++;
    }
  }
  if (empty > EMPTY_SHARE * there) return true;
  if (held < FEWEST_STILL) return null;
  return changed < 0.1 * held ? true : changed > 0.5 * held ? false : null;
}
