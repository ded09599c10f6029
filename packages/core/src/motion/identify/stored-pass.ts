import type { SampleType } from '../../raster/image';
import { countStuck, STEP_AT_ONE } from '../audit/walls';

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
  /** Pixels stuck at the lowest and at the highest value, when more are there than belong there. */
  readonly clippedLow: number;
  readonly clippedHigh: number;
  readonly notFinite: number;
  /** Smallest step between neighbouring values that such a type can hold around 1. */
  readonly step: number;
}

/** Most values that are counted one by one: enough for every code of 16 bits. */
const MOST_VALUES = 70000,
  COUNTED_EVERY = 7;

export function shapeOf({ name, type, data }: StoredChannel, width: number): ChannelShape {
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
      clippedLow: 0,
      clippedHigh: 0,
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
  const walls = { data, width, type, range: max - min, isStill: (v: number) => v === rest };
  return {
    name,
    type,
    min,
    max,
    low: quantile(0.01),
    high: quantile(0.99),
    rest,
    restShare: most / looked,
    clippedLow: countStuck(min, walls),
    clippedHigh: countStuck(max, walls),
    notFinite,
    step: STEP_AT_ONE[type],
  };
}

/** A channel's values at points of the beauty; NaN where the value says nothing: not finite, at an edge of the pass, or clipped. */
export function valuesAt(
  pass: StoredPass,
  channel: StoredChannel,
  shape: ChannelShape,
  points: { readonly x: Int32Array; readonly y: Int32Array; readonly width: number; readonly height: number },
): Float64Array {
  const { width, height } = pass,
    { data } = channel;
  const scaleX = width / points.width,
    scaleY = height / points.height;
  const rough = Math.max(ROUGH_SHARE * (shape.high - shape.low), 1.6 * (shape.step > 1e-4 ? shape.step : 0));
  const out = new Float64Array(points.x.length).fill(NaN);
  for (let k = 0; k < out.length; k++) {
    const px = Math.floor((points.x[k] + 0.5) * scaleX),
      py = Math.floor((points.y[k] + 0.5) * scaleY);
    if (px < 1 || py < 1 || px >= width - 1 || py >= height - 1) continue;
    let low = Infinity,
      high = -Infinity;
    for (let y = py - 1; y <= py + 1; y++) {
      for (let x = px - 1; x <= px + 1; x++) {
        const v = data[y * width + x];
        // NaN makes both comparisons false once it is in.
        low = v < low || v !== v ? v : low;
        high = v > high || v !== v ? v : high;
      }
    }
    const v = data[py * width + px];
    if (!(high - low <= rough) || (shape.clippedHigh > 0 && v === shape.max) || (shape.clippedLow > 0 && v === shape.min)) continue;
    out[k] = v;
  }
  return out;
}

/** Values that differ by more than this share of the pass's range between neighbours lie on an edge. */
const ROUGH_SHARE = 0.1;
