import { describeEncoding } from '../encoding/describe-encoding';
import type { Encoding, VectorSet } from '../encoding/encoding';
import type { BentReading } from './bend';
import { fullScaleOf, type WeighedReading } from './posterior';
import type { NamedScale } from './round-scale';
import type { SecondSet } from './second-set';

/** What a reading is as an encoding. `alpha`: channel that the values were multiplied by; undefined: they were not. */
export function encodingOf(
  reading: BentReading & Pick<WeighedReading, 'named'>,
  names: readonly string[],
  second: SecondSet | null,
  alpha: string | null | undefined,
  named: NamedScale = reading.named,
): Encoding {
  const { of, swapped } = reading,
    { candidate } = of;
  const [x, y] = swapped ? [candidate.b, candidate.a] : [candidate.a, candidate.b];
  const length = candidate.length === null ? null : names[candidate.length];
  const first = { x: names[x], y: names[y], length };
  const { reversed, axes } = axesOf(reading.signX, reading.signY, reading.middle, second);
  const sets: VectorSet[] =
    second === null
      ? [{ ...first, covers: turned(named.covers, reversed) }]
      : twoSets(
          first,
          { x: names[second.x], y: names[second.y], length: null },
          second,
          reversed,
          Math.abs(named.covers.to - named.covers.from),
          named.covers.unit,
        );
  const encoding: Encoding = {
    ivrexEncoding: 1,
    name: '',
    note: '',
    space: 'screen',
    transfer: candidate.curve,
    premultiplied: alpha !== undefined,
    alpha: alpha ?? null,
    sets,
    zero: tidy(candidate.zero),
    fullScale: { stored: tidy(length === null ? fullScaleOf(candidate.zero) : 1), equals: named.equals, unit: named.unit },
    axes,
    pixelAspect: named.pixelAspect,
    noData: null,
  };
  return { ...encoding, name: describeEncoding(encoding) };
}

/** Six places: what a float holds of 0.1 is 0.1. */
function tidy(value: number): number {
  const short = Number(value.toPrecision(6));
  return Math.abs(short - value) < 1e-7 * Math.max(1, Math.abs(value)) ? short : value;
}

/**
 * Signs as axes, or as time turned round: position(before) - position(now) is stored more often than both axes mirrored, and so it is with x mirrored when
 * the vectors are known to be about the frame before.
 */
function axesOf(
  signX: number,
  signY: number,
  middle: number,
  second: SecondSet | null,
): { readonly reversed: boolean; readonly axes: Encoding['axes'] } {
  const before = second === null ? middle < 0 : !second.firstIsNext;
  const reversed = signX < 0 && (signY < 0 || before);
  const [x, y] = reversed ? [-signX, -signY] : [signX, signY];
  return { reversed, axes: { x: x < 0 ? 'left' : 'right', y: y < 0 ? 'up' : 'down' } };
}

function turned(covers: NamedScale['covers'], reversed: boolean): NamedScale['covers'] {
  return reversed ? { ...covers, from: covers.to, to: covers.from } : covers;
}

/** To the next frame first. */
function twoSets(
  first: Omit<VectorSet, 'covers'>,
  other: Omit<VectorSet, 'covers'>,
  { sign, firstIsNext }: SecondSet,
  reversed: boolean,
  length: number,
  unit: VectorSet['covers']['unit'],
): VectorSet[] {
  /** Along time or against it, on one side of the frame. */
  const covers = (isNext: boolean, onward: boolean): VectorSet['covers'] => {
    const [from, to] = isNext ? [0, length] : [-length, 0];
    return onward ? { from, to, unit } : { from: to, to: from, unit };
  };
  const sets = [
    { ...first, covers: covers(firstIsNext, !reversed) },
    { ...other, covers: covers(!firstIsNext, reversed === sign < 0) },
  ];
  return firstIsNext ? sets : sets.reverse();
}
