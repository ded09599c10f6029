import type { SampleType } from '../../raster/image';
import { countStuck, isEnd, STEP_AT_ONE } from '../audit/walls';

/** A motion pass as its file holds it, one frame: planes over its own display window. */
export interface StoredPass {
  readonly width: number;
  readonly height: number;
  readonly channels: readonly StoredChannel[];
}

export interface StoredChannel {
  readonly name: string;
  readonly type: SampleType;
  readonly data: Float32Array;
}

/** What one channel's values look like, before any meaning is given to them. */
export interface ChannelShape {
  readonly name: string;
  readonly type: SampleType;
  /** Over finite values: extremes, and the values that 1 and 99 percent lie below. */
  readonly min: number;
  readonly max: number;
  readonly low: number;
  readonly high: number;
  /** The most frequent value, and the share of pixels that hold it. */
  readonly rest: number;
  readonly restShare: number;
  readonly notFinite: number;
  /** Smallest step between neighbouring values that such a type can hold around 1. */
  readonly step: number;
}

/** Most values that are counted one by one: enough for every code of 16 bits. */
const MOST_VALUES = 70000,
  COUNTED_EVERY = 7;

export function shapeOf({ name, type, data }: StoredChannel): ChannelShape {
  let min = Infinity,
    max = -Infinity,
    notFinite = 0,
    looked = 0;
  const counts = new Map<number, number>();
  for (let i = 0; i < data.length; i++) {
    const v = data[i];
    if (v - v !== 0) {
      notFinite++;
      continue;
    }
    if (v < min) min = v;
    if (v > max) max = v;
    // Which value is most frequent shows in a part of the pixels; a step of 7 meets every column of the usual widths.
    if (i % COUNTED_EVERY !== 0) continue;
    looked++;
    const known = counts.get(v);
    if (known !== undefined) counts.set(v, known + 1);
    else if (counts.size < MOST_VALUES) counts.set(v, 1);
  }
  if (looked === 0)
    return {
      name,
      type,
      min: 0,
      max: 0,
      low: 0,
      high: 0,
      rest: 0,
      restShare: 0,
      notFinite,
      step: STEP_AT_ONE[type],
    };
  let rest = min,
    most = 0;
  for (const [v, n] of counts) if (n > most) [rest, most] = [v, n];
  const thin = Math.max(1, Math.floor(data.length / 20000)) | 1;
  const some: number[] = [];
  for (let i = 0; i < data.length; i += thin) if (data[i] - data[i] === 0 && data[i] !== rest) some.push(data[i]);
  const sorted = Float64Array.from(some).sort();
  const quantile = (p: number) => (sorted.length === 0 ? rest : sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * p))]);
  return {
    name,
    type,
    min,
    max,
    low: quantile(0.01),
    high: quantile(0.99),
    rest,
    restShare: most / looked,
    notFinite,
    step: STEP_AT_ONE[type],
  };
}

/** Values that pixels are stuck at because the range ended there, with how many there are: at most the lowest and the highest. */
export interface StuckAt {
  readonly value: number;
  readonly count: number;
}

/**
 * `zero`: the stored value of no motion. Whole numbers around a middle end at 0 and 1, and hardly a vector ends there by itself.
 */
export function stuckIn(channel: StoredChannel, shape: ChannelShape, width: number, zero: number): StuckAt[] {
  const known = stuckByZero.get(channel.data) ?? new Map<number, StuckAt[]>();
  stuckByZero.set(channel.data, known);
  const stuck = known.get(zero) ?? findStuck(channel, shape, width, zero);
  known.set(zero, stuck);
  return stuck;
}

/** Every candidate asks the same of its channels. */
const stuckByZero = new WeakMap<Float32Array, Map<number, StuckAt[]>>();

function findStuck({ data, type }: StoredChannel, { min, max, rest, step }: ChannelShape, width: number, zero: number): StuckAt[] {
  const isStill = (v: number) => Math.abs(v - zero) <= step || (v === rest && !isEnd(v, type)) || (v === rest && Math.abs(zero) < 0.1);
  if (isSymmetricLimit(data, type, min, max)) {
    const at = (value: number) => data.reduce((n, v) => (v === value ? n + 1 : n), 0);
    return [min, max].map((value) => ({ value, count: at(value) }));
  }
  return [min, max].flatMap((value) => {
    const count = countStuck(value, { data, width, type, range: max - min, isStill });
    return count > 0 ? [{ value, count }] : [];
  });
}

/** Floats that end at the same value on both sides, and many pixels there: nothing moves so by itself. */
const LIMIT_SHARE = 0.0015;

function isSymmetricLimit(data: Float32Array, type: SampleType, min: number, max: number): boolean {
  if ((type !== 'half' && type !== 'float') || !(max > 0) || Math.abs(min + max) > 1e-5 * max) return false;
  let low = 0,
    high = 0;
  for (const v of data) {
    if (v === min) low++;
    else if (v === max) high++;
  }
  return Math.min(low, high) > 0 && low + high > LIMIT_SHARE * data.length;
}
