import { identifyEncoding, roundToHalf, type FrameToIdentify, type StoredPass } from '../src';
import { followsAlpha, largestStepShare } from '../src/motion/identify/edges';
import { howMuchItTells } from '../src/motion/identify/how-much-it-tells';
import { jointRest, quantile } from '../src/motion/identify/pass-samples';
import { nameScale, type ScaleQuestion } from '../src/motion/identify/round-scale';
import { seeded } from '../src/motion/identify/seeded';
import { stuckIn, shapeOf } from '../src/motion/identify/stored-pass';
import { loadKernels } from '../../kernels/test/kernels';

const W = 160,
  H = 96;

function plane(at: (x: number, y: number) => number, width = W, height = H): Float32Array {
  return Float32Array.from({ length: width * height }, (_, i) => at(i % width, Math.floor(i / width)));
}

function pass(planes: Record<string, Float32Array>, type: 'float' | 'u8' = 'float', width = W, height = H): StoredPass {
  return { width, height, channels: Object.entries(planes).map(([name, data]) => ({ name, type, data })) };
}

describe('scales get the name that people give them', () => {
  const ask = (over: Partial<ScaleQuestion>): ScaleQuestion => ({
    fullScalePx: 1,
    yScale: 1,
    pass: { width: 960, height: 540 },
    beautyPerPass: 1,
    fps: null,
    middle: 0.5,
    centred: false,
    hasLength: false,
    fastPx: 40,
    ...over,
  });
  test.each([
    ['pixels', { fullScalePx: 1.003 }, { unit: 'px', equals: 1, covers: { from: 0, to: 1, unit: 'frames' } }],
    ['frame widths', { fullScalePx: 957 }, { unit: 'frameWidth', equals: 1 }],
    ['widths and heights', { fullScalePx: 961, yScale: 540 / 960 }, { unit: 'frameSize', equals: 1 }],
    ['half frames', { fullScalePx: 479, yScale: 540 / 960 }, { unit: 'halfFrame', equals: 1 }],
    ['64 px around a middle', { fullScalePx: 64.2, centred: true }, { unit: 'px', equals: 64 }],
    ['pixels a second', { fullScalePx: 1 / 24.02, fps: 24 }, { unit: 'px', equals: 1, covers: { from: 0, to: 1, unit: 'seconds' } }],
    [
      'half a frame after',
      { fullScalePx: 2.01, middle: 0.25 as const },
      { unit: 'px', equals: 1, covers: { from: 0, to: 0.5, unit: 'frames' } },
    ],
    ['half a frame around', { fullScalePx: 1.99, middle: 0 as const }, { equals: 1, covers: { from: -0.25, to: 0.25, unit: 'frames' } }],
    ['from the frame before', { fullScalePx: 1, middle: -0.5 as const }, { equals: 1, covers: { from: -1, to: 0, unit: 'frames' } }],
    ['a pixel aspect of 2', { fullScalePx: 0.5, yScale: 2 }, { unit: 'px', equals: 1, pixelAspect: 2 }],
    ["the beauty's pixels in a pass of half the size", { fullScalePx: 0.5, beautyPerPass: 2 }, { unit: 'px', equals: 0.5 }],
  ] as const)('%s', (_, question, name) => {
    const [best] = nameScale(ask(question));
    expect(best).toMatchObject(name);
    expect(best.isRound).toBe(true);
    // The named scale, per frame, is the measured one to its factor.
    expect(Math.abs(Math.log(best.factor))).toBeLessThan(0.01);
  });
  test('what is near nothing keeps what was measured', () => {
    const [best] = nameScale(ask({ fullScalePx: 77.3, centred: true }));
    expect(best).toMatchObject({ isRound: false, equals: 77.3, factor: 1 });
  });
  test('a slow pass is not held to what it can not be measured to', () => {
    expect(nameScale(ask({ fullScalePx: 1.12, fastPx: 1 }))[0]).toMatchObject({ equals: 1, isRound: true });
    expect(nameScale(ask({ fullScalePx: 1.12, fastPx: 60 }))[0]).toMatchObject({ isRound: false });
  });
});

