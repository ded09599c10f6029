import { completeMotion } from '../src/blur/paths/complete-motion';
import { emptyMotionField, type MotionField } from '../src';

const width = 40,
  height = 12;

/** A block of 10 x 6 whose left edge is at x, with this way to the next frame; `turn` adds a gradient along x. */
function frame(x: number, toNext: number, turn = 0) {
  const motion: MotionField = { ...emptyMotionField(width, height, false) },
    ids = new Float32Array(width * height);
  for (let py = 3; py < 9; py++)
    for (let px = x; px < x + 10; px++) {
      const i = py * width + px;
      motion.valid[i] = 1;
      ids[i] = 1;
      motion.toNext[i * 2] = toNext + turn * (px - x);
      motion.toPrevious[i * 2] = -motion.toNext[i * 2];
    }
  return { motion, ids, depth: null };
}
const at = (field: MotionField, x: number, y = 5) => field.toPrevious[(y * width + x) * 2];

test('where a pass has one way only, the frame before tells the way back', () => {
  // It went 4 pixels to here and goes 8 on.
  const before = frame(6, 4),
    now = frame(10, 8);
  const whole = completeMotion(now, before);
  expect(whole.twoSided).toBe(true);
  expect(at(whole, 14)).toBe(-4);
  // What was given stays as it was.
  expect(now.motion.twoSided).toBe(false);
  expect(at(now.motion, 14)).toBe(-8);
});

test('the way back is that of the same point, also where motion differs along the object', () => {
  const before = frame(6, 4, 0.1),
    whole = completeMotion(frame(10, 8, 0.1), before);
  // The point that is at x now was at s with s + 4 + 0.1 (s - 6) = x.
  const s = (14 - 4 + 0.6) / 1.1;
  expect(at(whole, 14)).toBeCloseTo(s - 14, 3);
});

test('another object before it, nothing there, or both ways already: it stays', () => {
  const now = frame(10, 8),
    other = frame(6, 4);
  other.ids.fill(2);
  expect(completeMotion(now, other)).toBe(now.motion);
  expect(completeMotion(now, frame(28, 4))).toBe(now.motion);
  expect(completeMotion(now, null)).toBe(now.motion);
  const both = { ...now, motion: { ...now.motion, twoSided: true } };
  expect(completeMotion(both, frame(6, 4))).toBe(both.motion);
});

/** A thin blade about (60, 60) at this angle that turns by this much a frame; a second one beside it that is nearer, if it is there. */
function blade(angle: number, turn: number, other: boolean) {
  const size = 120,
    motion: MotionField = emptyMotionField(size, size, false),
    ids = new Float32Array(size * size),
    depth = new Float32Array(size * size).fill(Infinity);
  for (let i = 0; i < size * size; i++) {
    const x = (i % size) - 60,
      y = Math.floor(i / size) - 60,
      along = x * Math.cos(angle) + y * Math.sin(angle),
      across = y * Math.cos(angle) - x * Math.sin(angle);
    const isBlade = Math.abs(across) < 3 && along > 4 && along < 52,
      isOther = other && Math.abs(x - 20) < 8;
    if (!isBlade && !isOther) continue;
    motion.valid[i] = 1;
    ids[i] = 1;
    depth[i] = isOther ? 9.5 : 10;
    if (!isOther) motion.toNext.set([x * (Math.cos(turn) - 1) - y * Math.sin(turn), x * Math.sin(turn) + y * (Math.cos(turn) - 1)], i * 2);
    motion.toPrevious.set([-motion.toNext[i * 2], -motion.toNext[i * 2 + 1]], i * 2);
  }
  return { motion, ids, depth };
}

