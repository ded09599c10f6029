import {
  apertureTable,
  assembleRows,
  balanceFor,
  blendPixels,
  BLENDS,
  blurRadius,
  curveThrough,
  defocusPicture,
  depthDoubts,
  findHighlight,
  fromGreyAxis,
  gradeColour,
  gradeTables,
  MIXED_DEPTH,
  NEUTRAL_GRADE,
  NO_FINISH,
  streakLight,
  toGreyAxis,
  type Grade,
  type Lens,
} from '../src';
import { referenceBlend, referenceDefocus, referenceGrade } from '../src/reference';
import type { Kernels } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

/** The same numbers every time. */
function* numbers(seed: number): Generator<number> {
  for (let n = seed; ; n = (Math.imul(n, 1664525) + 1013904223) >>> 0) yield n / 2 ** 32;
}
const next = (from: Generator<number>) => from.next().value as number;

function pictureOf(count: number, seed: number): Float32Array {
  const random = numbers(seed),
    out = new Float32Array(count * 4);
  for (let i = 0; i < count; i++) {
    const a = i % 3 === 0 ? 1 : next(random);
    for (let c = 0; c < 3; c++) out[i * 4 + c] = a * 2 ** (6 * next(random) - 4);
    out[i * 4 + 3] = a;
  }
  return out;
}

describe('grade', () => {
  const GRADE: Grade = {
    ...NEUTRAL_GRADE,
    warmth: 0.7,
    tint: -0.4,
    exposure: 1.3,
    offset: -0.02,
    contrast: 1.4,
    gamma: 0.8,
    saturation: 1.25,
  };

  test('acts on straight colour as powers do, to a millionth of the light', () => {
    const rgba = pictureOf(4000, 7),
      before = rgba.slice(),
      ready = gradeTables(GRADE);
    if (ready === null) throw new Error('not neutral');
    kernels.grade(rgba, ready);
    for (let i = 0; i < 4000; i++) {
      const a = before[i * 4 + 3];
      const wanted = referenceGrade([before[i * 4] / a, before[i * 4 + 1] / a, before[i * 4 + 2] / a], GRADE);
      for (let c = 0; c < 3; c++) expect(Math.abs(rgba[i * 4 + c] - wanted[c] * a)).toBeLessThan(3e-6 * (1 + Math.max(...wanted) * a));
      expect(rgba[i * 4 + 3]).toBe(a);
    }
  });

  test('leaves what is empty empty, and gives a glow no offset', () => {
    const rgba = Float32Array.of(0, 0, 0, 0, 0.5, 0.25, 0.125, 0);
    const ready = gradeTables({ ...NEUTRAL_GRADE, offset: 0.2, exposure: 1 });
    if (ready !== null) kernels.grade(rgba, ready);
    expect([...rgba]).toEqual([0, 0, 0, 0, 1, 0.5, 0.25, 0].map((v) => expect.closeTo(v, 5) as number));
  });

  test('neutral is nothing to do; darkness below zero stays, and light beyond any table is right', () => {
    expect(gradeTables(NEUTRAL_GRADE)).toBeNull();
    expect(gradeTables(null)).toBeNull();
    const rgba = Float32Array.of(-0.25, 200000, 1e-6, 1);
    const ready = gradeTables({ ...NEUTRAL_GRADE, gamma: 2 });
    if (ready !== null) kernels.grade(rgba, ready);
    expect(rgba[0]).toBe(-0.25);
    // Beyond the table it goes on as steeply as it ends.
    expect(rgba[1]).toBeGreaterThan(Math.sqrt(200000));
    expect(rgba[2]).toBeCloseTo(0.001, 6);
  });

  test('a picked colour comes out grey', () => {
    const colour = [0.4, 0.3, 0.15] as const,
      balance = balanceFor(colour);
    const ready = gradeTables({ ...NEUTRAL_GRADE, ...balance });
    const rgba = Float32Array.of(...colour, 1);
    if (ready !== null) kernels.grade(rgba, ready);
    expect(rgba[1]).toBeCloseTo(rgba[0], 5);
    expect(rgba[2]).toBeCloseTo(rgba[0], 5);
    expect(balanceFor([0, 1, 1])).toBeNull();
  });

  test('curves: the grey axis turns back, points are met, and between rising points it rises', () => {
    for (const v of [0, 0.001, 0.18, 1, 40]) expect(fromGreyAxis(toGreyAxis(v))).toBeCloseTo(v, 6);
    expect(toGreyAxis(0.18)).toBeCloseTo(0.5, 12);
    const curve = curveThrough([
      [0, 0],
      [0.3, 0.1],
      [0.35, 0.6],
      [1, 0.9],
    ]);
    expect([curve(0), curve(0.3), curve(0.35), curve(1), curve(2)]).toEqual(
      [0, 0.1, 0.6, 0.9, 0.9].map((v) => expect.closeTo(v, 12) as number),
    );
    for (let p = 0; p < 0.999; p += 0.001) expect(curve(p + 0.001)).toBeGreaterThanOrEqual(curve(p));
  });

  test('one colour alone is graded as many are', () => {
    const colour = [0.3, 0.9, 0.05] as const,
      rgba = Float32Array.of(...colour, 1);
    const grade = {
      ...GRADE,
      curves: {
        ...GRADE.curves,
        luma: [
          [0, 0.1],
          [0.6, 0.4],
          [1, 0.95],
        ] as const,
      },
    };
    const ready = gradeTables(grade);
    if (ready !== null) kernels.grade(rgba, ready);
    gradeColour(grade, colour).forEach((v, c) => expect(rgba[c]).toBeCloseTo(v, 5));
  });

  test('a luma curve keeps hue and saturation', () => {
    const rgba = Float32Array.of(0.6, 0.3, 0.15, 1);
    const ready = gradeTables({
      ...NEUTRAL_GRADE,
      curves: {
        ...NEUTRAL_GRADE.curves,
        luma: [
          [0, 0],
          [0.5, 0.7],
          [1, 1],
        ],
      },
    });
    if (ready !== null) kernels.grade(rgba, ready);
    expect(rgba[0]).toBeGreaterThan(0.8);
    expect(rgba[1] / rgba[0]).toBeCloseTo(0.5, 5);
    expect(rgba[2] / rgba[0]).toBeCloseTo(0.25, 5);
  });
});

