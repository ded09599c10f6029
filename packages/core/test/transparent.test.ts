import { loadKernels } from '../../kernels/test/kernels';
import { comparePictures, emptyMotionField, prepareBlur, renderRows, type BlurFramePasses, type BlurInput, type BlurPlan } from '../src';

const W = 128,
  H = 88,
  GRID = 3,
  GLASS = 0.4,
  SPEED = 17;

type Rgba = readonly [number, number, number, number];
const NOTHING: Rgba = [0, 0, 0, 0];

/** A pane that stands still and a buoy that passes behind it, seen above and below it too. */
function glassAt(x: number, y: number): Rgba {
  if (x < 24 || x > 104 || y < 32 || y > 58) return NOTHING;
  const light = 0.6 + 0.3 * Math.sin(x * 0.35) * Math.cos(y * 0.28);
  return [0.1 * light * GLASS, 0.9 * light * GLASS, 0.8 * light * GLASS, GLASS];
}

function buoyAt(x: number, y: number, t: number): Rgba {
  const u = x - 58 - SPEED * t,
    v = y - 44;
  if (Math.hypot(u, v) > 19) return NOTHING;
  const light = 0.55 + 0.4 * Math.sin(u * 0.4 + 1) * Math.sin(v * 0.33);
  return [0.9 * light, 0.35 * light, 0.15 * light, 1];
}

/** Mean over a grid of points in each pixel. `glass` false: what is behind it, alone. */
function picture(t: number, glass = true): Float32Array {
  const out = new Float32Array(W * H * 4);
  for (let i = 0; i < W * H; i++) {
    for (let s = 0; s < GRID * GRID; s++) {
      const x = (i % W) + ((s % GRID) + 0.5) / GRID,
        y = Math.floor(i / W) + (Math.floor(s / GRID) + 0.5) / GRID;
      const front = glass ? glassAt(x, y) : NOTHING,
        behind = buoyAt(x, y, t);
      for (let c = 0; c < 4; c++) out[i * 4 + c] += (front[c] + (1 - front[3]) * behind[c]) / (GRID * GRID);
    }
  }
  return out;
}

function frameAt(t: number): BlurFramePasses {
  const motion = emptyMotionField(W, H, true),
    depth = new Float32Array(W * H),
    ids = new Float32Array(W * H);
  for (let i = 0; i < W * H; i++) {
    const x = (i % W) + 0.5,
      y = Math.floor(i / W) + 0.5;
    const id = glassAt(x, y)[3] > 0 ? 1 : buoyAt(x, y, t)[3] > 0 ? 2 : 0;
    if (id === 0) continue;
    motion.valid[i] = 1;
    ids[i] = id;
    depth[i] = id === 1 ? 4 : 9;
    motion.toNext[i * 2] = id === 1 ? 0 : SPEED;
    motion.toPrevious[i * 2] = id === 1 ? 0 : -SPEED;
  }
  return { rgba: picture(t), motion, depth, ids };
}

const scene = (more: Partial<BlurInput> = {}): BlurInput => ({
  width: W,
  height: H,
  ...frameAt(0),
  previous: frameAt(-1),
  next: frameAt(1),
  path: 'auto',
  reachFrames: 1,
  ...more,
});

async function blur(plan: BlurPlan, strength = 1): Promise<Float32Array> {
  const kernels = await loadKernels();
  const session = kernels.openSlices(plan.layers),
    out = new Float32Array(W * H * 4);
  renderRows(plan, session, { shutter: { opens: -0.25, closes: 0.25, strength }, quality: 'final', samples: 'auto' }, 0, H, out);
  session.close();
  return out;
}

/** What a layer of the plan shows at a pixel. */
function shown({ layers }: BlurPlan, layer: number, x: number, y: number): number[] {
  const { colourBox: box, colour } = layers[layer];
  const k = ((y - box.y0) * box.width + x - box.x0) * 4;
  return x < box.x0 || y < box.y0 || x >= box.x0 + box.width || y >= box.y0 + box.height
    ? [0, 0, 0, 0]
    : Array.from(colour.subarray(k, k + 4));
}

test('what shows through glass is taken off it and drawn by its own surface', () => {
  const plan = prepareBlur(scene());
  const behind = picture(0, false);
  let under = 0,
    worst = 0,
    sum = 0,
    values = 0;
  const differ = (a: number, b: number) => {
    worst = Math.max(worst, Math.abs(a - b));
    sum += Math.abs(a - b);
    values++;
  };
  for (let y = 36; y < 55; y++) {
    for (let x = 28; x < 101; x++) {
      // Edges of the buoy are between.
      const distance = Math.hypot(x + 0.5 - 58, y + 0.5 - 44);
      if (Math.abs(distance - 19) < 2) continue;
      const glass = shown(plan, 0, x, y);
      expect(Math.abs(glass[3] - GLASS)).toBeLessThan(0.03);
      for (let c = 0; c < 3; c++) differ(glass[c], glassAt(x + 0.5, y + 0.5)[c]);
      if (distance < 17) {
        under++;
        const buoy = shown(plan, 1, x, y);
        for (let c = 0; c < 4; c++) differ(buoy[c], behind[(y * W + x) * 4 + c]);
      } else if (distance > 22) expect(shown(plan, 1, x, y)[3]).toBe(0);
    }
  }
  expect(under).toBeGreaterThan(400);
  // The glass's own colour in the buoy's middle is filled in: no frame shows it uncovered.
  expect(worst).toBeLessThan(0.1);
  expect(sum / values).toBeLessThan(0.012);
});

test('the blur behind glass is as near to the truth as one in front of it, and far from what one vector a pixel gives', async () => {
  const truth = new Float32Array(W * H * 4),
    moments = 64;
  for (let k = 0; k < moments; k++) picture(-0.25 + (k + 0.5) / (2 * moments)).forEach((v, i) => (truth[i] += v / moments));
  const db = async (more: Partial<BlurInput>) => {
    const input = scene(more);
    return comparePictures(await blur(prepareBlur(input)), truth, W, H, input.rgba).maskedPsnr ?? 0;
  };
  const taken = await db({}),
    left = await db({ steps: { through: false } });
  expect(taken).toBeGreaterThan(34);
  expect(taken).toBeGreaterThan(left + 6);
  // A single frame knows the coverage too, though not the glass's own colour where it is covered.
  expect(await db({ previous: null, next: null })).toBeGreaterThan(left + 1);
});

test('nothing changes where nothing moves, and neither soft nor opaque things are glass', async () => {
  const input = scene(),
    still = await blur(prepareBlur(input), 0);
  expect(still).toEqual(input.rgba);
  const plan = (alpha: (d: number) => number) => {
    const passes = frameAt(0);
    for (let i = 0; i < W * H; i++) {
      const a = passes.ids?.[i] === 0 ? 0 : alpha(Math.hypot((i % W) - 64, Math.floor(i / W) - 42));
      passes.rgba.set([0.5 * a, 0.4 * a, 0.3 * a, a], i * 4);
      if (passes.ids !== null) passes.ids[i] = Math.min(1, passes.ids[i]);
    }
    return [undefined, false].map((through) =>
      prepareBlur({ ...scene(), ...passes, previous: null, next: null, ...(through === undefined ? {} : { steps: { through } }) }),
    );
  };
  for (const alpha of [() => 1, (d: number) => Math.max(0.02, 1 - d / 50)]) {
    const [with_, without] = plan(alpha);
    expect(with_.layers.map((l) => l.colour)).toEqual(without.layers.map((l) => l.colour));
  }
});