test.each([
  [0.5, false],
  [-0.9, false],
  [0.5, true],
])('a thin blade that turns by %d a frame, behind another part of its object or not (%j): its points are found', (turn, other) => {
  const size = 120,
    now = blade(0.3, turn, other),
    whole = completeMotion(now, blade(0.3 - turn, turn, other));
  const misses: number[] = [];
  for (let i = 0; i < size * size; i++) {
    if (now.depth[i] !== 10) continue;
    const x = (i % size) - 60,
      y = Math.floor(i / size) - 60;
    const back = [x * (Math.cos(turn) - 1) + y * Math.sin(turn), -x * Math.sin(turn) + y * (Math.cos(turn) - 1)];
    misses.push(Math.hypot(whole.toPrevious[i * 2] - back[0], whole.toPrevious[i * 2 + 1] - back[1]));
  }
  misses.sort((a, b) => a - b);
  expect(misses.length).toBeGreaterThan(150);
  expect(misses[Math.floor(0.9 * misses.length)]).toBeLessThan(other ? 3 : 0.5);
  expect(misses[misses.length >> 1]).toBeLessThan(0.1);
});

/** Rows of one way each, as far as they reach; nothing tells objects apart. */
function strips(list: readonly { readonly x0: number; readonly x1: number; readonly toNext: number }[]) {
  const motion: MotionField = emptyMotionField(width, height, false);
  for (const { x0, x1, toNext } of list)
    for (let y = 0; y < height; y++)
      for (let x = Math.max(0, x0); x < Math.min(width, x1); x++) {
        const i = y * width + x;
        motion.valid[i] = 1;
        motion.toNext[i * 2] = toNext;
        motion.toPrevious[i * 2] = -toNext;
      }
  return { motion, ids: null, depth: null };
}

test('where two things end at one pixel the one that moves as it did counts, without ids and depth', () => {
  // A bar goes 5 px and a half to the right over ground that goes 1: at its edges both end in one pixel.
  const before = strips([
      { x0: 0, x1: width, toNext: 1 },
      { x0: 8, x1: 16, toNext: 5.5 },
    ]),
    now = strips([
      { x0: 0, x1: width, toNext: 1 },
      { x0: 14, x1: 21, toNext: 5.5 },
    ]);
  const { toPrevious } = completeMotion(now, before);
  for (let x = 2; x < width - 6; x++)
    expect({ x, way: toPrevious[(5 * width + x) * 2] }).toEqual({ x, way: x >= 14 && x < 21 ? -5.5 : -1 });
});

test('what comes in from outside is not taken for what it came to lie on', () => {
  // The ground that is under it now goes 2; it comes in from the right, 9 px a frame.
  const before = strips([{ x0: 0, x1: width, toNext: -2 }]),
    now = strips([
      { x0: 0, x1: width, toNext: -2 },
      { x0: width - 8, x1: width, toNext: -9 },
    ]);
  expect(at(completeMotion(now, before), width - 4)).toBe(9);
  expect(at(completeMotion(now, before), 10)).toBe(2);
});

test('a change of pace that the surface around does not share is not believed, and what was not found is carried on from the same surface alone', () => {
  // All of it went 3 to here and goes 6; one pixel of the frame before leads here from elsewhere.
  const before = strips([{ x0: 2, x1: 20, toNext: 3 }]),
    now = strips([
      { x0: 5, x1: 23, toNext: 6 },
      { x0: 23, x1: 30, toNext: 0 },
    ]);
  before.motion.toNext[(5 * width + 9) * 2] = 7;
  const { toPrevious } = completeMotion(now, before);
  expect(toPrevious[(5 * width + 16) * 2]).toBe(-3);
  expect(toPrevious[(5 * width + 12) * 2]).toBe(-3);
  // What stands still beside it was hidden before: it has no part in the change of pace.
  expect(toPrevious[(5 * width + 25) * 2]).toBeCloseTo(0, 6);
});

test('a thing that comes nearer as fast as it moves across is still itself', () => {
  const far = frame(6, 8),
    near = frame(14, 8),
    depth = (ids: Float32Array, z: number) => ids.map((id) => (id === 1 ? z : Infinity));
  // 8 of 40 px a frame: half nearer may be.
  const whole = completeMotion({ ...near, depth: depth(near.ids, 8) }, { ...far, depth: depth(far.ids, 10) });
  expect(whole.twoSided).toBe(true);
  const other = completeMotion({ ...near, depth: depth(near.ids, 4) }, { ...far, depth: depth(far.ids, 10) });
  expect(other.toPrevious[(5 * width + 18) * 2]).toBe(-8);
});
