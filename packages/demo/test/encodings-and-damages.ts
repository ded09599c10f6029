import {
  encodeMotion,
  rawPixels,
  resizeMotionField,
  resizePlane,
  roundToHalf,
  type Encoding,
  type MotionField,
  type SampleType,
  type StoredPass,
} from '@ivrex/core';
import { renderSharp, type FrameSize } from '../src/render-cards';
import type { Card } from '../src/card';

/** A rendered frame with its neighbours, and the true motion of each. */
export interface RenderedFrames extends FrameSize {
  readonly name: string;
  /** Premultiplied RGBA of the frame before, the frame, and the frame after. */
  readonly beauty: readonly [Float32Array, Float32Array, Float32Array];
  readonly motion: readonly [MotionField, MotionField, MotionField];
}

export function renderFrames(name: string, cards: readonly Card[], t: number, size: FrameSize): RenderedFrames {
  const frames = [t - 1, t, t + 1].map((at) => renderSharp(cards, at, size, 6));
  const motion = frames.map(({ motion: m, rgba }): MotionField => {
    const count = size.width * size.height;
    const field = {
      ...size,
      twoSided: true,
      toNext: new Float32Array(count * 2),
      toPrevious: new Float32Array(count * 2),
      valid: new Uint8Array(count),
    };
    for (let i = 0; i < count; i++) {
      field.toNext.set([m[i * 4], m[i * 4 + 1]], i * 2);
      field.toPrevious.set([m[i * 4 + 2], m[i * 4 + 3]], i * 2);
      field.valid[i] = rgba[i * 4 + 3] > 0 ? 1 : 0;
    }
    return field;
  });
  return {
    ...size,
    name,
    beauty: [frames[0].rgba, frames[1].rgba, frames[2].rgba],
    motion: [motion[0], motion[1], motion[2]],
  };
}

export interface StoredAs {
  readonly name: string;
  readonly encoding: Encoding;
  readonly type: 'u8' | 'u16' | 'half' | 'float';
}

const raw = rawPixels('R', 'G');
const [set] = raw.sets;
const covering = (from: number, to: number, unit: 'frames' | 'seconds' = 'frames') => ({ sets: [{ ...set, covers: { from, to, unit } }] });
const px = (equals: number) => ({ stored: 1, equals, unit: 'px' as const });

/** The ways to store motion that the set goes through. */
export const STORED_AS: Record<string, StoredAs> = {
  raw: { name: 'raw pixels', encoding: raw, type: 'float' },
  rawHalf: { name: 'raw pixels in halves', encoding: raw, type: 'half' },
  toPrevious: { name: 'position before minus position now', encoding: { ...raw, ...covering(0, -1) }, type: 'float' },
  fromPrevious: {
    name: 'position now minus position before, y up',
    encoding: { ...raw, ...covering(-1, 0), axes: { x: 'right', y: 'up' } },
    type: 'half',
  },
  yUp: { name: 'raw pixels, y up', encoding: { ...raw, axes: { x: 'right', y: 'up' } }, type: 'half' },
  halfFrame: {
    name: 'half frames, y up',
    encoding: { ...raw, fullScale: { stored: 1, equals: 1, unit: 'halfFrame' }, axes: { x: 'right', y: 'up' } },
    type: 'float',
  },
  frameWidth: { name: 'frame widths', encoding: { ...raw, fullScale: { stored: 1, equals: 1, unit: 'frameWidth' } }, type: 'float' },
  frameSize: {
    name: 'frame widths and heights',
    encoding: { ...raw, fullScale: { stored: 1, equals: 1, unit: 'frameSize' } },
    type: 'float',
  },
  centred8: { name: 'centred, 64 px, 8 bits', encoding: { ...raw, zero: 128 / 255, fullScale: px(64) }, type: 'u8' },
  centred16: {
    name: 'centred, 64 px, 16 bits, y up',
    encoding: { ...raw, zero: 32768 / 65535, fullScale: px(64), axes: { x: 'right', y: 'up' } },
    type: 'u16',
  },
  centredHalfFrame: {
    name: 'centred, half frames',
    encoding: { ...raw, zero: 0.5, fullScale: { stored: 1, equals: 1, unit: 'halfFrame' } },
    type: 'half',
  },
  centredWide: { name: 'centred, 200 px, 16 bits', encoding: { ...raw, zero: 0.5, fullScale: px(200) }, type: 'u16' },
  halfShutter: { name: 'over the half frame that follows', encoding: { ...raw, ...covering(0, 0.5) }, type: 'float' },
  aroundFrame: { name: 'over half a frame around the frame', encoding: { ...raw, ...covering(-0.25, 0.25) }, type: 'float' },
  perSecond: { name: 'pixels per second', encoding: { ...raw, ...covering(0, 1, 'seconds') }, type: 'float' },
  direction16: {
    name: 'direction and length, 100 px, 16 bits',
    encoding: { ...raw, zero: 0.5, fullScale: px(100), sets: [{ ...set, length: 'B' }] },
    type: 'u16',
  },
  directionPerSecond: {
    name: 'direction and length, per second',
    encoding: { ...raw, sets: [{ ...set, length: 'B', covers: { from: 0, to: 1, unit: 'seconds' } }] },
    type: 'half',
  },
  twoSets: {
    name: 'next and previous',
    encoding: { ...raw, sets: [set, { x: 'B', y: 'A', length: null, covers: { from: 0, to: -1, unit: 'frames' } }] },
    type: 'float',
  },
  swapped: { name: 'x in G, y in R', encoding: { ...raw, sets: [{ ...set, x: 'G', y: 'R' }] }, type: 'half' },
  swappedCentred: {
    name: 'x in G, y in R, centred, 64 px, 16 bits',
    encoding: { ...raw, zero: 32768 / 65535, fullScale: px(64), sets: [{ ...set, x: 'G', y: 'R' }] },
    type: 'u16',
  },
  mirrored: { name: 'x mirrored', encoding: { ...raw, axes: { x: 'left', y: 'down' } }, type: 'half' },
  inBlue: { name: 'x in B, y in A', encoding: { ...raw, sets: [{ ...set, x: 'B', y: 'A' }] }, type: 'float' },
  power: {
    name: 'power curve 2.2, centred, 100 px, 16 bits',
    encoding: { ...raw, transfer: { kind: 'power', exponent: 2.2 }, zero: 0.5, fullScale: px(100) },
    type: 'u16',
  },
  srgb: {
    name: 'sRGB curve, centred, 100 px, 8 bits',
    encoding: { ...raw, transfer: { kind: 'srgb' }, zero: 0.5, fullScale: px(100) },
    type: 'u8',
  },
  aspect: { name: 'x times a pixel aspect of 2', encoding: { ...raw, pixelAspect: 2 }, type: 'float' },
};

