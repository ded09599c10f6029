import { estimateMotion, proveMotion, type MotionField } from '../src';

/** Pictures that are moved by known amounts: smooth noise, looked up where each pixel comes from. */
const W = 192,
  H = 128,
  COUNT = W * H;

function noise(x: number, y: number): number {
  const wave = (a: number, b: number, c: number) => Math.sin(a * x + b * y + c);
  return 0.4 + 0.1 * (wave(0.31, 0.12, 1) + wave(-0.17, 0.41, 2) + wave(0.53, -0.37, 3) + wave(0.11, 0.71, 4));
}

/** `source` says which point of the noise a pixel shows. */
function picture(source: (x: number, y: number) => readonly [number, number]): Float32Array {
  const out = new Float32Array(COUNT * 4);
  for (let i = 0; i < COUNT; i++) {
    const v = noise(...source((i % W) + 0.5, Math.floor(i / W) + 0.5)) ** 2;
    out.set([v, v, v, 1], i * 4);
  }
  return out;
}

function errors({ toNext }: MotionField, truth: (x: number, y: number) => readonly [number, number] | null): number[] {
  const out: number[] = [];
  for (let i = 0; i < COUNT; i++) {
    const to = truth((i % W) + 0.5, Math.floor(i / W) + 0.5);
    if (to !== null) out.push(Math.hypot(toNext[i * 2] - to[0], toNext[i * 2 + 1] - to[1]));
  }
  return out.sort((a, b) => a - b);
}
const median = (sorted: readonly number[]) => sorted[sorted.length >> 1];

const shifted = (u: number, v: number) => picture((x, y) => [x - u, y - v]);

test('a picture that is shifted, both ways', () => {
  const pictures = { width: W, height: H, now: shifted(0, 0), next: shifted(3.4, -2.1), previous: shifted(-2.9, 2.5) };
  const { field, trust } = estimateMotion(pictures, null);
  expect(field.twoSided).toBe(true);
  const inside = (x: number, y: number) => x > 12 && y > 12 && x < W - 12 && y < H - 12;
  const off = errors(field, (x, y) => (inside(x, y) ? [3.4, -2.1] : null));
  expect(median(off)).toBeLessThan(0.05);
  expect(off[Math.floor(0.95 * off.length)]).toBeLessThan(0.3);
  const middle = (H / 2) * W + W / 2;
  expect(field.toPrevious[middle * 2]).toBeCloseTo(-2.9, 1);
  expect(trust[middle]).toBeGreaterThan(0.8);
  const proof = proveMotion(pictures, field);
  expect(proof?.after).toBeLessThan(0.1 * (proof?.before ?? 0));
});

/** A disc turns before a still ground; the angle it has come by. */
const DISC = { x: 96, y: 64, radius: 46 } as const;
function disc(angle: number): Float32Array {
  const c = Math.cos(angle),
    s = Math.sin(angle);
  return picture((x, y) => {
    const dx = x - DISC.x,
      dy = y - DISC.y;
    return Math.hypot(dx, dy) < DISC.radius ? [500 + c * dx + s * dy, 500 + c * dy - s * dx] : [x, y];
  });
}

test('a disc that turns by thirteen degrees a frame is found as one piece', () => {
  const turn = 0.23;
  const { field, trust } = estimateMotion({ width: W, height: H, now: disc(0), next: disc(turn), previous: disc(-turn) }, null);
  const truth = (x: number, y: number) => {
    const dx = x - DISC.x,
      dy = y - DISC.y,
      c = Math.cos(turn) - 1,
      s = Math.sin(turn);
    return Math.hypot(dx, dy) < DISC.radius - 4 ? ([c * dx - s * dy, s * dx + c * dy] as const) : null;
  };
  expect(median(errors(field, truth))).toBeLessThan(0.1);
  const ground = errors(field, (x, y) => (Math.hypot(x - DISC.x, y - DISC.y) > DISC.radius + 6 ? [0, 0] : null));
  expect(median(ground)).toBeLessThan(0.05);
  expect(trust[DISC.y * W + DISC.x + 20]).toBeGreaterThan(0.5);
});

/** A limb with stripes that repeat every 7 px, which swings about its end; nothing around it. */
const LIMB = { x: 50, y: 84, length: 112, width: 26 } as const;
function limb(angle: number): Float32Array {
  const out = new Float32Array(COUNT * 4),
    c = Math.cos(angle),
    s = Math.sin(angle);
  for (let i = 0; i < COUNT; i++) {
    const dx = (i % W) + 0.5 - LIMB.x,
      dy = Math.floor(i / W) + 0.5 - LIMB.y;
    const along = c * dx + s * dy,
      across = c * dy - s * dx;
    const e = ((along - LIMB.length / 2) / (LIMB.length / 2)) ** 2 + (across / (LIMB.width / 2)) ** 2;
    if (e > 1) continue;
    const v = (0.4 + 0.18 * Math.sin((2 * Math.PI * along) / 7) + 0.12 * Math.sin(along / 17) + 0.1 * Math.sin(across / 5)) ** 2;
    out.set([v, v, v, 1], i * 4);
  }
  return out;
}

test('a limb that swings by 15 degrees a frame and repeats along itself is found by turning it as a whole', () => {
  const turn = -0.26;
  const now = limb(0),
    coverage = Float32Array.from({ length: COUNT }, (_, i) => now[i * 4 + 3]);
  const { field } = estimateMotion({ width: W, height: H, now, next: limb(turn), previous: limb(-turn) }, coverage);
  const c = Math.cos(turn) - 1,
    s = Math.sin(turn);
  const truth = (x: number, y: number) => {
    const dx = x - LIMB.x,
      dy = y - LIMB.y;
    return coverage[Math.floor(y) * W + Math.floor(x)] === 1 ? ([c * dx - s * dy, s * dx + c * dy] as const) : null;
  };
  const off = errors(field, truth);
  expect(median(off)).toBeLessThan(0.2);
  expect(off[Math.floor(0.9 * off.length)]).toBeLessThan(1);
});

test('with one neighbour the way is mirrored; without coverage there is none, without texture no trust', () => {
  const now = shifted(0, 0),
    next = shifted(2, 0);
  // A grey band says nothing.
  for (const p of [now, next]) for (let i = 60 * W; i < 84 * W; i++) p.set([0.2, 0.2, 0.2, 1], i * 4);
  const coverage = Float32Array.from({ length: COUNT }, (_, i) => (i % W < 40 ? 0 : 1));
  const { field, trust } = estimateMotion({ width: W, height: H, now, next, previous: null }, coverage);
  expect(field.twoSided).toBe(false);
  const at = 30 * W + 100;
  expect(field.toPrevious[at * 2]).toBe(-field.toNext[at * 2]);
  expect(field.toNext[at * 2]).toBeCloseTo(2, 1);
  expect(trust[at]).toBeLessThanOrEqual(0.5);
  expect([field.valid[30 * W + 10], trust[30 * W + 10]]).toEqual([0, 0]);
  const blank = 72 * W + 100;
  expect(trust[blank]).toBe(0);
  // Carried on from around.
  expect(field.valid[blank]).toBe(1);
  expect(Math.abs(field.toNext[blank * 2] - 2)).toBeLessThan(0.5);
});
