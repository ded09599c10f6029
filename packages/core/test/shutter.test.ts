import {
  exposureAt,
  exposureWithin,
  keptShare,
  reachFrames,
  shutterFromAngle,
  sliceTimes,
  shutterAt,
  speedHistogram,
  strengthAt,
  emptyMotionField,
  withKey,
  type ExposureShape,
  type ShutterPlan,
} from '../src';

const PLAN: ShutterPlan = { opens: -0.25, closes: 0.25, strength: 1.5, keys: [], floorPx: null, ceilingPx: null };
const SHAPES: readonly ExposureShape[] = [
  { kind: 'even' },
  { kind: 'bell' },
  { kind: 'ramps', opening: 0.2, closing: 0.5 },
  { kind: 'ramps', opening: 0, closing: 1 },
  { kind: 'ramps', opening: 0.4, closing: 0.6 },
  { kind: 'ramps', opening: 0, closing: 0 },
];

test('an angle is an interval of time: around the frame, from it on, or up to it', () => {
  expect(shutterFromAngle(180, 'centre')).toEqual({ opens: -0.25, closes: 0.25, strength: 1 });
  expect(shutterFromAngle(90, 'open')).toEqual({ opens: 0, closes: 0.25, strength: 1 });
  expect(shutterFromAngle(360, 'close', 2)).toEqual({ opens: -1, closes: 0, strength: 2 });
});

test('slices stand in the middle of their parts, and strength stretches the time that is asked for', () => {
  expect([...sliceTimes({ opens: 0, closes: 1, strength: 1 }, 4).times]).toEqual([0.125, 0.375, 0.625, 0.875]);
  expect([...sliceTimes({ opens: -0.5, closes: 0.5, strength: 2 }, 2).times]).toEqual([-0.5, 0.5]);
  expect(reachFrames({ opens: -0.25, closes: 0.5, strength: -2 })).toBe(1);
});

test.each(SHAPES)('the light within a part of the exposure is the sum of what comes in there: %o', (shape) => {
  const steps = 20000;
  const sum = (from: number, to: number) => {
    let total = 0;
    for (let k = 0; k < steps; k++) total += exposureAt(shape, from + ((k + 0.5) / steps) * (to - from));
    return (total * (to - from)) / steps;
  };
  const all = sum(0, 1);
  for (const [from, to] of [
    [0, 1],
    [0, 0.1],
    [0.15, 0.3],
    [0.3, 0.75],
    [0.55, 1],
  ])
    expect(exposureWithin(shape, from, to)).toBeCloseTo(sum(from, to) / all, 4);
  expect(exposureAt(shape, -0.01)).toBe(0);
  expect(exposureAt(shape, 1.01)).toBe(0);
});

test('slices share the light: their weights add up to 1 and follow the shape', () => {
  for (const shape of SHAPES)
    expect(sliceTimes({ opens: 0, closes: 1, strength: 1, shape }, 17).weights.reduce((a, b) => a + b)).toBeCloseTo(1, 6);
  const { weights } = sliceTimes({ opens: 0, closes: 1, strength: 1, shape: { kind: 'bell' } }, 8);
  expect(weights[0]).toBeLessThan(0.03);
  expect(weights[3]).toBeGreaterThan(0.2);
  expect(weights[0]).toBeCloseTo(weights[7], 6);
  // Said or not, even is even to the bit: the page says it, the command line does not.
  expect(sliceTimes({ opens: 0, closes: 1, strength: 1, shape: { kind: 'even' } }, 7).weights).toEqual(
    sliceTimes({ opens: 0, closes: 1, strength: 1 }, 7).weights,
  );
});

test('strength follows its keys: held, straight or smooth to the next one, and holds outside them', () => {
  expect(strengthAt(PLAN, 1005)).toBe(1.5);
  const keys = [
    { frame: 1002, strength: 1, way: 'hold' },
    { frame: 1006, strength: 2, way: 'linear' },
    { frame: 1010, strength: 0, way: 'smooth' },
    { frame: 1014, strength: 1, way: 'hold' },
  ] as const;
  const at = (frame: number) => strengthAt({ ...PLAN, keys }, frame);
  expect([1000, 1002, 1005, 1006, 1008, 1010, 1012, 1014, 1100].map(at)).toEqual([1, 1, 1, 2, 1, 0, 0.5, 1, 1]);
  // Smooth: slow at both keys.
  expect(at(1011)).toBeCloseTo(0.15625, 9);
  expect(shutterAt({ ...PLAN, keys }, 1008)).toMatchObject({ opens: -0.25, closes: 0.25, strength: 1 });
  expect(withKey(keys, { frame: 1006, strength: 5, way: 'hold' }).map((k) => [k.frame, k.strength])).toEqual([
    [1002, 1],
    [1006, 5],
    [1010, 0],
    [1014, 1],
  ]);
});

test('speed limits: nothing below the floor, setting in without a jump, no farther than the ceiling', () => {
  const limits = { floorPx: 2, ceilingPx: 10 };
  const travel = (speed: number) => speed * keptShare(speed, limits);
  expect([0, 1, 2].map((v) => travel(v))).toEqual([0, 0, 0]);
  expect(travel(2.5)).toBeCloseTo(1.5, 9);
  expect(travel(3)).toBeCloseTo(3, 9);
  expect([5, 10].map((v) => travel(v))).toEqual([5, 10]);
  expect(travel(40)).toBeCloseTo(10, 9);
  for (let v = 0; v < 50; v += 0.01) expect(travel(v + 0.01) - travel(v)).toBeLessThan(0.031);
  expect(keptShare(3, { floorPx: null, ceilingPx: null })).toBe(1);
  // A ceiling where the blur still sets in holds there too.
  for (const speed of [10, 11, 12, 14, 15, 40])
    expect(speed * keptShare(speed, { floorPx: 10, ceilingPx: 12 })).toBeLessThanOrEqual(12 + 1e-9);
});

test('the histogram counts each pixel with a vector once, at its speed', () => {
  const field = emptyMotionField(10, 1, true);
  field.valid.fill(1, 0, 8);
  [0, 0.01, 0.5, 0.5, 3, 40, 40, 12].forEach((v, i) => field.toNext.set([v, 0], i * 2));
  // The longer of both ways counts.
  field.toPrevious.set([0, -80], 7 * 2);
  field.toNext.set([1e6, 0], 9 * 2);
  const { edges, counts, still, fastestPx } = speedHistogram(field, 16);
  expect([still, fastestPx, counts.reduce((a, b) => a + b)]).toEqual([2, 80, 6]);
  const inBin = (speed: number) => counts[edges.findIndex((edge, k) => speed >= edge && speed < edges[k + 1])];
  expect([inBin(0.5), inBin(3), inBin(40), counts[15]]).toEqual([2, 1, 2, 1]);
  expect(edges[16]).toBeCloseTo(80, 6);
  expect(speedHistogram(emptyMotionField(3, 3, false)).counts.every((c) => c === 0)).toBe(true);
});
