import type { Kernels } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import {
  emptyMotionField,
  layersOfRows,
  prepareBlur,
  renderRows,
  sliceCount,
  sliceTimes,
  type ApplySettings,
  type BlurInput,
  type BlurPlan,
  type Shutter,
} from '../src';

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const W = 150;
const H = 90;

/** Two discs over nothing: one rushes down right, one turns, each with a lamp that is `light` times as bright. Not a multiple of the tile's size on purpose. */
function discs(light = 1): BlurInput {
  const rgba = new Float32Array(W * H * 4);
  const ids = new Float32Array(W * H);
  const depth = new Float32Array(W * H);
  const motion = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  const discs = [
    { x: 50, y: 40, r: 22, id: 1, z: 4, move: () => [26, 9] },
    { x: 95, y: 45, r: 28, id: 2, z: 6, move: (dx: number, dy: number) => [-0.4 * dy, 0.4 * dx] },
  ];
  for (const disc of [...discs].reverse()) {
    for (let i = 0; i < W * H; i++) {
      const dx = (i % W) + 0.5 - disc.x;
      const dy = Math.floor(i / W) + 0.5 - disc.y;
      const alpha = Math.min(1, Math.max(0, disc.r - Math.hypot(dx, dy)));
      if (alpha === 0) continue;
      const [vx, vy] = disc.move(dx, dy);
      const lamp = Math.hypot(dx - 6, dy - 9) < 1.5 ? light : 1;
      rgba.set([0.8 * alpha * lamp, (0.5 + 0.5 * Math.sin(dx)) * alpha, 0.2 * alpha, alpha], i * 4);
      ids[i] = disc.id;
      depth[i] = disc.z;
      motion.toNext.set([vx, vy], i * 2);
      motion.toPrevious.set([-vx, -vy], i * 2);
    }
  }
  return { width: W, height: H, rgba, motion, depth, ids, path: 'auto', reachFrames: 0.5 };
}

const CENTRED: Shutter = { opens: -0.25, closes: 0.25, strength: 1 };
const FINAL: ApplySettings = { shutter: CENTRED, quality: 'final', samples: 'auto' };

function render(plan: BlurPlan, settings: ApplySettings, bands: readonly (readonly [number, number])[] = [[0, H]]): Float32Array {
  const out = new Float32Array(W * H * 4).fill(NaN);
  const session = kernels.openSlices(plan.layers);
  for (const [from, to] of bands) renderRows(plan, session, settings, from, to, out.subarray(from * W * 4, to * W * 4));
  session.close();
  return out;
}

const largest = (a: Float32Array, b: Float32Array) => a.reduce((worst, v, i) => Math.max(worst, Math.abs(v - b[i])), 0);

test('bands make the same picture as the whole, wherever they are cut', () => {
  const plan = prepareBlur(discs(50));
  const whole = render(plan, FINAL);
  expect(whole.some(Number.isNaN)).toBe(false);
  for (const cuts of [
    [32, 64],
    [7, 31, 33, 80],
    [1, 89],
  ]) {
    const edges = [0, ...cuts, H];
    expect(
      largest(
        render(
          plan,
          FINAL,
          edges.slice(1).map((to, i) => [edges[i], to] as const),
        ),
        whole,
      ),
    ).toBe(0);
  }
});

test('a renderer that holds only what its rows can show makes the same picture to the bit', () => {
  const plan = prepareBlur(discs(50));
  const whole = render(plan, FINAL);
  const edges = [0, 32, 64, H];
  for (let k = 1; k < edges.length; k++) {
    const [from, to] = [edges[k - 1], edges[k]];
    const layers = layersOfRows(plan, CENTRED, from, to);
    const floats = (list: readonly { colour: Float32Array }[]) => list.reduce((sum, { colour }) => sum + colour.length, 0);
    if (from === 0) expect(floats(layers)).toBeLessThan(floats(plan.layers));
    const session = kernels.openSlices(layers),
      out = new Float32Array((to - from) * W * 4);
    renderRows(plan, session, FINAL, from, to, out);
    session.close();
    expect(largest(out, whole.subarray(from * W * 4, to * W * 4))).toBe(0);
  }
});

