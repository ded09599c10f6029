import type { Side } from './beauty-pictures';
import { bentMoves } from './bend';
import { patchVectors, type PointSet } from './points';
import type { WeighedReading } from './posterior';
import { gainsOf } from './score';
import { exchanged, scaleOf } from './sweep';
import { pixelUnder, vectorField } from './vector-field';

/** Where two files' vectors differ by less than this they can't be told apart: pixels of the picture, and a share of the fastest. */
const DIFFER_PX = 0.7,
  DIFFER_SHARE = 0.08,
  FEWEST = 25,
  /** Paired t, and the mean of what the other file's vectors match more. */
  CLEARLY = 4,
  MORE = 0.08;

/** 1 or -1 when the vectors in the file after or before this one fit this frame's pictures better than its own do; else 0. */
export function betterFile(reading: WeighedReading): -1 | 0 | 1 {
  const { candidate, speed } = reading.of,
    sets = reading.of.manyPoints();
  const scale = scaleOf(reading, reading.named.factor),
    // Vectors around the frame lie between the ways to both neighbours.
    sides = sidesOf(reading);
  const alike = Math.max(DIFFER_PX, DIFFER_SHARE * speed.fast * Math.abs(scale[0]));
  let best: -1 | 0 | 1 = 0,
    most = CLEARLY;
  for (const to of [-1, 1] as const) {
    const gains: number[] = [];
    for (const set of sets) {
      const { frame } = set,
        other = frame.beside[to === 1 ? 1 : 0];
      if (other === null || other.width !== frame.now.width || other.height !== frame.now.height) continue;
      const mine = vectorField(frame.now, candidate, frame.alpha.now),
        theirs = vectorField(other, candidate, frame.alpha.beside[to === 1 ? 1 : 0]);
      const differs = Uint8Array.from({ length: set.count }, (_, i) => {
        const pixel = pixelUnder(set.x[i], set.y[i], frame.pictures, mine);
        return mine.read(pixel) && theirs.read(pixel) && Math.hypot((theirs.u - mine.u) * scale[0], (theirs.v - mine.v) * scale[1]) > alike
          ? 1
          : 0;
      });
      const shifted = { ...frame, now: other, alpha: { ...frame.alpha, now: frame.alpha.beside[to === 1 ? 1 : 0] } };
      const vectors = [frame, shifted].map((f) => {
        const own = patchVectors(f, candidate, set.x, set.y, 1, speed.least);
        const gains = sides.map((side) => gainsOf(set, 1, reading.swapped ? exchanged(own) : own, side, scale));
        return Float32Array.from({ length: set.count }, (_, i) => gains.reduce((sum, g) => sum + (g[i] || 0), 0) / sides.length);
      });
      for (let i = 0; i < set.count; i++) {
        if (differs[i] === 0) continue;
        const gain = vectors[1][i] - vectors[0][i];
        gains.push(gain);
      }
    }
    if (gains.length < FEWEST) continue;
    const t = pairedT(gains);
    if (gains.reduce((a, b) => a + b, 0) > MORE * gains.length && t > most) {
      most = t;
      best = to;
    }
  }
  return best;
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
  const moved = sets.map((set, n): PointSet => {
    const { frame } = reading.of.sets[n];
    const levels = set.levels.map((l) => ({
      ...l,
      vectors: patchVectors(frame, reading.of.candidate, set.x, set.y, l.level, reading.of.speed.least),
    }));
    return { ...set, frame, levels };
  });
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
