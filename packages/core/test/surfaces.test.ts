import { emptyMotionField, type MotionField } from '../src';
import { orderSurfaces } from '../src/blur/surfaces/order';
import { boundsOf } from '../src/blur/surfaces/surface-bounds';
import { connectedPieces, surfacesOf } from '../src/blur/surfaces/surfaces';
import { trustedPixels } from '../src/blur/surfaces/trusted-pixels';
import { jumpOf, vectorsAgree } from '../src/blur/surfaces/vectors-agree';

const W = 40;
const H = 30;

interface Region {
  readonly x0: number;
  readonly x1: number;
  readonly id: number;
  readonly depth: number;
  readonly speed: number;
  readonly alpha?: number;
}

/** Upright bands of one surface each; what no band covers is empty. */
function bands(regions: readonly Region[]) {
  const rgba = new Float32Array(W * H * 4);
  const ids = new Float32Array(W * H);
  const depth = new Float32Array(W * H);
  const motion: MotionField = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  for (const region of regions) {
    for (let y = 0; y < H; y++) {
      for (let x = region.x0; x < region.x1; x++) {
        const i = y * W + x;
        rgba[i * 4 + 3] = region.alpha ?? 1;
        ids[i] = region.id;
        depth[i] = region.depth;
        motion.toNext[i * 2] = region.speed;
        motion.toPrevious[i * 2] = -region.speed;
      }
    }
  }
  const passes = { rgba, ids, depth, motion };
  return { ...passes, trusted: trustedPixels(passes) };
}

const at = (labels: { of: Int32Array }, x: number) => labels.of[10 * W + x];

test('each id is a surface, and where nothing is there is no surface', () => {
  const s = bands([
    { x0: 4, x1: 14, id: 7, depth: 3, speed: 5 },
    { x0: 14, x1: 30, id: 900000, depth: 4, speed: 0 },
  ]);
  const labels = surfacesOf(s, s.trusted);
  expect(labels.count).toBe(2);
  expect(at(labels, 5)).not.toBe(at(labels, 20));
  expect([at(labels, 2), at(labels, 35)]).toEqual([-1, -1]);
});

test('id 0 with full coverage is everything else: one surface of its own, its rim too', () => {
  const s = bands([
    { x0: 0, x1: 20, id: 0, depth: 9, speed: 0 },
    { x0: 20, x1: 40, id: 3, depth: 2, speed: 12 },
  ]);
  const labels = surfacesOf(s, s.trusted);
  expect(labels.count).toBe(2);
  expect(at(labels, 19)).toBe(at(labels, 0));
  expect(at(labels, 19)).not.toBe(at(labels, 20));
});

test('grazed pixels join the surface beside them, three rings deep and no deeper', () => {
  const s = bands([
    { x0: 10, x1: 20, id: 3, depth: 2, speed: 12 },
    { x0: 20, x1: 26, id: 0, depth: Infinity, speed: 0, alpha: 0.2 },
  ]);
  expect([...s.trusted.slice(10 * W + 18, 10 * W + 22)]).toEqual([1, 1, 0, 0]);
  const labels = surfacesOf(s, s.trusted);
  expect([20, 21, 22].map((x) => at(labels, x))).toEqual([20, 21, 22].map(() => at(labels, 15)));
  expect(at(labels, 24)).not.toBe(at(labels, 15));
});

test('without ids, a jump in depth or in motion parts two surfaces, and a slope does not', () => {
  const jump = bands([
    { x0: 0, x1: 20, id: 0, depth: 5, speed: 10 },
    { x0: 20, x1: 40, id: 0, depth: 6, speed: 10 },
  ]);
  expect(surfacesOf({ ...jump, ids: null }, jump.trusted)).toMatchObject({ count: 2, from: 'depth and motion' });
  expect(surfacesOf({ ...jump, ids: null, depth: null }, jump.trusted)).toMatchObject({ count: 1, from: 'one layer' });
  const faster = bands([
    { x0: 0, x1: 20, id: 0, depth: 5, speed: 10 },
    { x0: 20, x1: 40, id: 0, depth: 5, speed: 14 },
  ]);
  expect(surfacesOf({ ...faster, ids: null }, faster.trusted).count).toBe(2);
  const slope = bands(Array.from({ length: W }, (_, x) => ({ x0: x, x1: x + 1, id: 0, depth: 5 + 0.1 * x, speed: 10 + 0.5 * x })));
  expect(surfacesOf({ ...slope, ids: null }, slope.trusted).count).toBe(1);
});

