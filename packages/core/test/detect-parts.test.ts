import { emptyMotionField, speedHistogram } from '../src';
import { countStuck, isEnd, type WallQuestion } from '../src/motion/audit/walls';
import { brightnessOf, buildPyramid, MARGIN_PX, sampleLevel } from '../src/motion/flow/pyramid';
import { fitWarp, type LinearMotion, type WarpPictures } from '../src/motion/estimate/warp-fit';

describe('pictures at falling sizes', () => {
  const W = 48,
    H = 36;
  const ramp = Float32Array.from({ length: W * H }, (_, i) => 0.1 + 0.01 * (i % W) + 0.005 * Math.floor(i / W));
  const pyramid = buildPyramid(ramp, W, H);
  test('each level is half the one before, down to a dozen pixels', () =>
    expect(pyramid.map(({ width, height }) => [width, height])).toEqual([
      [48, 36],
      [24, 18],
    ]));
  test('a slope is the same at each place of a ramp, twice as steep a level on', () => {
    for (const [level, factor] of [
      [pyramid[0], 1],
      [pyramid[1], 2],
    ] as const)
      for (const [x, y] of [
        [3, 4],
        [9.5, 7.25],
      ]) {
        expect(sampleLevel(level, level.slopeX, x, y)).toBeCloseTo(0.01 * factor, 5);
        expect(sampleLevel(level, level.slopeY, x, y)).toBeCloseTo(0.005 * factor, 5);
      }
  });
  test('beyond the picture its border goes on, however far', () => {
    const [level] = pyramid;
    for (const x of [-1, -MARGIN_PX, -500]) expect(sampleLevel(level, level.values, x, 10)).toBeCloseTo(ramp[10 * W], 6);
    expect(sampleLevel(level, level.values, W + 900, H + 900)).toBeCloseTo(ramp[W * H - 1], 6);
  });
  test('brightness is graded as the eye does; NaN and negative light are black, highlights bounded', () => {
    const rgba = Float32Array.of(0.25, 0.25, 0.25, 1, -3, -3, -3, 1, NaN, 1, 1, 1, 1e6, 1e6, 1e6, 1);
    expect([...brightnessOf(rgba)]).toEqual([0.5, 0, 0, 4]);
  });
});

describe('a motion is slid until the warped picture fits', () => {
  const W = 96,
    H = 72;
  /** Texture without a repeat, moved by (dx, dy). */
  const picture = (dx: number, dy: number) =>
    Float32Array.from({ length: W * H }, (_, i) => {
      const x = (i % W) - dx,
        y = Math.floor(i / W) - dy;
      return 0.5 + 0.2 * Math.sin(x * 0.31 + 0.7 * Math.sin(y * 0.17)) + 0.2 * Math.cos(y * 0.27 + 0.9 * Math.sin(x * 0.11));
    });
  const places = Array.from({ length: 200 }, (_, k) => [14 + ((k * 37) % (W - 28)), 14 + ((k * 53) % (H - 28))] as const);
  const moved = (dx: number, dy: number): WarpPictures => ({
    x: Int32Array.from(places, ([x]) => x),
    y: Int32Array.from(places, ([, y]) => y),
    from: buildPyramid(picture(0, 0), W, H),
    to: buildPyramid(picture(dx, dy), W, H),
  });
  const ones = new Float64Array(places.length).fill(1);
  const shift: LinearMotion = { basisX: [ones, null], basisY: [null, ones] };

  test.each([
    [1.4, -0.6],
    [-3.2, 2.1],
    [0, 0],
  ])('(%p, %p) pixels are found from nothing, to a hundredth', (dx, dy) => {
    const parameters = fitWarp(moved(dx, dy), shift, Float64Array.of(0, 0), [1, 0]);
    expect(Math.hypot(parameters[0] - dx, parameters[1] - dy)).toBeLessThan(0.02);
  });
  test('a third of the points that show something else do not pull it away', () => {
    const pictures = moved(1.4, -0.6),
      [level] = pictures.to;
    for (let y = 0; y < H / 3; y++) for (let x = 0; x < W; x++) level.values[level.origin + y * level.stride + x] = 0.9;
    const parameters = fitWarp(pictures, shift, Float64Array.of(0, 0), [0]);
    expect(Math.hypot(parameters[0] - 1.4, parameters[1] + 0.6)).toBeLessThan(0.05);
  });
  test('what leaves the picture does not count: with nothing inside, nothing is slid', () => {
    expect([...fitWarp(moved(1, 1), shift, Float64Array.of(5000, 0), [0])]).toEqual([5000, 0]);
  });
});

