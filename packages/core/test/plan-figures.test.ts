import { loadKernels } from '../../kernels/test/kernels';
import {
  emptyMotionField,
  HIDDEN_MADE_UP,
  limitSpeeds,
  pathBends,
  pathLengths,
  PIXELS_PER_SLICE,
  prepareBlur,
  reducePasses,
  renderRows,
  reuseMemory,
  samplePath,
  sharedMemoryOf,
  type BlurInput,
  type BlurPlan,
  type Shutter,
} from '../src';

const W = 96,
  H = 96,
  MIDDLE = 48,
  RADIUS = 36,
  TURN = 0.5;

/** A disc that turns by TURN radians a frame about the picture's middle, over nothing. */
function wheel(): BlurInput {
  const rgba = new Float32Array(W * H * 4),
    ids = new Float32Array(W * H),
    motion = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  for (let i = 0; i < W * H; i++) {
    const dx = (i % W) + 0.5 - MIDDLE,
      dy = Math.floor(i / W) + 0.5 - MIDDLE;
    if (Math.hypot(dx, dy) > RADIUS) continue;
    rgba.set([0.5 + 0.4 * Math.sin(dx), 0.5, 0.5 + 0.4 * Math.cos(dy), 1], i * 4);
    ids[i] = 1;
    const turned = (angle: number) => [Math.cos(angle) * dx - Math.sin(angle) * dy - dx, Math.sin(angle) * dx + Math.cos(angle) * dy - dy];
    motion.toNext.set(turned(TURN), i * 2);
    motion.toPrevious.set(turned(-TURN), i * 2);
  }
  return { width: W, height: H, rgba, motion, depth: null, ids, path: 'auto', reachFrames: 1 };
}

const WHOLE: Shutter = { opens: -0.5, closes: 0.5, strength: 1 };

test('paths of a turning disc are its circles: places, lengths and how far they bend', () => {
  const plan = prepareBlur(wheel());
  const [x, y] = [70, 50],
    [dx, dy] = [x + 0.5 - MIDDLE, y + 0.5 - MIDDLE],
    r = Math.hypot(dx, dy);
  const path = samplePath(plan, x, y, [-0.5, 0, 0.25, 1]);
  if (path === null) throw new Error('there is a layer');
  [-0.5, 0, 0.25, 1].forEach((t, k) => {
    const a = TURN * t;
    expect(path[k * 2] + 0.5 - MIDDLE).toBeCloseTo(Math.cos(a) * dx - Math.sin(a) * dy, 2);
    expect(path[k * 2 + 1] + 0.5 - MIDDLE).toBeCloseTo(Math.sin(a) * dx + Math.cos(a) * dy, 2);
  });
  expect(pathLengths(plan, WHOLE)[y * W + x]).toBeCloseTo(r * TURN, 1);
  // The sagitta of the arc.
  expect(pathBends(plan, WHOLE)[y * W + x]).toBeCloseTo(r * (1 - Math.cos(TURN / 2)), 2);
  const straight = prepareBlur({ ...wheel(), path: 'straight' });
  expect(Math.max(...pathBends(straight, WHOLE))).toBeLessThan(1e-3);
  expect(Math.max(...pathLengths(plan, { ...WHOLE, strength: 0 }))).toBe(0);
});

test('a wheel takes the slices of its rim, although the paths around it are carried on ever faster', async () => {
  const plan = prepareBlur(wheel()),
    session = (await loadKernels()).openSlices(plan.layers);
  const out = new Float32Array(W * H * 4);
  const slices = renderRows(plan, session, { shutter: WHOLE, quality: 'final', samples: 'auto' }, 0, H, out);
  session.close();
  const needed = (RADIUS * TURN) / PIXELS_PER_SLICE.final;
  expect(slices).toBeGreaterThanOrEqual(Math.floor(needed));
  expect(slices).toBeLessThanOrEqual(Math.ceil(1.1 * needed));
});

test('where the picture is empty there is neither layer nor path', () => {
  const plan = prepareBlur(wheel());
  expect(plan.layerOf[0]).toBe(0);
  expect(samplePath(plan, 0, 0, [0.1])).toBeNull();
  expect(plan.layerOf[MIDDLE * W + MIDDLE]).toBe(1);
  expect(plan.hidden.some((bits) => (bits & HIDDEN_MADE_UP) !== 0)).toBe(false);
});