describe('laying pictures on each other', () => {
  test.each(BLENDS)('%s is what the slow version says, at any opacity', (blend) => {
    const below = pictureOf(600, 11),
      above = pictureOf(600, 12);
    for (const opacity of [0, 0.35, 1]) {
      const out = below.slice();
      blendPixels(out, above, blend, opacity, 100, 600);
      expect(out.subarray(0, 400)).toEqual(below.subarray(0, 400));
      for (let i = 100; i < 600; i++) {
        const wanted = referenceBlend([...below.subarray(i * 4, i * 4 + 4)], [...above.subarray(i * 4, i * 4 + 4)], blend, opacity);
        wanted.forEach((v, c) => expect(Math.abs(out[i * 4 + c] - v)).toBeLessThan(1e-5 * (1 + Math.abs(v))));
      }
    }
  });

  test('the assembled picture does not depend on how it is shared out', () => {
    const size = { width: 24, height: 30 };
    const elements = [
      { rgba: pictureOf(720, 3), blend: 'over' as const, opacity: 0.8, grade: { ...NEUTRAL_GRADE, exposure: 0.5 }, wantsGrain: true },
      { rgba: pictureOf(720, 4), blend: 'screen' as const, opacity: 1, grade: null, wantsGrain: false },
    ];
    const finish = {
      grade: { ...NEUTRAL_GRADE, saturation: 0.5 },
      vignette: { amount: 0.5, radius: 0.2, softness: 0.7 },
      grain: { floor: [0.001, 0.001, 0.001], slope: [0.01, 0.01, 0.01], sizePx: 0.6 } as const,
    };
    const whole = new Float32Array(2880).fill(NaN),
      shared = new Float32Array(2880).fill(NaN);
    assembleRows(size, pictureOf(720, 5), elements, finish, 1001, 0, 30, whole, kernels);
    for (const [a, b] of [
      [17, 30],
      [0, 5],
      [5, 17],
    ])
      assembleRows(size, pictureOf(720, 5), elements, finish, 1001, a, b, shared, kernels);
    expect(shared).toEqual(whole);
    expect(whole.every(Number.isFinite)).toBe(true);
  });

  test('without elements and finish it is the plate, without a plate it is empty', () => {
    const plate = pictureOf(100, 9),
      out = new Float32Array(400).fill(NaN);
    assembleRows({ width: 10, height: 10 }, plate, [], NO_FINISH, 1, 0, 10, out, kernels);
    expect(out).toEqual(plate);
    assembleRows({ width: 10, height: 10 }, null, [], NO_FINISH, 1, 0, 10, out, kernels);
    expect(out.every((v) => v === 0)).toBe(true);
  });
});

