import type { BentReading } from './bend';
import type { FrameOfPass } from './points';
import { nameScale, type NamedScale } from './round-scale';
import { vectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** A reading with a scale that has a name, and its share of the belief among all that were weighed. */
export interface WeighedReading extends BentReading {
  readonly named: NamedScale;
  /** Other names that its scale can have, nearly as likely. */
  readonly otherNames: readonly NamedScale[];
  readonly logWeight: number;
  readonly share: number;
  /** Median distance of its vectors from those of the first reading, as a share of their length. */
  readonly apart: number;
}

export interface ScaleContext {
  readonly fps: number | null;
}

/** A reading that explains all of the picture against one that explains nothing, logarithm, where at least TELLING points can tell. */
const ALL_EXPLAINED = 40,
  TELLING = 40,
  /** Readings whose vectors differ by less than this are one for the blur. */
  SAME_VECTORS = 0.05,
  /** Names within this of the best are said to be possible too. */
  ALSO_POSSIBLE = 1.2;

/** Where the vectors of a candidate count from, and what counts as full scale beside that. */
export function fullScaleOf(zero: number): number {
  return zero > 0.2 && zero < 0.8 ? 1 : zero + 1;
}

/** The likeliest reading first; shares add up to 1. `extra`: what facts and known encodings add to a logarithm. */
export function weigh(
  readings: readonly BentReading[],
  context: ScaleContext,
  extra: (r: BentReading, named: NamedScale) => number,
): WeighedReading[] {
  const weighed = readings.map((r) => {
    const names = namesOf(r, context);
    const scored = names.map((n) => ({ n, total: n.prior + extra(r, n) })).sort((a, b) => b.total - a.total);
    const [best, ...others] = scored;
    return {
      ...r,
      named: best.n,
      otherNames: others.filter((o) => o.total > best.total - ALSO_POSSIBLE).map((o) => o.n),
      logWeight: ALL_EXPLAINED * Math.min(1, r.of.telling / TELLING) * r.fit + r.prior + best.total,
      share: 0,
      apart: 0,
    };
  });
  weighed.sort((a, b) => b.logWeight - a.logWeight);
  if (weighed.length === 0) return [];
  const weights = weighed.map((w) => Math.exp(w.logWeight - weighed[0].logWeight)),
    sum = weights.reduce((a, b) => a + b, 0);
  return weighed.map((w, i) => ({ ...w, share: weights[i] / sum, apart: apart(weighed[0], w) }));
}

function namesOf(reading: BentReading, { fps }: ScaleContext): NamedScale[] {
  const { of, middle, yScale, scale } = reading,
    [{ frame }] = of.sets,
    { zero, length } = of.candidate;
  const toPass = frame.now.width / frame.pictures.width;
  return nameScale({
    fullScalePx: scale * toPass * (length === null ? fullScaleOf(zero) - zero : 1),
    yScale,
    pass: frame.now,
    beautyPerPass: frame.pictures.alpha.width / frame.now.width,
    fps,
    middle,
    centred: zero > 0.2 && zero < 0.8,
    hasLength: length !== null,
    fastPx: scale * of.speed.fast,
  });
}

/** What the first reading and all that decode alike hold together. */
export function massOf(weighed: readonly WeighedReading[]): number {
  return weighed.reduce((sum, w) => sum + (w.apart < SAME_VECTORS ? w.share : 0), 0);
}

export function decodesAlike({ apart: distance }: WeighedReading): boolean {
  return distance < SAME_VECTORS;
}

const LOOKED_AT = 4000;

/** Median over moving pixels of the distance between two readings' vectors, as a share of the first's length. */
function apart(first: Omit<WeighedReading, 'share'>, other: Omit<WeighedReading, 'share'>): number {
  if (first === other) return 0;
  const offs: number[] = [];
  for (const { frame } of first.of.sets) {
    const mine = vectorsOf(first, frame),
      theirs = vectorsOf(other, frame);
    const every = Math.max(1, Math.floor((frame.now.width * frame.now.height) / LOOKED_AT)) | 1;
    for (let i = 0; i < frame.now.width * frame.now.height; i += every) {
      const [x, y] = mine(i),
        length = lengthOf(x, y);
      if (!(length > 0.05 * first.of.speed.fast * first.scale)) continue;
      const [p, q] = theirs(i);
      const off = lengthOf(p - x, q - y) / length;
      offs.push(off === off ? off : 1);
    }
  }
  offs.sort((a, b) => a - b);
  return offs.length === 0 ? 0 : offs[offs.length >> 1];
}

/** Pixels of level 0 per frame, at pixels of the pass. */
function vectorsOf(
  { of, swapped, signX, signY, yScale, scale, named }: Omit<WeighedReading, 'share'>,
  frame: FrameOfPass,
): (i: number) => readonly [number, number] {
  const field = vectorField(frame.now, of.candidate, frame.alpha.now);
  const k = scale * named.factor;
  return (i) => {
    if (!field.read(i)) return [NaN, NaN];
    const [u, v] = swapped ? [field.v, field.u] : [field.u, field.v];
    return [u * k * signX, v * k * signY * yScale];
  };
}
