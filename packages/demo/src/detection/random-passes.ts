import { encodeMotion, rawPixels, roundToHalf, type Encoding, type MotionField, type SampleType, type StoredPass } from '@ivrex/core';
import type { Draw } from './seeded-choice';

/** How a made-up renderer stores its motion. */
export interface RandomEncoding {
  readonly encoding: Encoding;
  readonly type: 'u8' | 'u16' | 'half' | 'float';
  readonly fps: number | null;
  readonly pixelAspect: number;
}

export const DAMAGES = [
  'none',
  'curve',
  'zero',
  'clipped',
  'multiplied',
  'multiplied, no alpha',
  'nan',
  'filtered',
  'noise',
  'other size',
  'file number',
  'static',
  'foreign',
  'random',
] as const;
export type PassDamage = (typeof DAMAGES)[number];

/** Nothing can be known of these: the answer is right when it says so. */
export const UNKNOWABLE: readonly PassDamage[] = ['static', 'foreign', 'random'];

type Covers = readonly [number, number];
const NEXT: Covers = [0, 1],
  PREVIOUS: Covers = [0, -1],
  FROM_PREVIOUS: Covers = [-1, 0];

/** From the whole grammar, usual ways more often. */
export function randomEncoding(draw: Draw, damage: PassDamage): RandomEncoding {
  const kind = draw.of([
    'raw',
    'raw',
    'raw',
    'centred',
    'centred',
    'centred',
    'both',
    'length',
    'second',
    'share',
    'share',
    'aspect',
  ] as const);
  const covers = draw.of<Covers>([NEXT, NEXT, NEXT, NEXT, PREVIOUS, PREVIOUS, FROM_PREVIOUS, [0, 0.5], [-0.25, 0.25], [-0.5, 0.5]]);
  const axes = draw.of<Encoding['axes']>([
    { x: 'right', y: 'down' },
    { x: 'right', y: 'down' },
    { x: 'right', y: 'down' },
    { x: 'right', y: 'up' },
    { x: 'right', y: 'up' },
    { x: 'left', y: 'down' },
  ]);
  const floats = draw.of(['half', 'float'] as const);
  const [x, y] = draw.of<readonly [string, string]>([
    ['R', 'G'],
    ['R', 'G'],
    ['R', 'G'],
    ['R', 'G'],
    ['x', 'y'],
    ['u', 'v'],
    ['G', 'B'],
    ['G', 'R'],
  ]);
  const base = { ...rawPixels(x, y), axes };
  const covering = ([from, to]: Covers) => ({ x, y, length: null, covers: { from, to, unit: 'frames' as const } });
  const set = covering(covers);
  const full = (equals: number, unit: Encoding['fullScale']['unit'] = 'px') => ({ stored: 1, equals, unit });
  const whole = draw.of(['u8', 'u16', 'u16', 'half', 'float'] as const);
  const plain = { type: floats, fps: null, pixelAspect: 1 };
  const curve = damage === 'curve' ? draw.of([{ kind: 'power', exponent: 2.2 } as const, { kind: 'srgb' } as const]) : base.transfer;
  const centred = (): RandomEncoding => ({
    ...plain,
    type: whole,
    encoding: {
      ...base,
      sets: [set],
      transfer: curve,
      zero: damage === 'zero' ? draw.of([124, 126, 129, 131]) / 255 : 0.5,
      fullScale: full(draw.of(whole === 'u8' ? [32, 50, 64, 100, 128] : [50, 64, 100, 128, 200, 256, 500, 1000])),
    },
  });
  if (damage === 'curve' || damage === 'zero') return centred();
  switch (kind) {
    case 'raw':
      return { ...plain, encoding: { ...base, sets: [set] } };
    case 'centred':
      return centred();
    case 'both': {
      const [first, second] = draw.of<readonly [Covers, Covers]>([
        [PREVIOUS, NEXT],
        [NEXT, PREVIOUS],
        [NEXT, FROM_PREVIOUS],
      ]);
      const of = (a: string, b: string, [from, to]: Covers) => ({
        x: a,
        y: b,
        length: null,
        covers: { from, to, unit: 'frames' as const },
      });
      return { ...plain, encoding: { ...base, sets: [of('R', 'G', first), of('B', 'A', second)] } };
    }
    case 'length': {
      const isCentred = draw.chance(0.6);
      return {
        ...plain,
        type: isCentred ? draw.of(['u16', 'half', 'float'] as const) : floats,
        encoding: {
          ...base,
          sets: [{ ...covering(covers), x: 'R', y: 'G', length: 'B' }],
          zero: isCentred ? 0.5 : 0,
          fullScale: full(isCentred ? draw.of([64, 100, 200]) : 1),
        },
      };
    }
    case 'second':
      return {
        ...plain,
        type: 'float',
        fps: draw.of([24, 25, 30]),
        encoding: { ...base, sets: [{ x, y, length: null, covers: { from: 0, to: 1, unit: 'seconds' } }] },
      };
    case 'share': {
      const unit = draw.of(['frameWidth', 'frameSize', 'halfFrame'] as const),
        isCentred = draw.chance(0.3);
      return {
        ...plain,
        type: isCentred ? draw.of(['u16', 'half'] as const) : floats,
        encoding: { ...base, sets: [set], zero: isCentred ? 0.5 : 0, fullScale: full(isCentred ? draw.of([0.25, 0.5, 1]) : 1, unit) },
      };
    }
    case 'aspect': {
      const pixelAspect = draw.of([2, 0.5, 4 / 3]);
      return { ...plain, pixelAspect, encoding: { ...base, sets: [set], pixelAspect } };
    }
  }
}