describe('lens', () => {
  const LENS: Lens = { focus: 10, farPx: 6, nearPx: 4, mostPx: 5, aperture: { blades: 0, turnDeg: 0 } };

  test('radius grows away from the focus and is held', () => {
    expect(blurRadius(LENS, 10)).toBe(0);
    expect(blurRadius(LENS, 20)).toBeCloseTo(3, 9);
    expect(blurRadius(LENS, 5)).toBeCloseTo(4, 9);
    expect(blurRadius(LENS, 1)).toBe(5);
    expect(blurRadius(LENS, Infinity)).toBe(5);
    expect(blurRadius(LENS, 0)).toBe(5);
  });

  test('gathering is the same as giving out, with radii that change', () => {
    const W = 40,
      H = 30,
      rgba = pictureOf(W * H, 21),
      radii = Float32Array.from({ length: W * H }, (_, i) => Math.round(((i % W) / W) * 4 * 8) / 8);
    const fast = defocusPicture(rgba, W, H, radii, apertureTable(LENS.aperture, 4, 'final'), kernels),
      slow = referenceDefocus(rgba, W, H, radii);
    fast.forEach((v, k) => expect(Math.abs(v - slow[k])).toBeLessThan(1e-4 * (1 + slow[k])));
  });

  test.each([0, 5, 6, 8])('a point becomes an aperture of %s corners with all of its light, the draft too', (blades) => {
    const W = 41,
      point = new Float32Array(W * W * 4),
      radii = new Float32Array(W * W).fill(8);
    point.set([10, 10, 10, 1], (20 * W + 20) * 4);
    for (const quality of ['final', 'draft'] as const) {
      const out = defocusPicture(point, W, W, radii, apertureTable({ blades, turnDeg: 10 }, 8, quality), kernels);
      let sum = 0,
        far = 0;
      for (let i = 0; i < W * W; i++) {
        sum += out[i * 4];
        far += out[i * 4] * Math.hypot((i % W) - 20, Math.floor(i / W) - 20) ** 2;
      }
      expect(sum).toBeCloseTo(10, 3);
      // An even disc of radius R has a mean square distance of R squared over 2; polygons of the same area a little more.
      expect(far / 10 / 64).toBeGreaterThan(0.42);
      expect(far / 10 / 64).toBeLessThan(0.58);
    }
  });

  test('depth that is filtered or stands for veils is doubted, clean depth is not', () => {
    const W = 60,
      count = W * 40,
      opaque = new Float32Array(count).fill(1);
    const clean = Float32Array.from({ length: count }, (_, i) => (i % W < 30 ? 4 : 9));
    const filtered = clean.map((d, i) => (i % W === 29 ? 5.5 : i % W === 30 ? 7.5 : d));
    expect(depthDoubts(clean, opaque, W)).toEqual({ mixedShare: 0, softShare: 0, missingShare: 0 });
    expect(depthDoubts(filtered, opaque, W).mixedShare).toBeGreaterThan(MIXED_DEPTH);
    expect(depthDoubts(clean, new Float32Array(count).fill(0.4), W).softShare).toBe(1);
    expect(depthDoubts(new Float32Array(count), opaque, W).missingShare).toBe(1);
  });
});

describe('what a grade does to a streak', () => {
  const W = 80,
    rgba = new Float32Array(W * 20 * 4).map((_, k) => (k % 4 === 3 ? 1 : 0.1)),
    vectors = new Float32Array(W * 20 * 2),
    valid = new Uint8Array(W * 20).fill(1);
  rgba.set([4, 4, 4, 1], (10 * W + 40) * 4);
  for (let i = 0; i < valid.length; i++) vectors.set([24, 0], i * 2);
  const highlight = findHighlight(rgba, vectors, valid, W, 0.5);

  test('the brightest thing that moves is found', () => {
    expect(highlight).toEqual({ x: 40.5, y: 10.5, wayX: 12, wayY: 0 });
    expect(findHighlight(rgba, vectors, valid, W, 0.1)).toBeNull();
  });

  test('its light is spread over its way; without a grade both ways are the same', () => {
    if (highlight === null) throw new Error('no highlight');
    const light = streakLight(rgba, W, highlight, null);
    const middle = light.find((l) => l.along === 0);
    expect(middle?.before).toBeCloseTo(0.1 + 3.9 / 12, 1);
    for (const { before, after } of light) expect(before).toBeCloseTo(after, 6);
  });

  test('darkened by a power after the blur a streak loses the light that it keeps when graded before', () => {
    if (highlight === null) throw new Error('no highlight');
    const light = streakLight(rgba, W, highlight, { ...NEUTRAL_GRADE, contrast: 2 });
    const middle = light.find((l) => l.along === 0);
    expect(middle?.before ?? 0).toBeGreaterThan(5 * (middle?.after ?? 0));
  });
});
