import { exposedPoints } from '../src/match/exposed';
import { freedomOf, isInside, placeOf } from '../src/match/fit-freedom';
import { jackknife, normalEquations, refine, type Equations } from '../src/match/fit-refine';
import { differenceAt, evenWeights, robustWeights } from '../src/match/match-cost';
import type { Moments } from '../src/match/moments';
import { exposureAt, type ExposureShape } from '../src';

const REACH = 1,
  STEPS = 400,
  EVEN: ExposureShape = { kind: 'even' };

/** An edge passes each point at a time of its own, from dark to light: what it shows under any exposure can be worked out by hand. */
const PASSES = Array.from({ length: 160 }, (_, p) => -0.9 + (1.8 * ((p * 61) % 160)) / 160);
const lightOf = (p: number, c: number) => 0.3 + 0.5 * Math.abs(Math.sin(p + 2 * c));

/** The share of an even exposure that comes after the edge. */
function after(passes: number, a: number, b: number): number {
  return (b - Math.min(b, Math.max(a, passes))) / (b - a);
}

function momentsOf(reference: (p: number, c: number) => number, channels: 3 | 4 = 4): Moments {
  const points = PASSES.length,
    row = points * 4,
    sums = new Float32Array(row * (STEPS + 1)),
    held = new Float32Array(row);
  for (let j = 0; j <= STEPS; j++) {
    const t = -REACH + (2 * REACH * j) / STEPS;
    for (let i = 0; i < row; i++) sums[j * row + i] = Math.max(0, t - PASSES[i >> 2]) * (i % 4 === 3 ? 1 : lightOf(i >> 2, i % 4));
  }
  for (let i = 0; i < row; i++) held[i] = reference(i >> 2, i % 4);
  return {
    frame: 1,
    points,
    channels,
    sums,
    steps: STEPS,
    reach: REACH,
    reference: held,
    sharp: new Float32Array(row),
    partOf: Int32Array.from(PASSES, (_, p) => p >> 3),
    travelPx: 20,
  };
}
/** The reference of an exposure; alpha counts as 1 behind the edge. */
const exposed = (a: number, b: number) => (p: number, c: number) => after(PASSES[p], a, b) * (c === 3 ? 1 : lightOf(p, c));
const free = freedomOf({ opens: null, closes: null, strength: null });

describe('a picture under an exposure', () => {
  const out = new Float32Array(PASSES.length * 4),
    m = momentsOf(() => 0);
  test.each([
    [-0.25, 0.25],
    [0, 0.5],
    [-0.613, 0.171],
    [-1, 1],
  ])('from %p to %p is what can be worked out by hand', (a, b) => {
    exposedPoints(m, a, b, EVEN, out);
    PASSES.forEach((passes, p) => expect(out[p * 4 + 1]).toBeCloseTo(after(passes, a, b) * lightOf(p, 1), 2));
  });
  test('a shape weighs its moments: the light after the edge, by adding up the shape', () => {
    const shape: ExposureShape = { kind: 'bell' },
      [a, b] = [-0.4, 0.4];
    exposedPoints(m, a, b, shape, out);
    const times = Array.from({ length: 4000 }, (_, k) => (k + 0.5) / 4000),
      total = times.reduce((sum, u) => sum + exposureAt(shape, u), 0);
    PASSES.forEach((passes, p) => {
      const share = times.reduce((sum, u) => sum + (a + u * (b - a) > passes ? exposureAt(shape, u) : 0), 0) / total;
      expect(out[p * 4]).toBeCloseTo(share * lightOf(p, 0), 1);
    });
  });
  test('one shorter than a step is a moment', () => {
    exposedPoints(m, 0.1, 0.1, EVEN, out);
    PASSES.forEach((passes, p) => {
      if (Math.abs(passes - 0.1) > 0.01) expect(out[p * 4 + 3]).toBeCloseTo(passes < 0.1 ? 1 : 0, 3);
    });
  });
});

describe('what is free of an exposure', () => {
  test.each<[string, Parameters<typeof freedomOf>[0], readonly number[], { a: number; b: number }]>([
    ['all of it', { opens: null, closes: null, strength: null }, [-0.2, 0.3], { a: -0.2, b: 0.3 }],
    ['its strength alone', { opens: -0.25, closes: 0.25, strength: null }, [0.8], { a: -0.2, b: 0.2 }],
    ['where it closes', { opens: -0.25, closes: null, strength: 2 }, [0.3], { a: -0.5, b: 0.3 }],
    ['where it closes, from the frame on', { opens: 0, closes: null, strength: null }, [0.5], { a: 0, b: 0.5 }],
    ['nothing', { opens: -0.25, closes: 0.25, strength: 1 }, [], { a: -0.25, b: 0.25 }],
  ])('%s', (_, locks, p, place) => {
    const freedom = freedomOf(locks);
    expect(freedom.along).toHaveLength(p.length);
    const found = placeOf(freedom, p);
    expect([found.a, found.b]).toEqual([expect.closeTo(place.a, 9), expect.closeTo(place.b, 9)]);
  });
  test('an exposure is one while it lies within reach and takes some time', () => {
    expect(
      [
        [-1, 1],
        [-1.01, 0],
        [0.2, 0.2],
        [0.3, 0.2],
        [0, 1.2],
      ].map(([a, b]) => isInside({ a, b }, 1)),
    ).toEqual([true, false, false, false, false]);
  });
});