test('specks join the neighbour that they touch most', () => {
  const s = bands([{ x0: 0, x1: 40, id: 0, depth: 5, speed: 10 }]);
  for (const i of [5 * W + 5, 5 * W + 6, 6 * W + 5]) s.depth[i] = 9;
  const labels = surfacesOf({ ...s, ids: null }, s.trusted);
  expect(labels.count).toBe(1);
  expect(new Set(labels.of).size).toBe(1);
});

test('islands of an object are one surface when the motion of one leads to the other, and two when they go their own ways', () => {
  const s = bands([
    { x0: 0, x1: 15, id: 4, depth: 9, speed: 3 },
    { x0: 15, x1: 25, id: 8, depth: 2, speed: 20 },
    { x0: 25, x1: 40, id: 4, depth: 9, speed: 3 },
  ]);
  const one = surfacesOf(s, s.trusted);
  expect(one.count).toBe(2);
  expect(at(one, 5)).toBe(at(one, 30));
  expect(surfacesOf({ ...s, ids: null }, s.trusted).count).toBe(2);
  for (let i = 0; i < W * H; i++) if (i % W >= 25) s.motion.toNext[i * 2] = -8;
  const two = surfacesOf(s, s.trusted);
  expect(two.count).toBe(3);
  expect(two.idOf[at(two, 5)]).toBe(4);
  expect(two.idOf[at(two, 30)]).toBe(4);
});

test('drops under one id that fly apart stay surfaces of their own', () => {
  const s = bands([]);
  for (let drop = 0; drop < 12; drop++) {
    for (const k of [0, 1, W, W + 1]) {
      const i = (4 + 7 * (drop % 3)) * W + 2 + 9 * Math.floor(drop / 3) + k;
      s.rgba[i * 4 + 3] = 1;
      s.ids[i] = 5;
      s.depth[i] = 3;
      s.motion.toNext.set([drop * 4, -drop * 3], i * 2);
      s.motion.toPrevious.set([-drop * 4, drop * 3], i * 2);
    }
  }
  expect(surfacesOf(s, trustedPixels(s)).count).toBeGreaterThanOrEqual(10);
});

test('a hundred ids are a hundred surfaces, and every covered pixel has one', () => {
  const s = bands([{ x0: 0, x1: 40, id: 1, depth: 5, speed: 10 }]);
  for (let i = 0; i < W * H; i++) s.ids[i] = 1 + Math.floor((i % W) / 4) + 10 * Math.floor(Math.floor(i / W) / 3);
  const surfaces = surfacesOf(s, s.trusted);
  expect(surfaces.count).toBe(100);
  expect(surfaces.of.every((surface) => surface >= 0 && surface < 100)).toBe(true);
});

test('what is nearer where two surfaces touch is in front, whatever their mean depths', () => {
  // A floor runs from near to far; a post stands on its far end, farther than the floor is in the mean.
  const s = bands([
    { x0: 0, x1: 40, id: 1, depth: 1, speed: 0 },
    { x0: 30, x1: 34, id: 2, depth: 62, speed: 0 },
  ]);
  for (let i = 0; i < W * H; i++) if (s.ids[i] === 1) s.depth[i] = 40 + 0.8 * (i % W);
  const surfaces = surfacesOf(s, s.trusted),
    [floor, post] = [at(surfaces, 5), at(surfaces, 31)];
  const { rank, from } = orderSurfaces(surfaces, s, s.trusted);
  expect(from).toBe('depth');
  expect(rank[post]).toBeLessThan(rank[floor]);
  // Without depth the faster one is taken for the nearer one.
  for (let i = 0; i < W * H; i++) if (s.ids[i] === 1) s.motion.toNext[i * 2] = 9;
  const bySpeed = orderSurfaces(surfaces, { ...s, depth: null }, s.trusted);
  expect(bySpeed.from).toBe('speed');
  expect(bySpeed.rank[floor]).toBeLessThan(bySpeed.rank[post]);
});