async function render(plan: BlurPlan, strength = 1): Promise<Float32Array> {
  const kernels = await loadKernels();
  const out = new Float32Array(plan.width * plan.height * 4),
    session = kernels.openSlices(plan.layers);
  renderRows(plan, session, { shutter: { ...WHOLE, strength }, quality: 'final', samples: 24 }, 0, plan.height, out);
  session.close();
  return out;
}

/** Everything goes 12 px a frame to the right. */
function slab(speed: number): BlurInput {
  const input = wheel();
  for (let i = 0; i < W * H; i++) {
    input.motion.toNext.set(input.rgba[i * 4 + 3] > 0 ? [speed, 0] : [0, 0], i * 2);
    input.motion.toPrevious.set(input.rgba[i * 4 + 3] > 0 ? [-speed, 0] : [0, 0], i * 2);
  }
  return input;
}

const largest = (a: Float32Array, b: Float32Array) => a.reduce((worst, v, i) => Math.max(worst, Math.abs(v - b[i])), 0);

test('a ceiling blurs as if all went that fast, a floor above everything leaves the picture as it is to the bit', async () => {
  const plan = prepareBlur(slab(12));
  const none = { floorPx: null, ceilingPx: null };
  expect(limitSpeeds(plan, none)).toBe(plan);
  const halved = await render(limitSpeeds(plan, { ...none, ceilingPx: 6 }));
  expect(largest(halved, await render(plan, 0.5))).toBeLessThan(1e-5);
  expect(largest(halved, await render(plan))).toBeGreaterThan(0.05);
  expect(largest(await render(limitSpeeds(plan, { floorPx: 12.5, ceilingPx: null })), plan.sharp)).toBe(0);
  expect(largest(await render(limitSpeeds(plan, { floorPx: 0.5, ceilingPx: 50 })), await render(plan))).toBeLessThan(1e-6);
});

test('a floor leaves the middle of a wheel sharp and its rim blurred', async () => {
  const plan = prepareBlur(wheel());
  const limited = await render(limitSpeeds(plan, { floorPx: 6, ceilingPx: null }));
  const change = (picture: Float32Array, x: number) => Math.abs(picture[(MIDDLE * W + x) * 4] - plan.sharp[(MIDDLE * W + x) * 4]);
  // 6 px a frame is 12 px from the middle.
  for (const x of [MIDDLE - 8, MIDDLE + 3, MIDDLE + 9]) expect(change(limited, x)).toBeLessThan(1e-6);
  const full = await render(plan);
  for (const x of [MIDDLE + 26, MIDDLE - 30])
    expect(Math.abs(limited[(MIDDLE * W + x) * 4] - full[(MIDDLE * W + x) * 4])).toBeLessThan(1e-5);
});

test('passes at a third of their size: colour is the mean, data are one pixel of it, vectors a third as long', () => {
  const { rgba, motion, ids } = wheel();
  const depth = Float32Array.from({ length: W * H }, (_, i) => i);
  const small = reducePasses({ rgba, motion, depth, ids }, 3);
  expect([small.motion.width, small.motion.height, small.rgba.length]).toEqual([32, 32, 32 * 32 * 4]);
  const [x, y] = [20, 11],
    i = y * 32 + x,
    from = (y * 3 + 1) * W + x * 3 + 1;
  expect(small.depth?.[i]).toBe(from);
  expect(small.ids?.[i]).toBe(1);
  expect(small.motion.toNext[i * 2]).toBeCloseTo(motion.toNext[from * 2] / 3, 6);
  let sum = 0;
  for (let dy = 0; dy < 3; dy++) for (let dx = 0; dx < 3; dx++) sum += rgba[((y * 3 + dy) * W + x * 3 + dx) * 4];
  expect(small.rgba[i * 4]).toBeCloseTo(sum / 9, 6);
  // What does not divide keeps its last pixels.
  expect(reducePasses({ rgba, motion, depth, ids }, 5).motion.width).toBe(20);
});

test('a plan made in the memory of another one is the same plan', async () => {
  const fresh = prepareBlur(wheel()),
    expected = await render(fresh);
  const other = prepareBlur(slab(12)),
    memory = sharedMemoryOf(other);
  expect(memory.length).toBeGreaterThanOrEqual(4);
  for (const buffer of memory) new Uint8Array(buffer).fill(255);
  reuseMemory(memory);
  const again = prepareBlur(wheel());
  expect(sharedMemoryOf(again).some((buffer) => memory.includes(buffer))).toBe(true);
  expect(await render(again)).toEqual(expected);
  expect(again.hidden).toEqual(fresh.hidden);
  expect(again.layerOf).toEqual(fresh.layerOf);
  reuseMemory([]);
});