describe('values that are stuck at the end of a range', () => {
  const W = 40;
  const ask = (at: (x: number, y: number) => number, over: Partial<WallQuestion> = {}): WallQuestion => ({
    data: Float32Array.from({ length: W * W }, (_, i) => at(i % W, Math.floor(i / W))),
    width: W,
    type: 'half',
    range: 2,
    isStill: (v) => v === 0,
    ...over,
  });
  const cut = (x: number, y: number) => Math.min(1, Math.max(-1, (x - 20) / 12 + (y - 20) / 60));
  test('a slope that was cut off is a wall', () => {
    const question = ask(cut);
    expect(countStuck(1, question)).toBe([...question.data].filter((v) => v === 1).length);
    expect(countStuck(-1, question)).toBeGreaterThan(24);
  });
  test('a thing that moves evenly is none: only its outline meets other values', () => {
    expect(
      countStuck(
        1,
        ask((x, y) => (Math.hypot(x - 20, y - 20) < 9 ? 1 : 0)),
      ),
    ).toBe(0);
    expect(
      countStuck(
        1,
        ask((x, y) => (Math.hypot(x - 20, y - 20) < 9 ? 1 : -0.7)),
      ),
    ).toBe(0);
  });
  test('what stands still is none, and few pixels are none', () => {
    expect(
      countStuck(
        0,
        ask((x) => (x < 20 ? 0 : 0.5)),
      ),
    ).toBe(0);
    expect(
      countStuck(
        1,
        ask((x, y) => (x > 37 && y > 34 ? 1 : x / 40)),
      ),
    ).toBe(0);
  });
  test('the last code of whole numbers is an end by itself', () => {
    expect([isEnd(1, 'u8'), isEnd(0, 'u16'), isEnd(0.5, 'u8'), isEnd(1, 'half')]).toEqual([true, true, false, false]);
    expect(
      countStuck(
        1,
        ask((x, y) => (Math.hypot(x - 20, y - 20) < 9 ? 1 : 0.5), { type: 'u8', isStill: (v) => v === 0.5 }),
      ),
    ).toBeGreaterThan(200);
  });
});

test('speeds are counted by factors, the faster of both ways, still pixels apart', () => {
  const field = emptyMotionField(4, 1, true);
  field.valid.set([1, 1, 1, 0]);
  field.toNext.set([3, 4, 0, 0.01, 0, 0, 900, 0]);
  field.toPrevious.set([0, -1, 0, 0, 0, -20, 0, 0]);
  const { edges, counts, still, fastestPx } = speedHistogram(field, 8);
  expect([fastestPx, still, counts.reduce((a, b) => a + b, 0)]).toEqual([20, 1, 2]);
  expect([edges[0], Math.round(edges[8])]).toEqual([1 / 16, 20]);
  const steps = Array.from({ length: 8 }, (_, k) => edges[k + 1] / edges[k]);
  expect(Math.max(...steps) - Math.min(...steps)).toBeLessThan(1e-9);
  const binOf = (speed: number) => counts[edges.findIndex((edge) => edge > speed) - 1];
  expect([binOf(5), counts[7]]).toEqual([1, 1]);
});
