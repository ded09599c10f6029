import type { Kernels } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import { SEEN } from '../src/blur/occlusion/frame-look';
import { comparePictures, emptyMotionField, prepareBlur, renderRows, type BlurFramePasses, type BlurInput, type Shutter } from '../src';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const W = 120,
  H = 60,
  SPEED = 16;

/** A detail that no surroundings could tell. */
function wall(x: number, y: number): readonly number[] {
  const v = 0.5 + 0.45 * Math.sin(x * 0.9) * Math.cos(y * 0.7);
  return [v, 0.5 * v + 0.2, 1 - v, 1];
}

interface Options {
  /** Pixels per frame of the box; the wall pans by `pan`. */
  readonly speed?: number;
  readonly pan?: number;
  readonly mirrored?: boolean;
  readonly alpha?: number;
}

/** A box of one colour in front of a wall full of detail, `frames` on from the frame. */
function frameAt(frames: number, { speed = SPEED, pan = 0, mirrored = false, alpha = 1 }: Options = {}): BlurFramePasses {
  const rgba = new Float32Array(W * H * 4),
    depth = new Float32Array(W * H),
    ids = new Float32Array(W * H),
    motion = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  for (let i = 0; i < W * H; i++) {
    const x = i % W,
      y = Math.floor(i / W),
      u = mirrored ? W - 1 - x : x,
      from = 40 + frames * speed;
    const front = u >= from && u < from + 24 && y >= 18 && y < 42;
    const behind = wall(u - pan * frames, y);
    rgba.set(front ? [0.9, 0.3, 0.1, 1].map((v, c) => v * alpha + (1 - alpha) * behind[c]) : behind, i * 4);
    depth[i] = front ? 2 : 8;
    ids[i] = front ? 1 : 2;
    const v = (front ? speed : pan) * (mirrored ? -1 : 1);
    motion.toNext.set([v, 0], i * 2);
    motion.toPrevious.set([-v, 0], i * 2);
  }
  return { rgba, depth, ids, motion };
}

function blur(input: Partial<BlurInput>, shutter: Shutter, options: Options = {}) {
  const plan = prepareBlur({ width: W, height: H, ...frameAt(0, options), path: 'auto', reachFrames: 1, ...input });
  const out = new Float32Array(W * H * 4).fill(NaN),
    session = kernels.openSlices(plan.layers);
  renderRows(plan, session, { shutter, quality: 'final', samples: 64 }, 0, H, out);
  session.close();
  return { out, report: plan.report };
}

/** The mean of true pictures over the exposure. */
function truth(shutter: Shutter, options: Options = {}): Float32Array {
  const moments = 16 * 4,
    sum = new Float32Array(W * H * 4);
  for (let m = 0; m < moments; m++) {
    const t = shutter.opens + ((m + 0.5) / moments) * (shutter.closes - shutter.opens);
    frameAt(t, options).rgba.forEach((v, k) => (sum[k] += v / moments));
  }
  return sum;
}

const HALF: Shutter = { opens: 0, closes: 0.5, strength: 1 };
const db = (a: Float32Array, b: Float32Array) => comparePictures(a, b, W, H, frameAt(0).rgba).maskedPsnr ?? Infinity;

test('what a moving thing uncovers is taken from the neighbouring frames, not made up', () => {
  const expected = truth(HALF);
  const alone = blur({}, HALF),
    helped = blur({ previous: frameAt(-1), next: frameAt(1) }, HALF);
  expect(db(alone.out, expected)).toBeLessThan(28);
  expect(db(helped.out, expected)).toBeGreaterThan(db(alone.out, expected) + 8);
  expect(helped.report).toMatchObject({ neighbours: ['before', 'after'] });
  expect(helped.report.seenShare).toBeGreaterThan(0.04);
  expect(helped.report.seenShare).toBeGreaterThan(4 * alone.report.seenShare);
  expect(alone.report.notes.join()).toContain('made up from its surroundings');
  expect(helped.report.notes).toEqual([]);
});

test('with hidden areas off, neighbours are not looked at; one neighbour is better than none', () => {
  const expected = truth(HALF),
    around = { previous: frameAt(-1), next: frameAt(1) };
  expect(db(blur({ ...around, hidden: 'off' }, HALF).out, expected)).toBeCloseTo(db(blur({}, HALF).out, expected), 1);
  expect(db(blur({ next: around.next }, HALF).out, expected)).toBeGreaterThan(db(blur({}, HALF).out, expected) + 3);
});

