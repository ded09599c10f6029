import { emptyMotionField, type MotionField } from '../src';
import { labelsFromGeometry, labelsFromIds, oneLabel, trustedPixels } from '../src/blur/labels';

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
  const trusted = trustedPixels(rgba, motion, depth, ids);
  return { rgba, ids, depth, motion, trusted };
}

const at = (labels: { of: Int32Array }, x: number) => labels.of[10 * W + x];

test('each id is a surface, and where nothing is there is no surface', () => {
  const s = bands([
    { x0: 4, x1: 14, id: 7, depth: 3, speed: 5 },
    { x0: 14, x1: 30, id: 900000, depth: 4, speed: 0 },
  ]);
  const labels = labelsFromIds(s.ids, s.rgba, s.trusted, W, H);
  expect(labels.count).toBe(2);
  expect(at(labels, 5)).not.toBe(at(labels, 20));
  expect([at(labels, 2), at(labels, 35)]).toEqual([-1, -1]);
});

test('id 0 with full coverage is everything else: one surface of its own, its rim too', () => {
  const s = bands([
    { x0: 0, x1: 20, id: 0, depth: 9, speed: 0 },
    { x0: 20, x1: 40, id: 3, depth: 2, speed: 12 },
  ]);
  const labels = labelsFromIds(s.ids, s.rgba, s.trusted, W, H);
  expect(labels.count).toBe(2);
  expect(at(labels, 19)).toBe(at(labels, 0));
  expect(at(labels, 19)).not.toBe(at(labels, 20));
});

test('grazed pixels join the surface beside them, three rings deep and no deeper', () => {
  const s = bands([
    { x0: 10, x1: 20, id: 3, depth: 2, speed: 12 },
    { x0: 20, x1: 26, id: 0, depth: 0, speed: 0, alpha: 0.2 },
  ]);
  expect([...s.trusted.slice(10 * W + 18, 10 * W + 22)]).toEqual([1, 1, 0, 0]);
  const labels = labelsFromIds(s.ids, s.rgba, s.trusted, W, H);
  expect([20, 21, 22].map((x) => at(labels, x))).toEqual([20, 21, 22].map(() => at(labels, 15)));
  expect(at(labels, 24)).not.toBe(at(labels, 15));
});

test('without ids, a jump in depth or in motion parts two surfaces, and a slope does not', () => {
  const jump = bands([
    { x0: 0, x1: 20, id: 0, depth: 5, speed: 10 },
    { x0: 20, x1: 40, id: 0, depth: 6, speed: 10 },
  ]);
  expect(labelsFromGeometry(jump.motion, jump.depth, jump.rgba, jump.trusted)).toMatchObject({ count: 2, from: 'depth and motion' });
  expect(labelsFromGeometry(jump.motion, null, jump.rgba, jump.trusted)).toMatchObject({ count: 1, from: 'motion' });
  const faster = bands([
    { x0: 0, x1: 20, id: 0, depth: 5, speed: 10 },
    { x0: 20, x1: 40, id: 0, depth: 5, speed: 14 },
  ]);
  expect(labelsFromGeometry(faster.motion, faster.depth, faster.rgba, faster.trusted).count).toBe(2);
  const slope = bands(Array.from({ length: W }, (_, x) => ({ x0: x, x1: x + 1, id: 0, depth: 5 + 0.1 * x, speed: 10 + 0.5 * x })));
  expect(labelsFromGeometry(slope.motion, slope.depth, slope.rgba, slope.trusted).count).toBe(1);
});

test('specks join the neighbour that they touch most', () => {
  const s = bands([{ x0: 0, x1: 40, id: 0, depth: 5, speed: 10 }]);
  for (const i of [5 * W + 5, 5 * W + 6, 6 * W + 5]) s.depth[i] = 9;
  const labels = labelsFromGeometry(s.motion, s.depth, s.rgba, s.trusted);
  expect(labels.count).toBe(1);
  expect(new Set(labels.of).size).toBe(1);
});

test('a hundred ids are joined to at most 48 surfaces, and every covered pixel keeps one', () => {
  const s = bands([{ x0: 0, x1: 40, id: 1, depth: 5, speed: 10 }]);
  for (let i = 0; i < W * H; i++) s.ids[i] = 1 + Math.floor((i % W) / 4) + 10 * Math.floor(Math.floor(i / W) / 3);
  const labels = labelsFromIds(s.ids, s.rgba, s.trusted, W, H);
  expect(labels.count).toBe(48);
  for (const label of labels.of) {
    expect(label).toBeGreaterThanOrEqual(0);
    expect(label).toBeLessThan(48);
  }
});

test('a picture with nothing in it has no covered pixel', () => {
  const s = bands([]);
  expect(new Set(oneLabel(s.rgba).of)).toEqual(new Set([-1]));
  expect(labelsFromIds(s.ids, s.rgba, s.trusted, W, H).count).toBe(0);
  expect(labelsFromGeometry(s.motion, s.depth, s.rgba, s.trusted).count).toBe(0);
});
