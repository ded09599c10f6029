import type { Kernels } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import {
  emptyMotionField,
  prepareBlur,
  renderRows,
  shutterFromAngle,
  type ApplySettings,
  type BlurInput,
  type MotionField,
  type PathChoice,
  type Shutter,
} from '../src';
import { fitAffine, GRADIENT, NOTHING } from '../src/blur/paths/affine-fit';
import { nearestMember } from '../src/raster/nearest';
import { pushPull } from '../src/blur/occlusion/push-pull';
import { flowOf, travelOf } from '../src/blur/paths/affine-path';
import { referenceKernels } from '../src/reference';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const W = 96,
  H = 64;

interface Thing {
  readonly x0: number;
  readonly y0: number;
  readonly x1: number;
  readonly y1: number;
  readonly colour: readonly number[];
  readonly depth: number;
  readonly id: number;
  readonly motion: (x: number, y: number, to: 1 | -1) => readonly [number, number];
}

/** Rectangles on pixel borders, painted far to near. */
function scene(things: readonly Thing[]): Omit<BlurInput, 'path' | 'reachFrames'> & { depth: Float32Array; ids: Float32Array } {
  const rgba = new Float32Array(W * H * 4),
    depth = new Float32Array(W * H),
    ids = new Float32Array(W * H),
    motion: MotionField = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  for (const thing of [...things].sort((a, b) => b.depth - a.depth)) {
    for (let y = thing.y0; y < thing.y1; y++) {
      for (let x = thing.x0; x < thing.x1; x++) {
        const i = y * W + x;
        rgba.set(thing.colour, i * 4);
        depth[i] = thing.depth;
        ids[i] = thing.id;
        motion.toNext.set(thing.motion(x + 0.5, y + 0.5, 1), i * 2);
        motion.toPrevious.set(thing.motion(x + 0.5, y + 0.5, -1), i * 2);
      }
    }
  }
  return { width: W, height: H, rgba, motion, depth, ids };
}

function blur(
  input: Omit<BlurInput, 'path' | 'reachFrames'>,
  shutter: Shutter,
  path: PathChoice = 'auto',
  use: Kernels = kernels,
  samples: ApplySettings['samples'] = 'auto',
): Float32Array {
  const plan = prepareBlur({ ...input, path, reachFrames: 1 });
  const session = use.openSlices(plan.layers),
    out = new Float32Array(W * H * 4).fill(NaN);
  renderRows(plan, session, { shutter, quality: 'final', samples }, 0, H, out);
  session.close();
  return out;
}

const alphaAt = (picture: Float32Array, x: number, y: number) => picture[(y * W + x) * 4 + 3];
const straight = (dx: number, dy: number) => (_x: number, _y: number, to: 1 | -1) => [dx * to, dy * to] as const;
const box = (part: Partial<Thing>): Thing => ({
  x0: 40,
  y0: 20,
  x1: 56,
  y1: 44,
  colour: [1, 0.5, 0.25, 1],
  depth: 5,
  id: 1,
  motion: straight(0, 0),
  ...part,
});

test('with the shutter shut, and where nothing moves, the picture is the sharp one to the bit', () => {
  const moving = scene([box({ motion: straight(20, 5) })]),
    still = scene([box({}), box({ x0: 10, x1: 30, id: 2, depth: 7 })]);
  expect(blur(moving, { opens: 0, closes: 0, strength: 1 })).toEqual(moving.rgba);
  expect(blur(still, shutterFromAngle(360, 'centre'))).toEqual(still.rgba);
  expect(blur(moving, { opens: -0.25, closes: 0.25, strength: 0 })).toEqual(moving.rgba);
});

test.each([
  ['centre', -8, 8],
  ['open', 0, 16],
  ['close', -16, 0],
] as const)('a box that moves 32 px a frame smears to its exact box filter, 180 degrees, %s', (align, from, to) => {
  const out = blur(scene([box({ motion: straight(32, 0) })]), shutterFromAngle(180, align));
  for (let x = 8; x < W - 8; x++) {
    // Analytic: the share of the exposure during which [40, 56) shifted by u covers pixel x.
    let share = 0;
    for (let k = 0; k < 2000; k++) {
      const u = from + ((k + 0.5) / 2000) * (to - from);
      share += Math.max(0, Math.min(x + 1, 56 + u) - Math.max(x, 40 + u)) / 2000;
    }
    expect(Math.abs(alphaAt(out, x, 30) - share)).toBeLessThan(0.012);
  }
});