describe('soft edges', () => {
  const alpha = plane((x) => Math.min(1, Math.max(0, (x - 70) / 12)));
  test('what was multiplied by alpha shrinks with it, around 0 or around what stands still', () => {
    const vectors = plane((_, y) => 20 + y / 10);
    const multiplied = vectors.map((v, i) => v * alpha[i]),
      mixed = vectors.map((v, i) => 0.5 + (v / 100) * alpha[i]);
    expect(followsAlpha(pass({ R: multiplied }), 0, alpha, 0)).toBe(true);
    expect(followsAlpha(pass({ R: vectors }), 0, alpha, 0)).toBe(false);
    expect(followsAlpha(pass({ R: mixed }), 0, alpha, 0.5)).toBe(true);
    expect(followsAlpha(pass({ R: mixed }), 0, alpha, 0)).toBe(false);
    expect(
      followsAlpha(
        pass({ R: vectors }),
        0,
        alpha.map(() => 1),
        0,
      ),
    ).toBeNull();
  });
  test('a jump in one step is sharp, one over four pixels was filtered', () => {
    const sharp = plane((x) => (x < 80 ? 0 : 10)),
      filtered = plane((x) => 10 * Math.min(1, Math.max(0, (x - 78) / 4)));
    expect(largestStepShare(pass({ R: sharp }), 0, 10)).toBe(1);
    expect(largestStepShare(pass({ R: filtered }), 0, 10)).toBeCloseTo(0.25, 5);
    expect(largestStepShare(pass({ R: plane((x) => x / 16) }), 0, 10)).toBeNull();
  });
});

describe('what values hold', () => {
  test('a rest is what two channels hold together; NaN is nothing', () => {
    const a = Float32Array.from({ length: 1000 }, (_, i) => (i % 4 === 0 ? 0.5 : i % 7 === 0 ? NaN : i)),
      b = Float32Array.from({ length: 1000 }, (_, i) => (i % 4 === 0 ? 0.25 : -i));
    const rest = jointRest(a, b);
    expect(rest).toMatchObject({ a: 0.5, b: 0.25 });
    expect(rest?.share).toBeGreaterThan(0.25);
    expect(
      jointRest(
        a.map((_, i) => i),
        b.map((_, i) => -i),
      ),
    ).toBeNull();
    expect([quantile([3, NaN, 1, 2, Infinity], 0.5), quantile([NaN], 0.5)]).toEqual([2, NaN]);
  });
  test('values pile up at the end of whole numbers although most pixels are there', () => {
    const data = plane((x, y) => (x < 100 ? 1 : y < 10 ? 0.5 : 0.5 + x / 400));
    const channel = { name: 'R', type: 'u8' as const, data };
    expect(stuckIn(channel, shapeOf(channel), W, 0.5)).toEqual([{ value: 1, count: 100 * H }]);
  });
  test('a frame in which things move apart tells more than one in which they rest', () => {
    const moving = pass({ R: plane((x) => x / 10), G: plane((_, y) => y / 10) }),
      one = pass({ R: plane((x) => (x < 6 ? 3 : 0)), G: plane(() => 0) });
    expect(howMuchItTells(moving)).toBeGreaterThan(howMuchItTells(one));
    expect(howMuchItTells(pass({ R: plane(() => 4) }))).toBe(0);
  });
});

