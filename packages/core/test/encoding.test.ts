import fc from 'fast-check';
import type { IvrexError } from '../src';
import {
  decodeMotion,
  emptyMotionField,
  encodeMotion,
  INTEGER_STEPS,
  rawPixels,
  type Encoding,
  type MotionField,
  type StoredType,
} from '../src';

const W = 12,
  H = 7;

function plain(
  values: Record<string, number[]>,
  encoding: Encoding,
  fps: number | null = null,
  beautyAlpha: number[] | null = null,
): MotionField {
  const planes = new Map(Object.entries(values).map(([name, list]) => [name, Float32Array.from(list)]));
  const width = Object.values(values)[0].length;
  return decodeMotion({ planes, width, height: 1, fps, beautyAlpha: beautyAlpha && Float32Array.from(beautyAlpha) }, encoding);
}
const near = (actual: Float32Array, expected: number[]) => expected.forEach((v, i) => expect(actual[i]).toBeCloseTo(v, 4));
const base = rawPixels('x', 'y');

describe('decoding, worked out by hand', () => {
  test('raw pixels to the next frame: the previous side is mirrored', () => {
    const field = plain({ x: [3], y: [-2] }, base);
    near(field.toNext, [3, -2]);
    near(field.toPrevious, [-3, 2]);
    expect(field.twoSided).toBe(false);
  });
  test('position(previous) - position(now) covers 0 to -1', () => {
    near(plain({ x: [-3], y: [2] }, { ...base, sets: [{ ...base.sets[0], covers: { from: 0, to: -1, unit: 'frames' } }] }).toNext, [3, -2]);
  });
  test('half a frame from the frame on is doubled', () => {
    near(plain({ x: [3], y: [1] }, { ...base, sets: [{ ...base.sets[0], covers: { from: 0, to: 0.5, unit: 'frames' } }] }).toNext, [6, 2]);
  });
  test('centred, full scale 64 px, y up, stored x times pixel aspect 2', () => {
    near(
      plain(
        { x: [0.75], y: [0.75] },
        { ...base, zero: 0.5, fullScale: { stored: 1, equals: 64, unit: 'px' }, axes: { x: 'right', y: 'up' }, pixelAspect: 2 },
      ).toNext,
      [16, -32],
    );
  });
  test('units: frame widths, frame sizes, half frames', () => {
    const of = (unit: 'frameWidth' | 'frameSize' | 'halfFrame') =>
      decodeMotion(
        {
          planes: new Map([
            ['x', new Float32Array(80).fill(0.5)],
            ['y', new Float32Array(80).fill(0.5)],
          ]),
          width: 10,
          height: 8,
          fps: null,
          beautyAlpha: null,
        },
        { ...base, fullScale: { stored: 1, equals: 1, unit } },
      );
    near(of('frameWidth').toNext, [5, 5]);
    near(of('frameSize').toNext, [5, 4]);
    near(of('halfFrame').toNext, [2.5, 2]);
  });
  test('seconds need a rate', () => {
    const perSecond: Encoding = { ...base, sets: [{ ...base.sets[0], covers: { from: 0, to: 1, unit: 'seconds' } }] };
    near(plain({ x: [48], y: [24] }, perSecond, 24).toNext, [2, 1]);
    expect(() => plain({ x: [48], y: [24] }, perSecond)).toThrow(expect.objectContaining({ code: 'needsFrameRate' }) as IvrexError);
  });
  test('a power curve is undone on both sides of zero', () => {
    near(
      plain({ x: [-(0.25 ** (1 / 2.2))], y: [0.25 ** (1 / 2.2)] }, { ...base, transfer: { kind: 'power', exponent: 2.2 } }).toNext,
      [-0.25, 0.25],
    );
  });
  test('sRGB: half light is stored as 0.7354', () => {
    near(
      plain(
        { x: [0.7353569], y: [0.7353569] },
        { ...base, transfer: { kind: 'srgb' }, zero: 0.5, fullScale: { stored: 1, equals: 10, unit: 'px' } },
      ).toNext,
      [0, 0],
    );
  });
  test('direction and length: the direction counts whatever its stored length', () => {
    const encoding: Encoding = {
      ...base,
      zero: 0.5,
      fullScale: { stored: 1, equals: 20, unit: 'px' },
      sets: [{ ...base.sets[0], length: 'l' }],
    };
    near(plain({ x: [0.5 + 0.06, 0.5], y: [0.5 + 0.08, 0.5], l: [0.5, 0.5] }, encoding).toNext, [6, 8, 0, 0]);
  });
  test("premultiplied: divided by its own alpha or the beauty's; nothing where alpha is 0", () => {
    const own = plain({ x: [2, 0], y: [1, 0], a: [0.5, 0] }, { ...base, premultiplied: true, alpha: 'a' });
    near(own.toNext, [4, 2, 0, 0]);
    expect([...own.valid]).toEqual([1, 0]);
    near(plain({ x: [2], y: [1] }, { ...base, premultiplied: true }, null, [0.25]).toNext, [8, 4]);
  });
  test('noData is known after its file has rounded it', () => {
    // -9999 is no half: the nearest is -10000.
    expect([...plain({ x: [-9999, -10000, -9998, 5], y: [-9999, -10000, -9998, -10000] }, { ...base, noData: -9999 }).valid]).toEqual([
      0, 0, 1, 1,
    ]);
    expect([...plain({ x: [128 / 255, 0.5, 0.51], y: [128 / 255, 0.5, 0.51] }, { ...base, noData: 0.5 }).valid]).toEqual([0, 0, 1]);
  });
  test('noData, NaN and infinity are no vectors', () => {
    expect([...plain({ x: [-1, NaN, Infinity, -1], y: [-1, 0, 0, 0] }, { ...base, noData: -1 }).valid]).toEqual([0, 0, 0, 1]);
  });
  test('two sets in either order: the later interval is next', () => {
    const next = { x: 'x', y: 'y', length: null, covers: { from: 0, to: 1, unit: 'frames' as const } },
      previous = { x: 'u', y: 'v', length: null, covers: { from: 0, to: -1, unit: 'frames' as const } };
    for (const sets of [
      [next, previous],
      [previous, next],
    ]) {
      const field = plain({ x: [5], y: [1], u: [-3], v: [0] }, { ...base, sets });
      near(field.toNext, [5, 1]);
      near(field.toPrevious, [-3, 0]);
    }
  });
});

