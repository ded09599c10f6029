import type { CoveringVotes } from './covering';
import type { DepthEncoding } from './depth-encoding';
import type { DepthValues } from './depth-values';
import type { FlatSurfaces } from './flat-surfaces';

/** A way in which stored values can mean distances. */
export type DepthLaw = Pick<DepthEncoding, 'law' | 'zero' | 'scale'>;

export interface JudgedLaw extends DepthLaw {
  readonly nearer: 'smaller' | 'larger';
  /** Of all laws that were considered, 0 to 1. */
  readonly share: number;
  /** The stored values are what they are, but where distance 0 lies among them is not known. */
  readonly isRelative: boolean;
}

/**
 * Passes that are stored from 0 to 1 do not say how far the nearest thing is. With a quarter of the stored range before it, distances differ by at
 * most five to one: a middle of what scenes are (rooms 3 to 1, landscapes 20 to 1).
 */
const BEFORE_NEAREST = 0.25;

/** Planes that reach from nearly nothing to the farthest are none: what bulges looks like them. */
export const MOST_K = 1.7;

/** So many coverings are believed in full (some come from wrong vectors), and no more than so much; how much bulging counts. */
const VOTES_FOR_TRUST = 30,
  MOST_VOTES = 8,
  BULGE = 4,
  SAME_K = 0.25;

/** Fewer places than this say nothing about what bulges. */
export const ENOUGH_BENDS = 200;

/** Share of places that must agree before a plane is believed. */
export const FLAT_SURE = 0.35;

export interface LawWitnesses {
  readonly values: DepthValues;
  readonly isInteger: boolean;
  readonly votes: CoveringVotes;
  readonly flat: FlatSurfaces | null;
  /** -1 to 1: above 0 stored values grow downwards in the picture. */
  readonly downwards: number;
}

/** All laws, the likeliest first. Prior weights are natural logarithms of how common a way of storing is among those that the values allow. */
export function judgeLaws(witnesses: LawWitnesses): JudgedLaw[] {
  const { values, flat } = witnesses;
  const { low, high } = values.things ?? { low: 1, high: 1 };
  const scored = possibleLaws(low, high, witnesses.isInteger).map((law) => {
    const nearer = (law.law === 'linear') === law.scale > 0 ? ('smaller' as const) : ('larger' as const);
    return { ...law, nearer, score: law.prior + directionScore(nearer, low, high, witnesses) + flatScore(law, low, high, flat) };
  });
  const most = Math.max(...scored.map((s) => s.score)),
    sum = scored.reduce((total, s) => total + Math.exp(s.score - most), 0);
  return scored
    .sort((a, b) => b.score - a.score)
    .map(({ law, zero, scale, nearer, isRelative, score }) => {
      const measured =
        isRelative && flat !== null && flat.share >= FLAT_SURE && Math.abs(flat.k) <= MOST_K ? zeroOf(flat, low, high, nearer) : null;
      return {
        law,
        zero: measured ?? zero,
        scale,
        nearer,
        isRelative: isRelative && measured === null,
        share: Math.exp(score - most) / sum,
      };
    });
}

interface PossibleLaw extends DepthLaw {
  readonly prior: number;
  readonly isRelative: boolean;
}

function possibleLaws(low: number, high: number, isInteger: boolean): PossibleLaw[] {
  const out: PossibleLaw[] = [];
  const add = (law: DepthLaw['law'], zero: number, scale: number, prior: number, isRelative = false) =>
    out.push({ law, zero, scale, prior, isRelative });
  const range = Math.max(high - low, 1e-6 * Math.max(Math.abs(low), Math.abs(high), 1e-6));
  if (low > 0) {
    add('linear', 0, 1, high > 1.001 ? 0 : isInteger ? -5 : -2.5);
    add('inverse', 0, 1, high > 1.001 ? -4 : isInteger ? -3 : -1);
  }
  if (high < 0) {
    add('linear', 0, -1, 0);
    add('inverse', 0, -1, -3);
  }
  if (low >= -1e-6 && high <= 1.001) {
    // Who stores 0 to 1 uses much of it.
    const unused = high < 0.3 ? -3 : high < 0.6 ? -1.5 : 0;
    add('linear', -BEFORE_NEAREST, 1, -0.5 + unused, true);
    add('linear', 1 + BEFORE_NEAREST, -1, -0.7 + unused, true);
    if (low > 0.5) add('inverse', 1.0001, -1, low > 0.8 ? -0.7 : -2);
  } else {
    add('linear', low - BEFORE_NEAREST * range, 1, low > 0 || high < 0 ? -5 : 0, true);
    add('linear', high + BEFORE_NEAREST * range, -1, high < 0 ? -5 : low > 0 ? -4 : -1, true);
  }
  return out;
}

function directionScore(nearer: 'smaller' | 'larger', low: number, high: number, { values, votes, flat, downwards }: LawWitnesses): number {
  const sign = nearer === 'smaller' ? 1 : -1;
  let score = 0;
  const total = votes.smaller + votes.larger;
  if (total > 0) {
    const share = (votes.smaller + 1) / (total + 2);
    score += Math.min(MOST_VOTES, Math.max(-MOST_VOTES, 2 * Math.log(share / (1 - share)) * Math.min(1, total / VOTES_FOR_TRUST)));
  }
  for (const v of values.nothing) {
    const isFar = Math.abs(v) > 2 * Math.max(Math.abs(low), Math.abs(high));
    if (isFar && v > high) score += 3;
    else if (isFar && v < low) score -= 3;
    else if (v === 1 && high < 1) score += 1.5;
    else if (v === 0 && low > 0 && high <= 1.001) score -= 1;
  }
  if (flat !== null && flat.places >= ENOUGH_BENDS) score += BULGE * (2 * flat.bulge - 1);
  // Floors are nearer at the bottom of the picture.
  score -= 0.8 * downwards;
  return (score * sign) / 2;
}

/** A law's k, as `flatSurfaces` measures it. */
function kOf({ law, zero }: DepthLaw, low: number, high: number): number {
  return law === 'inverse' ? 0 : (high - low) / ((low + high) / 2 - zero);
}

function flatScore(law: PossibleLaw, low: number, high: number, flat: FlatSurfaces | null): number {
  if (flat === null || !(high > low) || Math.abs(flat.k) > MOST_K) return 0;
  const weight = 2 * Math.min(1, Math.max(0, (flat.share - 0.2) / 0.3));
  // Where distance 0 lies is free: only the direction can be wrong.
  const fits = law.isRelative ? Math.abs(flat.k) > 0.1 && flat.k > 0 === law.scale > 0 : Math.abs(kOf(law, low, high) - flat.k) < SAME_K;
  return fits ? weight : -weight;
}

/** The stored value at distance 0 that flat surfaces say; null when it lies among the things. */
function zeroOf({ k }: FlatSurfaces, low: number, high: number, nearer: 'smaller' | 'larger'): number | null {
  const zero = (low + high) / 2 - (high - low) / k;
  return (nearer === 'smaller' ? zero < low : zero > high) && Math.abs(k) > 0.1 ? zero : null;
}
