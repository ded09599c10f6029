import type { Encoding, VectorSet } from '../encoding/encoding';
import type { BentReading } from './bend';
import type { NamedScale } from './round-scale';
import { encodingOf } from './write-encoding';

/** As much as a sixteenth of the picture explained: it settles what the pictures leave open, and is overruled where they are clear. */
const KNOWN = 2.5,
  SAME_ZERO = 0.003,
  SAME_SCALE = 1e-3;

/** What an encoding that was saved for passes like this one adds to the belief in a reading: a logarithm, 0 where none is the same. */
export function knownPrior(
  reading: BentReading,
  named: NamedScale,
  names: readonly string[],
  multiplied: string | null | undefined,
  known: readonly Encoding[],
): number {
  if (known.length === 0) return 0;
  const own = encodingOf({ ...reading, named }, names, null, multiplied);
  return known.some((k) => storesTheSame(own, k)) ? KNOWN : 0;
}

/** The first set of `own` is one of the other's, stored the same way; a second one is found afterwards. */
export function storesTheSame(own: Encoding, other: Encoding): boolean {
  const perPixel = (e: Encoding) => e.fullScale.equals / (e.fullScale.stored - e.zero);
  return (
    own.transfer.kind === other.transfer.kind &&
    (own.transfer.kind !== 'power' || other.transfer.kind !== 'power' || own.transfer.exponent === other.transfer.exponent) &&
    own.premultiplied === other.premultiplied &&
    Math.abs(own.zero - other.zero) < SAME_ZERO &&
    own.fullScale.unit === other.fullScale.unit &&
    Math.abs(perPixel(own) / perPixel(other) - 1) < SAME_SCALE + SAME_ZERO * 2 &&
    own.axes.x === other.axes.x &&
    own.axes.y === other.axes.y &&
    own.pixelAspect === other.pixelAspect &&
    other.sets.some((set) => isSameSet(set, own.sets[0]))
  );
}

function isSameSet(a: VectorSet, b: VectorSet): boolean {
  return (
    [a.x, a.y, a.length].join() === [b.x, b.y, b.length].join() &&
    a.covers.unit === b.covers.unit &&
    a.covers.from === b.covers.from &&
    a.covers.to === b.covers.to
  );
}