describe('a highlight of 2 x 2 pixels', () => {
  /** On a plane of even light that goes right and down. */
  function lamp(light: number, around: number, alpha: number): BlurInput {
    const rgba = new Float32Array(W * H * 4),
      motion = emptyMotionField(W, H, true);
    motion.valid.fill(1);
    for (let i = 0; i < W * H; i++) {
      const isLamp = Math.abs((i % W) - 75.5) < 1 && Math.abs(Math.floor(i / W) - 45.5) < 1;
      const v = isLamp ? light : around;
      rgba.set([v, 2 * v, v / 4, isLamp ? 1 : alpha], i * 4);
      motion.toNext.set([13.3, 7.1], i * 2);
      motion.toPrevious.set([-13.3, -7.1], i * 2);
    }
    return { width: W, height: H, rgba, motion, depth: null, ids: null, path: 'auto', reachFrames: 0.5 };
  }

  test.each([
    [100, 0, 0],
    [10, 0, 0],
    [100, 0.5, 1],
    [10, 0.02, 1],
    [3, 0, 1],
  ])('of %d on %d (alpha %d) takes no light from beside it, and keeps its own', (light, around, alpha) => {
    const out = render(prepareBlur(lamp(light, around, alpha)), FINAL);
    let least = Infinity,
      sum = 0;
    for (let y = 20; y < 70; y++)
      for (let x = 40; x < 110; x++) {
        const v = out[(y * W + x) * 4];
        least = Math.min(least, v);
        sum += v - around;
      }
    // A plane's own ringing around a lamp that is no highlight is a few hundredths.
    expect(least).toBeGreaterThan(around === 0 ? -1e-6 : around - 0.02);
    expect(sum / (4 * (light - around))).toBeGreaterThan(0.98);
    expect(sum / (4 * (light - around))).toBeLessThan(1.05);
  });

  test('light below zero stays as it is stored', () => {
    const out = render(prepareBlur(lamp(-3, 0.1, 1)), FINAL);
    expect(out.some((v, i) => i % 4 === 0 && v < -0.2)).toBe(true);
  });
});

test("leaving out what can't show in a tile changes nothing: every surface in every tile gives the same", () => {
  const plan = prepareBlur(discs());
  const fixed: ApplySettings = { ...FINAL, samples: 24 };
  const all = new Float32Array(W * H * 4);
  const session = kernels.openSlices(plan.layers);
  const { times, weights } = sliceTimes(CENTRED, 24);
  session.render(
    { layers: plan.layers.map((_, i) => i), times, weights, path: plan.path, filter: 'cubic', box: { x0: 0, y0: 0, width: W, height: H } },
    all,
    0,
    W * 4,
  );
  session.close();
  for (let i = 0; i < all.length; i += 4) {
    const alpha = all[i + 3];
    if (alpha > 1) for (let c = 0; c < 3; c++) all[i + c] /= alpha;
    all[i + 3] = Math.min(1, Math.max(0, alpha));
  }
  expect(largest(render(plan, fixed), all)).toBeLessThan(1e-6);
});

test('a longer reach than needed changes nothing that is seen', () => {
  const near = render(prepareBlur(discs()), FINAL);
  const far = render(prepareBlur({ ...discs(), reachFrames: 2 }), FINAL);
  expect(largest(near, far)).toBeLessThan(0.02);
});

test('slices follow the travel: 1.2 px each at most, one where nothing moves, fewer in a draft, as told when fixed', () => {
  expect([0, 1.2, 1.3, 12, 120].map((px) => sliceCount(px, FINAL))).toEqual([1, 1, 2, 10, 100]);
  expect(sliceCount(1e6, FINAL)).toBe(512);
  expect(sliceCount(120, { ...FINAL, quality: 'draft' })).toBe(24);
  expect(sliceCount(120, { ...FINAL, samples: 7 })).toBe(7);
  expect(sliceCount(120, { ...FINAL, samples: 300, quality: 'draft' })).toBe(24);
});

test('automatic samples are as good as four times as many', () => {
  const plan = prepareBlur(discs());
  expect(largest(render(plan, FINAL), render(plan, { ...FINAL, samples: 128 }))).toBeLessThan(0.035);
});

test('a draft is near the exact picture, and few slices show copies', () => {
  const plan = prepareBlur(discs());
  const exact = render(plan, FINAL);
  const rms = (p: Float32Array) => Math.sqrt(p.reduce((sum, v, i) => sum + (v - exact[i]) ** 2, 0) / p.length);
  const draft = rms(render(plan, { ...FINAL, quality: 'draft' }));
  expect(draft).toBeLessThan(0.012);
  expect(rms(render(plan, { ...FINAL, samples: 2 }))).toBeGreaterThan(2 * draft);
});

test('turned around in time, a centred shutter gives the same picture, and strength 2 is twice the shutter', () => {
  const plan = prepareBlur({ ...discs(), reachFrames: 1 });
  expect(largest(render(plan, { ...FINAL, shutter: { opens: -0.25, closes: 0.25, strength: -1 } }), render(plan, FINAL))).toBeLessThan(
    1e-5,
  );
  const doubled = render(plan, { ...FINAL, shutter: { ...CENTRED, strength: 2 }, samples: 64 });
  expect(largest(doubled, render(plan, { ...FINAL, shutter: { opens: -0.5, closes: 0.5, strength: 1 }, samples: 64 }))).toBeLessThan(1e-5);
});