describe('a small pass is detected from its pictures', () => {
  /** Grain on a plate, and a disc with a grain of its own that moves by (dx, dy). */
  const noise = (x: number, y: number, seed: number) => {
    const cell = (i: number, j: number) => seeded((i * 73856093) ^ (j * 19349663) ^ seed)();
    const [ix, iy] = [Math.floor(x / 3), Math.floor(y / 3)],
      [u, v] = [x / 3 - ix, y / 3 - iy];
    const row = (j: number) => cell(ix, j) * (1 - u) + cell(ix + 1, j) * u;
    return row(iy) * (1 - v) + row(iy + 1) * v;
  };
  const disc = (x: number, y: number, t: number, dx: number, dy: number) => Math.hypot(x - 70 - dx * t, y - 45 - dy * t) < 26;
  const picture = (t: number, dx: number, dy: number) => {
    const out = new Float32Array(W * H * 4);
    for (let i = 0; i < W * H; i++) {
      const [x, y] = [i % W, Math.floor(i / W)];
      const light = disc(x, y, t, dx, dy) ? 0.1 + 0.8 * noise(x - dx * t + 500, y - dy * t + 500, 7) : 0.1 + 0.5 * noise(x, y, 3);
      out.set([light, light * 0.8, light * 0.6, 1], i * 4);
    }
    return out;
  };
  const [dx, dy] = [7, -4];
  const frame = (store: (x: number, y: number, moves: boolean) => readonly [number, number]): FrameToIdentify => {
    const stored = (t: number) => {
      const at = (axis: 0 | 1) => plane((x, y) => roundToHalf(store(dx, dy, disc(x, y, t, dx, dy))[axis]));
      return pass({ R: at(0), G: at(1) });
    };
    return {
      frame: 10,
      beauty: { width: W, height: H, now: picture(0, dx, dy), next: picture(1, dx, dy), previous: picture(-1, dx, dy) },
      now: stored(0),
      next: stored(1),
      previous: stored(-1),
    };
  };
  const context = { fps: 24, pixelAspect: 1, facts: [] };

  test('pixels, y up', async () => {
    const found = identifyEncoding([frame((x, y, moves) => (moves ? [x, -y] : [0, 0]))], context, await loadKernels());
    expect(found.encoding).toMatchObject({ zero: 0, fullScale: { equals: 1, unit: 'px' }, axes: { x: 'right', y: 'up' } });
    expect(found.confidence).toBeGreaterThan(0.7);
    expect(found.evidence.frames).toEqual([10]);
    expect(found.evidence.readings[0].encoding).toEqual(found.encoding);
  });
  test('an encoding that was saved for such passes settles what the pictures leave open, and no more', async () => {
    const kernels = await loadKernels(),
      // Motion is even: to the next frame and from the previous one it is the same.
      one = frame((x, y, moves) => (moves ? [x, -y] : [0, 0]));
    const plain = identifyEncoding([one], context, kernels);
    const [set] = plain.encoding.sets;
    expect(set.covers).toEqual({ from: 0, to: 1, unit: 'frames' });
    const earlier = { ...plain.encoding, sets: [{ ...set, covers: { from: -1, to: 0, unit: 'frames' as const } }] };
    const told = identifyEncoding([one], { ...context, known: [earlier] }, kernels);
    expect([plain.evidence.isKnown, told.evidence.isKnown]).toEqual([false, true]);
    expect(told.encoding.sets).toEqual(earlier.sets);
    const wrong = { ...plain.encoding, axes: { x: 'left', y: 'up' } as const };
    const overruled = identifyEncoding([one], { ...context, known: [wrong] }, kernels);
    expect(overruled.encoding).toEqual(plain.encoding);
    expect(overruled.evidence.isKnown).toBe(false);
  });
  test('a zero that is off, known by what stands still', async () => {
    const found = identifyEncoding(
      [frame((x, y, moves) => (moves ? [0.52 + x / 128, 0.52 + y / 128] : [0.52, 0.52]))],
      context,
      await loadKernels(),
    );
    expect(found.encoding.zero).toBeCloseTo(0.52, 3);
    expect(found.symptoms.map((s) => s.code)).toContain('centreOff');
  });
  test('several frames are one pass, and one that does not fit is named', async () => {
    const right = frame((x, y, moves) => (moves ? [x, y] : [0, 0])),
      wrong = frame((x, y, moves) => (moves ? [-3 * y, 2 * x] : [0, 0]));
    const found = identifyEncoding([right, { ...right, frame: 14 }, { ...wrong, frame: 20 }], context, await loadKernels());
    expect(found.encoding).toMatchObject({ fullScale: { equals: 1 }, axes: { x: 'right', y: 'down' } });
    expect(found.evidence.frames).toEqual([10, 14, 20]);
    expect(found.symptoms.find((s) => s.code === 'changesWithin')?.message).toContain('In frame 20 ');
  });
  test('pictures that stand still tell nothing, and no frame at all is an error', async () => {
    const one = frame((x, y, moves) => (moves ? [x, y] : [0, 0]));
    const still = { ...one, beauty: { ...one.beauty, next: one.beauty.now, previous: one.beauty.now } };
    const kernels = await loadKernels();
    expect(identifyEncoding([still], context, kernels).confidence).toBeLessThan(0.5);
    expect(() => identifyEncoding([], context, kernels)).toThrow(RangeError);
  });
});