test.each([
  ['an unknown channel', { ...base, sets: [{ ...base.sets[0], x: 'q' }] }, 'missingChannel'],
  ['world space', { ...base, space: 'world' as const }, 'unsupported'],
  ['zero as full scale', { ...base, zero: 1 }, 'badEncoding'],
  ['no time', { ...base, sets: [{ ...base.sets[0], covers: { from: 1, to: 1, unit: 'frames' as const } }] }, 'badEncoding'],
  [
    'two sets around one moment',
    { ...base, sets: [base.sets[0], { ...base.sets[0], covers: { from: 1, to: 0, unit: 'frames' as const } }] },
    'badEncoding',
  ],
])('%s is refused by name', (_, encoding, code) => {
  expect(() => plain({ x: [1], y: [1] }, encoding)).toThrow(expect.objectContaining({ code }) as IvrexError);
});

/** Any encoding of screen space, with full scales that hold the test's vectors. */
const anyEncoding = fc
  .record({
    centred: fc.boolean(),
    unit: fc.constantFrom('px' as const, 'frameWidth' as const, 'frameSize' as const, 'halfFrame' as const),
    withLength: fc.boolean(),
    twoSets: fc.boolean(),
    transfer: fc.constantFrom({ kind: 'none' as const }, { kind: 'power' as const, exponent: 2.2 }, { kind: 'srgb' as const }),
    x: fc.constantFrom('right' as const, 'left' as const),
    y: fc.constantFrom('down' as const, 'up' as const),
    pixelAspect: fc.constantFrom(1, 2),
    premultiplied: fc.boolean(),
    cover: fc.constantFrom([0, 1], [0, -1], [-0.25, 0.25], [0, 0.5]),
  })
  .map((c): Encoding => {
    const set = (name: string, [from, to]: readonly number[]) => ({
      x: `${name}x`,
      y: `${name}y`,
      length: c.withLength ? `${name}l` : null,
      covers: { from, to, unit: 'frames' as const },
    });
    return {
      ...base,
      transfer: c.transfer,
      premultiplied: c.premultiplied,
      alpha: c.premultiplied ? 'a' : null,
      zero: c.centred ? 0.5 : 0,
      axes: { x: c.x, y: c.y },
      pixelAspect: c.pixelAspect,
      fullScale: { stored: 1, equals: c.unit === 'px' ? 120 : 20, unit: c.unit },
      sets: c.twoSets ? [set('n', [0, 1]), set('p', [0, -1])] : [set('n', c.cover)],
    };
  });