test('premultiplied colour keeps its ratio to alpha in a streak', () => {
  const out = blur(scene([box({ motion: straight(24, 12), colour: [0.4, 0.2, 0.1, 0.8] })]), shutterFromAngle(180, 'centre'));
  for (let i = 0; i < W * H; i++) if (out[i * 4 + 3] > 0.05) expect(out[i * 4] / out[i * 4 + 3]).toBeCloseTo(0.5, 3);
});

test('light is kept: the sum over the picture does not change', () => {
  const input = scene([box({ motion: straight(21, -9) })]),
    out = blur(input, shutterFromAngle(180, 'centre'));
  // Bounded on both sides, the filter gives a hard corner's outside more than it takes from its inside: within a thousandth.
  for (let c = 0; c < 4; c++) {
    const sum = (p: Float32Array) => p.reduce((a, b, i) => (i % 4 === c ? a + b : a), 0);
    if (sum(input.rgba) > 0) expect(Math.abs(sum(out) / sum(input.rgba) - 1)).toBeLessThan(0.001);
  }
});

test('nearer stays in front, whichever of the two moves', () => {
  const near = box({ depth: 2, id: 1, colour: [1, 0, 0, 1] }),
    far = box({ x0: 20, x1: 76, depth: 9, id: 2, colour: [0, 0, 1, 1], motion: straight(0, 30) });
  const out = blur(scene([near, far]), shutterFromAngle(180, 'centre')),
    swapped = blur(
      scene([
        { ...near, depth: 9 },
        { ...far, depth: 2 },
      ]),
      shutterFromAngle(180, 'centre'),
    );
  expect(out[(30 * W + 48) * 4]).toBeCloseTo(1, 3);
  expect(swapped[(30 * W + 48) * 4 + 2]).toBeGreaterThan(0.9);
});

test('what a moving front uncovers is filled from the surface behind it, not left black', () => {
  const far = box({ x0: 0, y0: 0, x1: W, y1: H, depth: 9, id: 2, colour: [0.2, 0.4, 0.6, 1] });
  const out = blur(scene([box({ depth: 2, motion: straight(24, 0) }), far]), shutterFromAngle(180, 'centre'));
  for (let x = 0; x < W; x++) expect(alphaAt(out, x, 30)).toBeCloseTo(1, 3);
});

/** Where a point of the rigid rotation about (48, 32) is after `turn` radians. */
function turned(x: number, y: number, turn: number): readonly [number, number] {
  const c = Math.cos(turn),
    s = Math.sin(turn);
  return [48 + c * (x - 48) - s * (y - 32), 32 + s * (x - 48) + c * (y - 32)];
}

test('arcs follow a rotation of 0.8 rad a frame: every slice is the rotated picture', () => {
  const spin = (x: number, y: number, to: 1 | -1) => {
    const [nx, ny] = turned(x, y, 0.8 * to);
    return [nx - x, ny - y] as const;
  };
  const input = scene([box({ x0: 33, x1: 63, y0: 27, y1: 37, motion: spin })]);
  const inside = (x: number, y: number) => (x >= 33 && x < 63 && y >= 27 && y < 37 ? 1 : 0);
  const error = (path: PathChoice) => {
    // One instant, half a frame on: the truth is the bar turned by 0.4 rad.
    const out = blur(input, { opens: 0.5, closes: 0.5, strength: 1 }, path);
    let sum = 0;
    for (let y = 0; y < H; y++) {
      for (let x = 0; x < W; x++) {
        let truth = 0;
        for (let k = 0; k < 64; k++) truth += inside(...turned(x + ((k % 8) + 0.5) / 8, y + (Math.floor(k / 8) + 0.5) / 8, -0.4)) / 64;
        sum += (alphaAt(out, x, y) - truth) ** 2;
      }
    }
    return Math.sqrt(sum / (W * H));
  };
  expect(error('arc')).toBeLessThan(0.03);
  expect(error('straight')).toBeGreaterThan(error('arc') * 1.5);
});