test.each([true, false])(
  'without depth what covers what in the neighbouring frames is in front, also when it is the slower one (next: %j)',
  (isNext) => {
    // A still post stands before a panel that slides behind it, 6 px a frame.
    const scene = (t: number) =>
      bands([
        { x0: 0, x1: W, id: 1, depth: 9, speed: 0 },
        { x0: 6 + 6 * t, x1: 19 + 6 * t, id: 2, depth: 5, speed: 6 },
        { x0: 20, x1: 26, id: 3, depth: 2, speed: 0 },
      ]);
    const now = { ...scene(0), depth: null },
      beside = { ...scene(isNext ? 1 : -1), depth: null };
    const surfaces = surfacesOf(now, now.trusted),
      { rank, from } = orderSurfaces(surfaces, { ...now, [isNext ? 'next' : 'previous']: beside }, now.trusted);
    if (isNext) {
      expect(from).toBe('neighbours');
      expect(rank[at(surfaces, 22)]).toBeLessThan(rank[at(surfaces, 10)]);
    }
    expect(rank[at(surfaces, 10)]).toBeLessThan(rank[at(surfaces, 35)]);
    // Where nothing covers anything the order is a guess as before.
    const alone = bands([
      { x0: 2, x1: 8, id: 2, depth: 5, speed: 6 },
      { x0: 30, x1: 36, id: 3, depth: 2, speed: 0 },
    ]);
    expect(orderSurfaces(surfacesOf(alone, alone.trusted), { ...alone, depth: null, next: alone }, alone.trusted).from).toBe('speed');
    // Mirrored vectors tell nothing.
    const mirrored = { ...beside, motion: { ...beside.motion, twoSided: false } };
    expect(orderSurfaces(surfaces, { ...now, next: mirrored }, now.trusted).from).toBe('speed');
  },
);

test('of surfaces that do not touch, the nearer in the mean is in front', () => {
  const s = bands([
    { x0: 2, x1: 10, id: 1, depth: 8, speed: 3 },
    { x0: 14, x1: 22, id: 2, depth: 2, speed: 3 },
    { x0: 26, x1: 34, id: 3, depth: 5, speed: 3 },
  ]);
  const surfaces = surfacesOf(s, s.trusted),
    { rank } = orderSurfaces(surfaces, s, s.trusted);
  expect([4, 16, 28].map((x) => rank[at(surfaces, x)])).toEqual([2, 0, 1]);
});

test('a floor that goes far back within few rows is one surface; a step is not', () => {
  const s = bands([{ x0: 0, x1: W, id: 1, depth: 1, speed: 0 }]);
  for (let i = 0; i < W * H; i++) s.depth[i] = 1 / (0.02 + 0.01 * Math.floor(i / W));
  expect(vectorsAgree(s.motion, s.depth, jumpOf(s.motion, s.trusted), 4 * W + 9, 5 * W + 9)).toBe(true);
  expect(surfacesOf({ ...s, ids: null }, s.trusted).count).toBe(1);
  // The same two depths, and nothing that slopes on either side.
  for (let i = 0; i < W * H; i++) s.depth[i] = i < 5 * W ? 1 / 0.06 : 1 / 0.07;
  expect(vectorsAgree(s.motion, s.depth, jumpOf(s.motion, s.trusted), 4 * W + 9, 5 * W + 9)).toBe(false);
  // Beside the picture's border nothing tells a slope.
  for (let i = 0; i < W * H; i++) s.depth[i] = 1 / (0.02 + 0.01 * Math.floor(i / W));
  expect(vectorsAgree(s.motion, s.depth, jumpOf(s.motion, s.trusted), 0, W)).toBe(false);
});

test('vectors that jump are of two surfaces, fast ones too; a steep slope, or coarse steps, are one', () => {
  const fast = (speed: (x: number) => number) => {
    const s = bands([{ x0: 0, x1: W, id: 1, depth: 5, speed: 0 }]);
    for (let i = 0; i < W * H; i++) {
      s.motion.toNext[i * 2] = speed(i % W);
      s.motion.toPrevious[i * 2] = -speed(i % W);
    }
    return surfacesOf(s, s.trusted).count;
  };
  // An arm before its own body, both at thirty pixels a frame: 15 % of the speed are 4.5.
  expect(fast((x) => 30 + 0.05 * x + (x < 18 ? 0 : 4.6))).toBe(2);
  expect(fast((x) => 30 + 0.05 * x + (x < 18 ? 0 : 1))).toBe(1);
  expect(fast((x) => 30 + 3 * x)).toBe(1);
  // Vectors of eight bits.
  expect(fast((x) => 2 * Math.round((30 + 0.3 * x) / 2))).toBe(1);
  // The same with half of the picture standing still.
  expect(fast((x) => (x < 18 ? 0 : 2 * Math.round((30 + 0.3 * x) / 2)))).toBe(2);
});