/** What happens to passes on their way. */
export type Damage =
  | 'none'
  | 'centreOff'
  | 'centresApart'
  | 'clipped'
  | 'multiplied'
  | 'halfSize'
  | 'holes'
  | 'nan'
  | 'filtered'
  | 'frameOff'
  | 'unrendered'
  | 'foreign';

/** The pass as a file would hold it; channels that the encoding does not name hold zero. */
export function storePass(rendered: RenderedFrames, frame: 0 | 1 | 2, { encoding, type }: StoredAs, damage: Damage): StoredPass {
  const full = rendered.motion[frame];
  const sized = damage === 'halfSize' ? resizeMotionField(full, full.width / 2, full.height / 2) : full;
  // A rate is taken at the frame: a path through three frames says nothing of where things are in a second.
  const rate = encoding.sets[0].covers.unit === 'seconds';
  const field = rate ? { ...sized, toPrevious: sized.toNext.map((v) => -v) } : sized;
  const { width, height } = field;
  const alpha = new Float32Array(rendered.width * rendered.height);
  for (let i = 0; i < alpha.length; i++) alpha[i] = rendered.beauty[frame][i * 4 + 3];
  const written = damage === 'unrendered' ? { ...encoding, noData: 0 } : encoding;
  const { planes } = encodeMotion(field, written, 'float', 24, null);
  const channels = ['R', 'G', 'B', 'A'].map((name) => {
    const data = planes.get(name)?.slice() ?? new Float32Array(width * height);
    if (planes.has(name)) hurt(data, name, width, height, damage, alpha, type);
    store(data, type);
    return { name, type: type as SampleType, data };
  });
  return { width, height, channels };
}

function hurt(
  data: Float32Array,
  name: string,
  width: number,
  height: number,
  damage: Damage,
  alpha: Float32Array,
  type: StoredAs['type'],
): void {
  switch (damage) {
    case 'centreOff':
      for (let i = 0; i < data.length; i++) data[i] += type === 'u16' ? 700 / 65535 : 3 / 255;
      return;
    case 'centresApart':
      if (name === 'G') for (let i = 0; i < data.length; i++) data[i] += type === 'u16' ? 700 / 65535 : 3 / 255;
      return;
    case 'clipped': {
      // A third of the way down from the most that is there.
      const sorted = Float32Array.from(data).sort();
      const low = sorted[0] * 0.75 + sorted[sorted.length >> 1] * 0.25,
        high = sorted[sorted.length - 1] * 0.75 + sorted[sorted.length >> 1] * 0.25;
      for (let i = 0; i < data.length; i++) data[i] = Math.min(high, Math.max(low, data[i]));
      return;
    }
    case 'multiplied':
      for (let i = 0; i < data.length; i++) data[i] *= alpha[i];
      return;
    case 'holes':
      for (let i = 0; i < data.length; i += 97) data[i] = 0;
      return;
    case 'nan':
      for (let i = 0; i < data.length; i += 89) data[i] = i % 2 === 0 ? NaN : Infinity;
      return;
    case 'filtered':
      data.set(resizePlane(resizePlane(data, width, height, width / 2, height / 2), width / 2, height / 2, width, height));
      return;
    case 'none':
    case 'halfSize':
    case 'frameOff':
    case 'unrendered':
    case 'foreign':
      return;
  }
}

function store(data: Float32Array, type: StoredAs['type']): void {
  if (type === 'float') return;
  const steps = type === 'u8' ? 255 : 65535;
  for (let i = 0; i < data.length; i++)
    data[i] = type === 'half' ? roundToHalf(data[i]) : Math.round(Math.min(1, Math.max(0, data[i])) * steps) / steps;
}