test('a bent path goes through previous, now and next', () => {
  const curve = (_x: number, _y: number, to: 1 | -1) => (to === 1 ? [12, 6] : [-4, 2]) as readonly [number, number];
  const input = scene([box({ motion: curve })]);
  // P(t) = t (8, 2) + t^2 (4, 4): at 0.5 the box is (5, 2) away.
  const out = blur(input, { opens: 0.5, closes: 0.5, strength: 1 }, 'bent');
  const expected = scene([box({ x0: 45, x1: 61, y0: 22, y1: 46 })]).rgba;
  out.forEach((v, i) => expect(Math.abs(v - expected[i])).toBeLessThan(1e-3));
});

test('vectors left at zero in grazed edge pixels do not tear the edge', () => {
  const input = scene([box({ motion: straight(32, 0) })]);
  for (let y = 20; y < 44; y++) {
    // A rim of 10 % coverage that the data passes do not know.
    input.rgba.set([0.1, 0.05, 0.025, 0.1], (y * W + 56) * 4);
  }
  const out = blur(input, shutterFromAngle(180, 'centre'));
  expect(alphaAt(out, 56, 30)).toBeGreaterThan(0.4);
  expect(alphaAt(out, 66, 30)).toBeLessThan(0.05);
});

test.each(['auto', 'straight'] as const)('the fast kernels and the slow reference make the same picture (%s)', (path) => {
  const input = scene([
    box({ motion: straight(17, 8), colour: [0.3, 0.6, 0.1, 0.7] }),
    box({ x0: 10, x1: 70, y0: 30, y1: 50, depth: 8, id: 2, motion: (x, y, to) => [to * (6 + 0.1 * (y - 30)), -to * 0.1 * (x - 40)] }),
  ]);
  const fast = blur(input, shutterFromAngle(270, 'open'), path),
    slow = blur(input, shutterFromAngle(270, 'open'), path, referenceKernels);
  fast.forEach((v, i) => {
    if (!(Math.abs(v - slow[i]) < 1e-3)) throw new Error(`value ${i}: ${v} instead of ${slow[i]}`);
  });
});

test('without ids and depth it still blurs, and says what was missing', () => {
  const input = scene([box({ motion: straight(30, 0) }), box({ x0: 0, y0: 0, x1: W, y1: H, depth: 9, id: 2, colour: [0.2, 0.4, 0.6, 1] })]);
  const { report } = prepareBlur({ ...input, depth: null, ids: null, path: 'auto', reachFrames: 1 });
  expect(report).toMatchObject({ layersFrom: 'motion', orderFrom: 'speed', layerCount: 2, neighbours: [] });
  expect(report.notes).toHaveLength(4);
  expect(prepareBlur({ ...input, ids: null, path: 'auto', reachFrames: 1 }).report).toMatchObject({
    layersFrom: 'depth and motion',
    orderFrom: 'depth',
    layerCount: 2,
  });
});

test("passes of different sizes are refused, and a shutter beyond the plan's reach is a caller's mistake", () => {
  const input = scene([box({})]);
  expect(() => prepareBlur({ ...input, motion: emptyMotionField(4, 4, false), path: 'auto', reachFrames: 1 })).toThrow('differ in size');
  expect(() => blur(input, { opens: 0, closes: 2, strength: 1 })).toThrow(TypeError);
});