function randomField(twoSided: boolean, seed: number): { field: MotionField; alpha: Float32Array } {
  const field = emptyMotionField(W, H, twoSided),
    alpha = new Float32Array(W * H);
  let state = seed;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  for (let i = 0; i < W * H; i++) {
    field.valid[i] = 1;
    alpha[i] = 0.25 + 0.75 * random();
    for (let k = 0; k < 2; k++) {
      field.toNext[i * 2 + k] = (random() - 0.5) * 40;
      field.toPrevious[i * 2 + k] = twoSided ? (random() - 0.5) * 40 : -field.toNext[i * 2 + k];
    }
  }
  return { field, alpha };
}

test('decode(encode(m)) is m for every encoding in float', () => {
  fc.assert(
    fc.property(anyEncoding, fc.integer({ min: 1, max: 1e6 }), (encoding, seed) => {
      const { field, alpha } = randomField(encoding.sets.length === 2, seed);
      const encoded = encodeMotion(field, encoding, 'float', null, alpha);
      const back = decodeMotion({ planes: encoded.planes, width: W, height: H, fps: null, beautyAlpha: null }, encoding);
      field.toNext.forEach((v, i) => expect(Math.abs(back.toNext[i] - v)).toBeLessThan(0.003));
      field.toPrevious.forEach((v, i) => expect(Math.abs(back.toPrevious[i] - v)).toBeLessThan(0.003));
    }),
    { seed: 7, numRuns: 150 },
  );
});

test.each(['u8', 'u16'] as const)(
  'a centred %s pass comes back within half a step, and what is out of range is counted',
  (type: StoredType) => {
    const encoding: Encoding = { ...base, zero: 0.5, fullScale: { stored: 1, equals: 24, unit: 'px' } };
    const { field } = randomField(false, 99);
    const step = (2 * 24) / (INTEGER_STEPS[type] ?? 1);
    const back = decodeMotion(
      { planes: encodeMotion(field, encoding, type, null, null).planes, width: W, height: H, fps: null, beautyAlpha: null },
      encoding,
    );
    field.toNext.forEach((v, i) => expect(Math.abs(back.toNext[i] - v)).toBeLessThanOrEqual(step / 2 + 1e-4));
    field.toNext[0] = 30;
    field.toNext[9] = -40;
    field.toPrevious[0] = -30;
    field.toPrevious[9] = 40;
    field.valid[2] = 0;
    const encoded = encodeMotion(field, encoding, type, null, null);
    expect(encoded.clippedPixels).toBe(2);
    expect(encoded.invalidPixels).toBe(1);
    expect(encoded.planes.get('x')?.[2]).toBeCloseTo(0.5, 2);
  },
);

test.each(['u8', 'u16'] as const)('a vector of just the full scale of a %s pass is not clipped; one a code beyond is', (type) => {
  const encoding: Encoding = { ...base, fullScale: { stored: 1, equals: 24, unit: 'px' } };
  const step = 24 / (INTEGER_STEPS[type] ?? 1);
  const clippedAt = (x: number) => {
    const field = emptyMotionField(1, 1, false);
    field.valid[0] = 1;
    field.toNext.set([x, 0]);
    return encodeMotion(field, encoding, type, null, null).clippedPixels;
  };
  expect([0, 24 - step / 4, 24, 24 + step / 4, 24 + step, -step].map(clippedAt)).toEqual([0, 0, 0, 0, 1, 1]);
});

test('an interval around the frame follows the parabola through previous, now and next', () => {
  const field = emptyMotionField(1, 1, true);
  field.valid[0] = 1;
  field.toNext.set([10, 0]);
  field.toPrevious.set([-6, 4]);
  const covers = (from: number, to: number) =>
    encodeMotion(field, { ...base, sets: [{ ...base.sets[0], covers: { from, to, unit: 'frames' } }] }, 'float', null, null).planes;
  // P(t) = t (8, -2) + t^2 (2, 2).
  expect(covers(-0.25, 0.25).get('x')?.[0]).toBeCloseTo(4, 5);
  expect(covers(0, 0.5).get('x')?.[0]).toBeCloseTo(4.5, 5);
  expect(covers(0, 0.5).get('y')?.[0]).toBeCloseTo(-0.5, 5);
});