/** What happens to a pass that suits how it is stored: a clipped one needs a range, a zero that is off a centre. */
export function randomDamage(draw: Draw): PassDamage {
  return draw.chance(0.7) ? 'none' : draw.of(DAMAGES);
}

/** The pass as a file of this encoding would hold it; channels that it does not name hold zero. */
export function storeRandom(
  field: MotionField,
  { encoding, type, fps }: RandomEncoding,
  damage: PassDamage,
  alpha: Float32Array,
  draw: Draw,
): StoredPass {
  const { width, height } = field,
    count = width * height;
  // A rate is taken at the frame.
  const mean = (i: number) => (field.toNext[i] - field.toPrevious[i]) / 2;
  const isRate = encoding.sets[0].covers.unit === 'seconds';
  let written: MotionField = isRate
    ? { ...field, toNext: field.toNext.map((_, i) => mean(i)), toPrevious: field.toNext.map((_, i) => -mean(i)) }
    : field;
  const multiplied = damage === 'multiplied' || damage === 'multiplied, no alpha';
  if (damage === 'noise') {
    const sigma = draw.between(0.5, 1.5);
    const noisy = written.toNext.map((v) => v + sigma * draw.normal());
    written = { ...written, toNext: noisy, toPrevious: noisy.map((v) => -v) };
  }
  if (damage === 'static') written = { ...written, toNext: new Float32Array(count * 2), toPrevious: new Float32Array(count * 2) };
  const { planes } = encodeMotion(written, encoding, 'float', fps, null);
  const names = [...new Set([...planes.keys(), ...(type === 'u8' || type === 'u16' ? ['R', 'G', 'B'] : [])])].sort();
  const clipAt = damage === 'clipped' ? 0.5 * extremeOf(planes) : Infinity;
  const channels = names.map((name) => {
    const data = planes.get(name)?.slice() ?? new Float32Array(count);
    if (planes.has(name)) {
      if (damage === 'clipped') for (let i = 0; i < count; i++) data[i] = Math.max(-clipAt, Math.min(clipAt, data[i]));
      if (damage === 'filtered') for (let n = 0; n < 3; n++) soften(data, width, height);
      if (multiplied) for (let i = 0; i < count; i++) data[i] *= alpha[i];
      if (damage === 'nan') for (let i = 0; i < count; i += 61) data[i] = i % 2 === 0 ? NaN : Infinity;
      if (damage === 'random')
        for (let i = 0; i < count; i++) data[i] = type === 'u8' || type === 'u16' ? draw.number() : 12 * draw.normal();
    }
    for (let i = 0; i < count; i++) data[i] = quantised(data[i], type);
    return { name, type: type as SampleType, data };
  });
  if (damage === 'multiplied') channels.push({ name: 'A', type, data: Float32Array.from(alpha, (v) => quantised(v, type)) });
  const pass = { width, height, channels };
  return damage === 'other size' ? halved(pass) : pass;
}

function extremeOf(planes: ReadonlyMap<string, Float32Array>): number {
  let most = 0;
  for (const data of planes.values()) for (const v of data) if (Math.abs(v) > most) most = Math.abs(v);
  return most;
}

/** 1-2-1 both ways. */
function soften(data: Float32Array, width: number, height: number): void {
  for (const [step, line] of [
    [1, width],
    [width, height],
  ] as const) {
    const from = data.slice();
    for (let i = 0; i < data.length; i++) {
      const k = step === 1 ? i % width : Math.floor(i / width);
      data[i] = (from[k === 0 ? i : i - step] + 2 * from[i] + from[k === line - 1 ? i : i + step]) / 4;
    }
  }
}

/** Every second pixel of every second row; values stay what they are. */
function halved({ width, height, channels }: StoredPass): StoredPass {
  const w = width >> 1,
    h = height >> 1;
  return {
    width: w,
    height: h,
    channels: channels.map((c) => ({
      ...c,
      data: Float32Array.from({ length: w * h }, (_, i) => c.data[(2 * Math.floor(i / w) + 1) * width + 2 * (i % w) + 1]),
    })),
  };
}

function quantised(value: number, type: RandomEncoding['type']): number {
  if (type === 'float') return value;
  if (type === 'half') return roundToHalf(value);
  const steps = type === 'u8' ? 255 : 65535;
  const held = value - value === 0 ? Math.min(1, Math.max(0, value)) : 0;
  return Math.floor(held * steps + 0.5) / steps;
}