test('the fit finds an affine field exactly, masked pixels or not, and leaves other surfaces out', () => {
  const width = 20,
    height = 15,
    vectors = new Float32Array(width * height * 2),
    keys = new Int32Array(width * height);
  for (let i = 0; i < width * height; i++) {
    const x = i % width,
      y = Math.floor(i / width);
    vectors.set([3 + 0.2 * x - 0.1 * y, -1 + 0.35 * x + 0.05 * y], i * 2);
    if ((x * 7 + y * 3) % 11 === 0) {
      keys[i] = 1;
      vectors.set([500, -500], i * 2);
    }
  }
  const out = new Float64Array(6);
  for (const [x, y] of [
    [2.5, 2.5],
    [7, 4],
    [16.5, 11.5],
  ]) {
    expect(fitAffine({ width, height, keys }, 0, [vectors], x, y, true, out)).toBe(GRADIENT);
    [3 + 0.2 * x - 0.1 * y, -1 + 0.35 * x + 0.05 * y, 0.2, -0.1, 0.35, 0.05].forEach((v, k) => expect(out[k]).toBeCloseTo(v, 4));
  }
  // Rotation and scale alone is the nearest such matrix.
  fitAffine(
    { width, height, keys: new Int32Array(width * height).fill(2) },
    2,
    [vectors.map((_, k) => (k % 2 ? 0.1 : 0.2) * Math.floor(k / 2 / width))],
    7,
    4,
    false,
    out,
  );
  expect([out[2], out[5], out[3]]).toEqual([out[5], out[2], -out[4]]);
  expect(fitAffine({ width, height, keys }, 5, [vectors], 7, 4, true, out)).toBe(NOTHING);
});

test('a flow goes in one frame to the vector and the gradient that it was made from', () => {
  const flow = new Float64Array(6),
    way = new Float64Array(2);
  for (const [dx, dy, xx, xy, yx, yy, near] of [
    [5, -3, 0, 0, 0, 0, 0],
    [2, 7, -0.15, -0.4, 0.4, -0.15, 0],
    [10, 0, 0.3, 0.25, 0, -0.1, 0],
    [10, 4, 0, 0.3, 0, 0, 0],
    [1, 1, 1e-5, 0, 1e-5, 0, 0],
    // Turned by 200 degrees, taken for 200 and not for -160.
    [30, 5, Math.cos(3.49) - 1, -Math.sin(3.49), Math.sin(3.49), Math.cos(3.49) - 1, 3.3],
  ]) {
    flowOf(dx, dy, xx, xy, yx, yy, flow, near);
    travelOf(flow, 0, way);
    expect(way[0]).toBeCloseTo(dx, 5);
    expect(way[1]).toBeCloseTo(dy, 5);
    if (near > 0) expect(flow[4]).toBeCloseTo(3.49, 5);
    // A point one pixel beside follows its own vector: g + L e is its flow.
    const beside = Float64Array.from(flow);
    beside[0] += flow[2];
    beside[1] += flow[4];
    travelOf(beside, 0, way);
    expect(way[0]).toBeCloseTo(dx + xx, 5);
    expect(way[1]).toBeCloseTo(dy + yx, 5);
  }
});

test('a gradient that no surface can have leaves the vector alone', () => {
  const flow = new Float64Array(6);
  for (const m of [
    [-1.5, 0, 0, 0],
    [9, 0, 0, 9],
    [NaN, 0, 0, 0],
  ]) {
    flowOf(3, 4, m[0], m[1], m[2], m[3], flow);
    expect([...flow]).toEqual([3, 4, 0, 0, 0, 0]);
  }
});

test('the nearest member is nearest, to within a tenth of a pixel, by brute force', () => {
  const width = 40,
    height = 30,
    member = new Uint8Array(width * height);
  for (const i of [3, 417, 655, 1100, 20, 39, 1180]) member[i] = 1;
  const distance = (a: number, b: number) => Math.hypot((a % width) - (b % width), Math.floor(a / width) - Math.floor(b / width));
  nearestMember(member, width, height).forEach((found, i) => {
    const best = Math.min(...[...member.keys()].filter((k) => member[k] === 1).map((k) => distance(i, k)));
    expect(distance(i, found)).toBeLessThan(best + 0.1);
  });
});

test('push-pull keeps what is known and fills the rest within its range', () => {
  const rgba = new Float32Array(16 * 16 * 4),
    known = new Uint8Array(256);
  for (let i = 0; i < 256; i++) {
    if (i % 16 >= 5) continue;
    known[i] = 1;
    rgba.set([0.25, 0.5, 0.75, 1], i * 4);
  }
  const before = rgba.slice();
  pushPull(rgba, known, 16, 16);
  for (let i = 0; i < 256; i++) for (let c = 0; c < 4; c++) expect(rgba[i * 4 + c]).toBeCloseTo(before[c], 5);
});