test('one place that says otherwise does not turn the order of what meets in many', () => {
  // A floor that comes near, a wheel at its far end, and a speck before the wheel.
  const s = bands([{ x0: 0, x1: W, id: 1, depth: 1, speed: 0 }]);
  for (let i = 0; i < W * H; i++) {
    const x = i % W,
      y = Math.floor(i / W);
    s.depth[i] = 1 / (0.5 - (0.39 * y) / (H - 1));
    if (y < H - 8 || y === H - 1 || x < 12 || x >= 24) continue;
    const isSpeck = x === 18 && y === H - 4;
    s.depth[i] *= isSpeck ? 0.8 : 0.9;
    s.ids[i] = isSpeck ? 3 : 2;
    s.motion.toNext[i * 2] = isSpeck ? 40 : 9;
  }
  const surfaces = surfacesOf(s, s.trusted),
    { rank } = orderSurfaces(surfaces, s, s.trusted);
  const rankAt = (x: number, y: number) => rank[surfaces.of[y * W + x]];
  expect([rankAt(18, H - 4), rankAt(14, H - 3), rankAt(4, 2)]).toEqual([0, 1, 2]);
});

test("a surface's box holds its first and last row and column, and its longest vector is of either side", () => {
  const s = bands([
    { x0: 4, x1: 14, id: 7, depth: 3, speed: 5 },
    { x0: 14, x1: 15, id: 9, depth: 4, speed: 0 },
  ]);
  s.motion.toPrevious[(12 * W + 6) * 2 + 1] = 12;
  const surfaces = surfacesOf(s, s.trusted),
    bounds = boundsOf({ ...s, width: W }, { ...surfaces, count: surfaces.count + 1 });
  expect(bounds[at(surfaces, 6)]).toEqual({ box: { x0: 4, y0: 0, width: 10, height: H }, longestPx: 13 });
  expect(bounds[at(surfaces, 14)]?.box).toEqual({ x0: 14, y0: 0, width: 1, height: H });
  expect(bounds[surfaces.count]).toBeUndefined();
});

test('a picture with nothing in it has no surface', () => {
  const s = bands([]);
  expect(surfacesOf(s, s.trusted)).toMatchObject({ count: 0, of: new Int32Array(W * H).fill(-1) });
  expect(surfacesOf({ ...s, ids: null }, s.trusted).count).toBe(0);
});

test('pieces are those of a flood fill over neighbours that agree', () => {
  // Blobs of two objects with steps in speed and depth, from a fixed sequence of numbers.
  let seed = 12345;
  const random = () => (seed = (seed * 1103515245 + 12345) % 2147483648) / 2147483648;
  const s = bands([{ x0: 0, x1: W, id: 1, depth: 5, speed: 0 }]);
  for (let blob = 0; blob < 26; blob++) {
    const [cx, cy, r] = [random() * W, random() * H, 2 + random() * 5],
      [id, speed, depth] = [1 + Math.floor(random() * 2), Math.floor(random() * 4) * 9, 5 + Math.floor(random() * 2)];
    for (let i = 0; i < W * H; i++) {
      if (Math.hypot((i % W) - cx, Math.floor(i / W) - cy) > r) continue;
      s.ids[i] = id;
      s.depth[i] = depth;
      s.motion.toNext[i * 2] = speed;
      s.rgba[i * 4 + 3] = blob % 7 === 0 ? 0 : 1;
    }
  }
  const expected = new Int32Array(W * H).fill(-1),
    jumpPx = jumpOf(s.motion, s.trusted);
  let pieces = 0;
  for (let start = 0; start < W * H; start++) {
    if (expected[start] >= 0 || s.rgba[start * 4 + 3] === 0) continue;
    const open = [start];
    expected[start] = pieces;
    for (let i = open.pop(); i !== undefined; i = open.pop()) {
      const x = i % W,
        here = i;
      for (const j of [x > 0 ? i - 1 : -1, x + 1 < W ? i + 1 : -1, i - W, i + W]) {
        if (j < 0 || j >= W * H || expected[j] >= 0 || s.rgba[j * 4 + 3] === 0) continue;
        if (s.ids[j] !== s.ids[here] || !vectorsAgree(s.motion, s.depth, jumpPx, here, j)) continue;
        expected[j] = pieces;
        open.push(j);
      }
    }
    pieces++;
  }
  const { of, count, sizes } = connectedPieces(s, s.trusted);
  expect(count).toBe(pieces);
  expect(pieces).toBeGreaterThan(12);
  // Numbered in the order in which they are met, as the fill does.
  expect(of).toEqual(expected);
  expect(sizes.reduce((a, b) => a + b)).toBe(expected.reduce((sum, p) => sum + (p < 0 ? 0 : 1), 0));
});