test('a clean background serves alone, and one of something else is not used', () => {
  const clean = new Float32Array(W * H * 4);
  for (let i = 0; i < W * H; i++) clean.set(wall(i % W, Math.floor(i / W)), i * 4);
  const expected = truth(HALF),
    helped = blur({ background: clean }, HALF);
  expect(db(helped.out, expected)).toBeGreaterThan(34);
  expect(helped.report.inpaintedShare).toBe(0);
  const foreign = blur({ background: new Float32Array(W * H * 4).fill(1) }, HALF);
  expect(foreign.report.seenShare).toBe(0);
  expect(db(foreign.out, expected)).toBeCloseTo(db(blur({}, HALF).out, expected), 1);
});

test('what a pan brings into the picture is known from the frame where it is inside', () => {
  const options = { pan: 12, speed: 12 },
    expected = truth(HALF, options);
  const strip = (p: Float32Array) => p.filter((_, k) => Math.floor(k / 4) % W < 6);
  const error = (out: Float32Array) =>
    Math.sqrt(strip(out).reduce((sum, v, k) => sum + (v - strip(expected)[k]) ** 2, 0) / strip(expected).length);
  const alone = error(blur({}, HALF, options).out),
    helped = error(blur({ previous: frameAt(-1, options), next: frameAt(1, options) }, HALF, options).out);
  expect(helped).toBeLessThan(0.5 * alone);
});

test('a mirrored frame gives the mirrored picture', () => {
  const straight = blur({ previous: frameAt(-1), next: frameAt(1) }, HALF).out,
    options = { mirrored: true },
    mirrored = blur({ previous: frameAt(-1, options), next: frameAt(1, options) }, HALF, options).out;
  let worst = 0;
  for (let i = 0; i < W * H; i++) {
    const j = Math.floor(i / W) * W + (W - 1 - (i % W));
    for (let c = 0; c < 4; c++) worst = Math.max(worst, Math.abs(straight[i * 4 + c] - mirrored[j * 4 + c]));
  }
  expect(worst).toBeLessThan(2e-3);
});

test('no NaN and no infinity comes out, whatever finite motion goes in; odd colours count as nothing where they are', () => {
  let state = 99;
  const random = () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648;
  const wild = (passes: BlurFramePasses): BlurFramePasses => {
    const motion = { ...passes.motion, toNext: passes.motion.toNext.slice(), toPrevious: passes.motion.toPrevious.slice() };
    for (let k = 0; k < motion.toNext.length; k += 61) {
      motion.toNext[k] = (random() - 0.5) * 10 ** (6 * random());
      motion.toPrevious[k] = (random() - 0.5) * 10 ** (6 * random());
    }
    return { ...passes, motion };
  };
  const input = { ...wild(frameAt(0)), previous: wild(frameAt(-1)), next: wild(frameAt(1)) };
  expect(blur(input, { opens: -0.5, closes: 0.5, strength: 1 }).out.every(Number.isFinite)).toBe(true);
  const odd = frameAt(0);
  odd.rgba[(30 * W + 60) * 4] = NaN;
  odd.rgba[(31 * W + 60) * 4 + 1] = Infinity;
  expect(blur(odd, HALF).out.every(Number.isFinite)).toBe(true);
});

test('NaN and infinity in a neighbour or in the clean background spread nowhere', () => {
  const bad = frameAt(1);
  for (const [x, y] of [
    [44, 20],
    [62, 30],
    [80, 40],
  ])
    bad.rgba.set([NaN, Infinity, -Infinity, 1], (y * W + x) * 4);
  const blurred = blur({ previous: frameAt(-1), next: bad }, HALF);
  expect(blurred.out.every(Number.isFinite)).toBe(true);
  expect(blurred.report.warnings).toEqual([
    'The frame after has 3 pixels that are not numbers (NaN or infinite): NaN counts as black, infinity as 65504.',
  ]);
  const clean = frameAt(0).rgba.slice();
  clean[(30 * W + 55) * 4] = NaN;
  expect(blur({ background: clean }, HALF).out.every(Number.isFinite)).toBe(true);
});

test('alpha above 1 is taken for 1, and its light is left alone, where it moves and where it stands', () => {
  const plain = frameAt(0),
    over = frameAt(0);
  for (let i = 3; i < over.rgba.length; i += 4) if (over.rgba[i] === 1) over.rgba[i] = 2;
  const [a, b] = [plain, over].map((now) => blur(now, HALF));
  expect(b.out.every((v, i) => v === a.out[i])).toBe(true);
  expect(b.report.warnings).toEqual([
    expect.stringMatching(/^This frame has \d+ pixels with an alpha below 0 or above 1: it counts as 0 or 1\.$/),
  ]);
});

