import { patchVectors, type PointSet } from './points';
import type { WeighedReading } from './posterior';
import { scoreMoves } from './score';
import { patchesOf, scaleOf } from './sweep';
import { vectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** Two more channels that hold the way to the other neighbour. */
export interface SecondSet {
  readonly x: number;
  readonly y: number;
  /** 1: stored as the first set, both along time; -1: turned round. */
  readonly sign: 1 | -1;
  /** The first reading's vectors are those to the next frame. */
  readonly firstIsNext: boolean;
}

/** Both sets together explain so much more than the better side of the first alone. */
const MORE = 1.2,
  /** Median distance between the two sets' motions, as a share of it: they are of one surface. */
  NEAR = 1.1;

/** Scales of two sets agree to this share, and the other's fit is at least so much of the first's. */
const SAME_SCALE = 0.05,
  OF_FIT = 0.6;

/** Another pair of channels that was weighed too, of the same scale and for the other side: where motion changes its speed the two are no mirror images. */
function weighedPartner([first, ...others]: readonly WeighedReading[]): SecondSet | null {
  const { candidate } = first.of;
  const partner = others.find(
    ({ of, fit, scale, middle, yScale, signX, signY }) =>
      of.candidate.length === null &&
      [of.candidate.a, of.candidate.b].every((c) => c !== candidate.a && c !== candidate.b) &&
      Math.abs(of.candidate.zero - candidate.zero) < 1e-6 &&
      Math.abs(Math.log(scale / first.scale)) < SAME_SCALE &&
      yScale === first.yScale &&
      signX * first.signX === signY * first.signY &&
      fit > OF_FIT * first.fit &&
      middle === -first.middle,
  );
  if (partner === undefined || Math.abs(first.middle) !== 0.5) return null;
  const { a, b } = partner.of.candidate;
  const [x, y] = partner.swapped ? [b, a] : [a, b];
  return { x, y, sign: partner.signX === first.signX ? 1 : -1, firstIsNext: first.middle > 0 };
}

/** The other set of a pass with two, alone. */
export function isHalfOf(second: SecondSet | null, { of: { candidate } }: WeighedReading): boolean {
  return second !== null && [second.x, second.y].every((c) => c === candidate.a || c === candidate.b);
}

/** `channels`: all that may hold motion. Null where no other pair explains the other side. */
export function findSecondSet(weighed: readonly WeighedReading[], channels: readonly number[]): SecondSet | null {
  const [first] = weighed,
    { candidate, sets, speed } = first.of;
  const known = candidate.length === null ? weighedPartner(weighed) : null;
  if (known !== null) return known;
  const left = channels.filter((c) => c !== candidate.a && c !== candidate.b);
  if (candidate.length !== null || left.length < 2 || first.yScale !== 1) return null;
  const scale = scaleOf(first, first.named.factor);
  const own = patchesOf(first, 1);
  const alone = scoreMoves(sets, 1, { next: own, previous: own }, [scale]);
  const better = Math.max(alone[0][0], alone[1][0], alone[2][0]);
  let best: (SecondSet & { readonly score: number }) | null = null;
  for (const x of left)
    for (const y of left) {
      if (x === y) continue;
      const other = { ...candidate, a: x, b: y };
      const vectors = sets.map((s) => patchVectors(s.frame, other, s.x, s.y, 1, speed.least));
      for (const sign of [1, -1] as const) {
        const theirs = scoreMoves(sets, 1, { next: vectors, previous: vectors }, [[scale[0] * sign, scale[1] * sign]]);
        const asNext = alone[1][0] + theirs[0][0],
          asPrevious = alone[0][0] + theirs[1][0],
          score = Math.max(asNext, asPrevious);
        if (score <= MORE * better || (best !== null && score <= best.score) || !(distance(first, sets, x, y, sign) < NEAR)) continue;
        best = { x, y, sign, firstIsNext: asNext >= asPrevious, score };
      }
    }
  return best;
}

function distance(first: WeighedReading, sets: readonly PointSet[], x: number, y: number, sign: number): number {
  const { candidate, speed } = first.of;
  const offs: number[] = [];
  for (const { frame } of sets) {
    const mine = vectorField(frame.now, candidate, frame.alpha.now),
      theirs = vectorField(frame.now, { ...candidate, a: x, b: y }, frame.alpha.now);
    for (let i = 0; i < mine.width * mine.height; i += 37) {
      if (!mine.read(i) || !theirs.read(i)) continue;
      const [u, v] = first.swapped ? [mine.v, mine.u] : [mine.u, mine.v],
        length = lengthOf(u, v);
      if (length > 0.05 * speed.fast) offs.push(lengthOf(theirs.u * sign - u, theirs.v * sign - v) / length);
    }
  }
  offs.sort((a, b) => a - b);
  return offs.length === 0 ? Infinity : offs[offs.length >> 1];
}