describe('the shutter is found', () => {
  test.each([
    [-0.25, 0.25],
    [0, 0.5],
    [-0.37, 0.11],
  ])('from %p to %p, from a start as the search before it leaves', (a, b) => {
    const found = refine([momentsOf(exposed(a, b))], free, REACH, EVEN, 'none', [a - 0.03, b + 0.02]);
    expect(Math.hypot(found.a - a, found.b - b)).toBeLessThan(0.004);
    expect(found.plainCost).toBeLessThan(1e-4);
  });
  test('under a grade that the reference has and the render has not', () => {
    const truth = exposed(-0.3, 0.2),
      graded = momentsOf((p, c) => (c === 3 ? truth(p, 3) : (0.8 + 0.1 * c) * truth(p, c) + 0.05 * truth(p, 3)));
    const found = refine([graded], free, REACH, EVEN, 'gainOffset', [-0.6, 0.6]);
    expect(Math.hypot(found.a + 0.3, found.b - 0.2)).toBeLessThan(0.01);
    const { gain, offset } = found.difference.grade ?? { gain: [], offset: [] };
    for (const c of [0, 1, 2]) expect([gain[c], offset[c]]).toEqual([expect.closeTo(0.8 + 0.1 * c, 1), expect.closeTo(0.05, 1)]);
  });
  test('though a tenth of the points are a fifth too bright', () => {
    const truth = exposed(-0.25, 0.25),
      hurt = momentsOf((p, c) => truth(p, c) + (p % 10 === 0 ? 0.2 : 0));
    const found = refine([hurt], free, REACH, EVEN, 'none', [-0.28, 0.27]);
    expect(Math.hypot(found.a + 0.25, found.b - 0.25)).toBeLessThan(0.02);
  });
  test('within what is locked', () => {
    const found = refine(
      [momentsOf(exposed(-0.2, 0.2))],
      freedomOf({ opens: -0.25, closes: 0.25, strength: null }),
      REACH,
      EVEN,
      'none',
      [1.6],
    );
    expect(found.p[0]).toBeCloseTo(0.8, 2);
  });
});

describe('differences to a reference', () => {
  const m = momentsOf(exposed(-0.25, 0.25), 3);
  test('are nothing at the true exposure; alpha of a reference that has none does not count', () => {
    const { left, cost, grade } = differenceAt([m], evenWeights([m]), -0.25, 0.25, EVEN, 'none');
    expect(cost).toBeLessThan(1e-5);
    expect(grade).toBeNull();
    expect([...left[0].filter((_, i) => i % 4 === 3)].every((v) => v === 0)).toBe(true);
  });
  test('of few points that are far off count little', () => {
    const off = { left: [Float32Array.from({ length: 400 }, (_, i) => ((i >> 2) % 20 === 0 ? 2 : 0.01))], grade: null, cost: 0 };
    const { weights, scale } = robustWeights([{ ...m, points: 100 }], off);
    expect(scale).toBeCloseTo(0.01 / 0.67, 4);
    expect(weights[0][0]).toBeLessThan(1e-5);
    expect(weights[0][1]).toBeGreaterThan(0.9);
  });
});

describe('how sure a shutter is', () => {
  const equationsOf = (m: Moments, a: number, b: number) => {
    const leftAt = (q: readonly number[]) => differenceAt([m], evenWeights([m]), q[0], q[1], EVEN, 'none').left,
      parts: Equations[] = [];
    const whole = normalEquations(
      [m],
      evenWeights([m]),
      free,
      REACH,
      [a, b],
      differenceAt([m], evenWeights([m]), a, b, EVEN, 'none'),
      leftAt,
      parts,
    );
    return { whole, parts };
  };
  test('parts add up to the whole', () => {
    const { whole, parts } = equationsOf(momentsOf(exposed(-0.2, 0.3)), -0.25, 0.25);
    expect(parts).toHaveLength(20);
    whole.matrix.forEach((row, k) =>
      row.forEach((v, l) => expect(parts.reduce((sum, part) => sum + part.matrix[k][l], 0)).toBeCloseTo(v, 6)),
    );
    expect(whole.matrix[0][1]).toBe(whole.matrix[1][0]);
  });
  test('parts that agree leave no doubt, parts that differ leave as much as they differ', () => {
    const sure = equationsOf(momentsOf(exposed(-0.25, 0.25)), -0.25, 0.25),
      noise = momentsOf((p, c) => exposed(-0.25, 0.25)(p, c) + 0.05 * Math.sin(97 * p + 31 * c)),
      unsure = equationsOf(noise, -0.25, 0.25);
    const errorOf = ({ parts, whole }: ReturnType<typeof equationsOf>) => Math.sqrt(jackknife(parts, whole)[0][0]);
    expect(errorOf(sure)).toBeLessThan(0.002);
    expect(errorOf(unsure)).toBeGreaterThan(3 * errorOf(sure));
    expect(errorOf(unsure)).toBeLessThan(0.05);
  });
});