test('ids in the neighbours alone are no ids: they would be held against nothing', () => {
  const bare = (passes: BlurFramePasses): BlurFramePasses => ({ ...passes, ids: null });
  const now = bare(frameAt(0)),
    expected = truth(HALF);
  const with0 = blur({ ...now, previous: frameAt(-1), next: frameAt(1) }, HALF).out,
    without = blur({ ...now, previous: bare(frameAt(-1)), next: bare(frameAt(1)) }, HALF).out;
  expect(with0).toEqual(without);
  expect(db(with0, expected)).toBeGreaterThan(30);
});

test('a wall that everybody comes nearer to is still the wall: depth that changes by a fifth in a frame hides nothing', () => {
  const nearer = (frames: number): BlurFramePasses => {
    const passes = frameAt(frames);
    return { ...passes, depth: passes.depth && passes.depth.map((z) => z * 1.25 ** -frames) };
  };
  const helped = blur({ previous: nearer(-1), next: nearer(1) }, HALF),
    plain = blur({ previous: frameAt(-1), next: frameAt(1) }, HALF);
  expect(helped.report.seenShare).toBeCloseTo(plain.report.seenShare, 3);
  expect(db(helped.out, truth(HALF))).toBeGreaterThan(db(plain.out, truth(HALF)) - 0.1);
});

test('neighbours of another size are refused by a sentence', () => {
  const small = { ...frameAt(1), rgba: new Float32Array(16) };
  expect(() => blur({ next: small }, HALF)).toThrow('neighbouring frame');
  expect(() => blur({ background: new Float32Array(16) }, HALF)).toThrow('clean background');
});

test('what is in front of its own object, and moves much like it, is not taken for what it hides', () => {
  // One id, depths 6 % apart, 16 and 14 px a frame: where the wall behind the box would be in the next frame the box is, and leads back there.
  const options = { speed: 16, pan: 14 };
  const asOne = (frames: number): BlurFramePasses => {
    const passes = frameAt(frames, options);
    return { ...passes, ids: passes.ids && passes.ids.map(() => 1), depth: passes.depth && passes.depth.map((z) => (z === 2 ? 7.5 : 8)) };
  };
  const plan = prepareBlur({ width: W, height: H, ...asOne(0), previous: asOne(-1), next: asOne(1), path: 'auto', reachFrames: 1 });
  const wallLayer = plan.layers[plan.layers.length - 1],
    { x0, y0, width } = wallLayer.colourBox;
  expect(plan.layers).toHaveLength(2);
  let hidden = 0,
    boxLike = 0;
  for (let y = 22; y < 38; y++)
    for (let x = 44; x < 60; x++) {
      const k = ((y - y0) * width + x - x0) * 4;
      hidden++;
      if (wallLayer.colour[k + 2] < 0.15 && wallLayer.colour[k] > 0.85) boxLike++;
    }
  expect(hidden).toBe(256);
  expect(boxLike).toBe(0);
});

test('a hidden place is looked for where the other frame says that it comes from, not where its path is extrapolated to', () => {
  // The wall stretches: behind the box its way is not quite that of its nearest visible part.
  const stretched = (frames: number): BlurFramePasses => {
    const passes = frameAt(frames),
      { motion, rgba, ids } = passes;
    for (let i = 0; i < W * H; i++) {
      if (ids?.[i] !== 2) continue;
      const x = i % W,
        y = Math.floor(i / W),
        at0 = placeAtZero(x, frames);
      rgba.set(wall(at0, y), i * 4);
      motion.toNext.set([bump(at0), 0], i * 2);
      motion.toPrevious.set([-bump(at0), 0], i * 2);
    }
    return passes;
  };
  const plan = prepareBlur({
    width: W,
    height: H,
    ...stretched(0),
    previous: stretched(-1),
    next: stretched(1),
    path: 'auto',
    reachFrames: 1,
  });
  const layer = plan.layers[plan.layers.length - 1],
    { x0, y0, width } = layer.colourBox;
  let error = 0,
    seen = 0;
  for (let y = 22; y < 38; y++)
    for (let x = 40; x < 64; x++) {
      const k = (y - y0) * width + x - x0;
      if (layer.origins[k] !== SEEN) continue;
      seen++;
      error += Math.abs(layer.colour[k * 4] - wall(x, y)[0]);
    }
  expect(seen).toBeGreaterThan(150);
  // 0.045 without.
  expect(error / seen).toBeLessThan(0.02);
});

/** Pixels a frame, by place: slow at the sides, up to 3 in the middle. */
function bump(x: number): number {
  return 3 * Math.exp(-(((x - 52) / 8) ** 2));
}

/** Where the point was at frame 0 that is at x `frames` later: each keeps its pace. */
function placeAtZero(x: number, frames: number): number {
  let at = x;
  for (let step = 0; step < 30; step++) at = x - frames * bump(at);
  return at;
}
