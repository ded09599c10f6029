import type { Side } from './beauty-pictures';
import { bentMoves } from './bend';
import { patchVectors, somePoints, type FrameOfPass, type PointSet } from './points';
import { MANY_TIMES } from './moving-case';
import type { WeighedReading } from './posterior';
import { gainsOf } from './score';
import { exchanged, scaleOf, straightFit, type Case } from './sweep';
import { pixelUnder, vectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** Where two files' vectors differ by less than this they can't be told apart: pixels of the picture, and a share of the fastest. */
const DIFFER_PX = 0.7,
  DIFFER_SHARE = 0.08,
  FEWEST = 25,
  /** Of few points: where these say clearly that a file is worse, many will not say that it is better. */
  FEW = 8,
  NO_WORSE = -1,
  /** Paired t, and the mean of what the other file's vectors match more. */
  CLEARLY = 4,
  MORE = 0.08;

/** 1 or -1 when the vectors in the file after or before this one fit this frame's pictures better than its own do; else 0. */
export function betterFile(reading: WeighedReading): -1 | 0 | 1 {
  const { of } = reading;
  let best: -1 | 0 | 1 = 0,
    most = CLEARLY;
  for (const to of [-1, 1] as const) {
    // The points at hand say whether many more of them are worth a look.
    const some = gainsOfFile(reading, of.sets, to);
    if (some.length * MANY_TIMES < FEWEST || (some.length > FEW && pairedT(some) < NO_WORSE)) continue;
    const gains = gainsOfFile(reading, of.manyPoints(), to);
    if (gains.length < FEWEST) continue;
    const t = pairedT(gains);
    if (gains.reduce((a, b) => a + b, 0) > MORE * gains.length && t > most) {
      most = t;
      best = to;
    }
  }
  return best;
}

/** What the vectors of the file beside gain over this one's own, at points where the two differ. */
function gainsOfFile(reading: WeighedReading, sets: readonly PointSet[], to: -1 | 1): number[] {
  const { candidate, speed } = reading.of,
    scale = scaleOf(reading, reading.named.factor),
    // Vectors around the frame lie between the ways to both neighbours.
    sides = sidesOf(reading);
  const alike = Math.max(DIFFER_PX, DIFFER_SHARE * speed.fast * Math.abs(scale[0]));
  return sets.flatMap((set) => {
    const { frame } = set,
      shifted = fileBeside(frame, to);
    if (shifted === null) return [];
    const mine = vectorField(frame.now, candidate, frame.alpha.now),
      theirs = vectorField(shifted.now, candidate, shifted.alpha.now);
    const differs = (i: number) => {
      const pixel = pixelUnder(set.x[i], set.y[i], frame.pictures, mine);
      return mine.read(pixel) && theirs.read(pixel) && lengthOf((theirs.u - mine.u) * scale[0], (theirs.v - mine.v) * scale[1]) > alike;
    };
    const [own, other] = [frame, shifted].map((f) => {
      const vectors = patchVectors(f, candidate, set.x, set.y, 1, speed.least);
      const gains = sides.map((side) => gainsOf(set, 1, reading.swapped ? exchanged(vectors) : vectors, side, scale));
      return Float32Array.from({ length: set.count }, (_, i) => gains.reduce((sum, g) => sum + (g[i] || 0), 0) / sides.length);
    });
    return Array.from(own.keys()).flatMap((i) => (differs(i) ? [other[i] - own[i]] : []));
  });
}

/** The same pictures with the file after or before this one; null where it is missing or of another size. */
function fileBeside(frame: FrameOfPass, to: -1 | 1): FrameOfPass | null {
  const side = to === 1 ? 1 : 0,
    now = frame.beside[side];
  if (now === null || now.width !== frame.now.width || now.height !== frame.now.height) return null;
  return { ...frame, now, alpha: { ...frame.alpha, now: frame.alpha.beside[side] } };
}

/** The same points with the vectors of another file. */
function pointsIn(set: PointSet, frame: FrameOfPass, { candidate, speed }: Case): PointSet {
  const levels = set.levels.map((l) => ({ ...l, vectors: patchVectors(frame, candidate, set.x, set.y, l.level, speed.least) }));
  return { ...set, frame, levels };
}

const FEW_POINTS = 96,
  /** Of a picture explained: a file that explains so much less at these points does not become the better one at its own. */
  LESS = 0.25;

/** Could the vectors in the file after or before this one, at any scale, explain the pictures about as well? A quick look at a few points. */
export function couldBeFile(reading: WeighedReading, to: -1 | 1): boolean {
  const { of } = reading;
  const few = of.sets.map((s) => somePoints(s, Math.ceil(FEW_POINTS / of.sets.length)));
  const shifted = few.flatMap((set) => {
    const frame = fileBeside(set.frame, to);
    return frame === null ? [] : [pointsIn(set, frame, of)];
  });
  if (shifted.length === 0) return true;
  return straightFit({ ...of, sets: shifted }, reading) > straightFit({ ...of, sets: few }, reading) - LESS;
}

const SURELY = 4;

/**
 * Does another solution's reading, of another file, carry points clearly better to the neighbours than this one does? At the points of both: where only one file
 * says that something moves, the other one is silent, and what it would have missed would not count.
 */
export function fitsBetter(other: WeighedReading, than: WeighedReading): boolean {
  if (other.of.sets.length !== than.of.sets.length) return false;
  const own = [...gainsAt(than, than), ...gainsAt(than, other)],
    theirs = [...gainsAt(other, than), ...gainsAt(other, other)];
  const more = own.flatMap((gain, i) => (Math.abs(theirs[i] - gain) > 1e-3 ? [theirs[i] - gain] : []));
  return more.length > FEWEST && pairedT(more) > SURELY;
}

/** What a reading's vectors gain at the many points of another one. */
function gainsAt(reading: WeighedReading, at: WeighedReading): number[] {
  const sets = at.of.manyPoints();
  if (reading === at) return bothGains({ ...reading, of: { ...reading.of, sets } });
  const moved = sets.map((set, n) => pointsIn(set, reading.of.sets[n].frame, reading.of));
  return bothGains({ ...reading, of: { ...reading.of, sets: moved } });
}

/** Where the vectors themselves lead: the way to the other neighbour is guessed from the files beside, and of the last one there is only one. */
function sidesOf({ middle }: WeighedReading): readonly Side[] {
  return middle === 0.5 ? [1] : middle === -0.5 ? [0] : [0, 1];
}

/** Of every point, over the neighbours that are there and the two finer levels: a file off leads nearly right. */
function bothGains(reading: WeighedReading): number[] {
  const moves = [0, 1].map((level) => bentMoves(reading, level)),
    scale = scaleOf(reading, reading.named.factor);
  return reading.of.sets.flatMap((set, n) => {
    const gains = moves.flatMap((m, level) =>
      sidesOf(reading).flatMap((side) =>
        set.frame.pictures.has[side] ? [gainsOf(set, level, side === 1 ? m.next[n] : m.previous[n], side, scale)] : [],
      ),
    );
    return Array.from({ length: set.count }, (_, i) => gains.reduce((sum, g) => sum + (g[i] || 0), 0) / gains.length);
  });
}

function pairedT(differences: readonly number[]): number {
  const mean = differences.reduce((a, b) => a + b, 0) / differences.length,
    spread = Math.sqrt(differences.reduce((a, d) => a + (d - mean) ** 2, 0) / differences.length);
  return mean / (spread / Math.sqrt(differences.length) + 1e-6);
}
