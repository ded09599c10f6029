import { hash } from '../noise';

/** Draws that follow from a seed alone. */
export interface Draw {
  /** From 0 to below 1. */
  number(): number;
  between(low: number, high: number): number;
  /** As evenly over factors as `between` is over differences. */
  factor(low: number, high: number): number;
  chance(share: number): boolean;
  /** Each of the list as likely as it stands in it. */
  of<T>(list: readonly T[]): T;
  /** Of a normal distribution of width 1 (Box and Muller, 1958). */
  normal(): number;
}

export function drawFrom(seed: number): Draw {
  let n = 0;
  const number = () => hash(seed, n++, 811);
  return {
    number,
    between: (low, high) => low + (high - low) * number(),
    factor: (low, high) => low * (high / low) ** number(),
    chance: (share) => number() < share,
    of: (list) => list[Math.floor(number() * list.length)],
    normal: () => Math.sqrt(-2 * Math.log(1 - number())) * Math.cos(2 * Math.PI * number()),
  };
}
