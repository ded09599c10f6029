import { emptyMotionField, type BlurFramePasses } from '../src';
import { distrustMixedEdges } from '../src/blur/surfaces/mixed-edges';
import { surfacesOf } from '../src/blur/surfaces/surfaces';
import { trustedPixels } from '../src/blur/surfaces/trusted-pixels';

const W = 90,
  H = 70;

/** A wheel that turns and grows (id 1) over a floor that rushes by (id 2) and nothing (id 0, below). */
function frame(): BlurFramePasses & { ids: Float32Array } {
  const rgba = new Float32Array(W * H * 4),
    ids = new Float32Array(W * H),
    depth = new Float32Array(W * H),
    motion = emptyMotionField(W, H, true);
  for (let i = 0; i < W * H; i++) {
    const x = (i % W) - 44,
      y = Math.floor(i / W) - 36;
    const id = Math.hypot(x, y) < 20 ? 1 : y < 28 ? 2 : 0;
    if (id === 0) continue;
    ids[i] = id;
    depth[i] = id * 5;
    rgba.set([0.5, 0.5, 0.5, 1], i * 4);
    motion.valid[i] = 1;
    const turned = (sign: number) => {
      const c = Math.cos(0.5 * sign) * (1 + 0.05 * sign),
        s = Math.sin(0.5 * sign) * (1 + 0.05 * sign);
      return id === 1 ? [c * x - s * y - x, s * x + c * y - y] : [-14 * sign, 0.02 * x * sign];
    };
    motion.toNext.set(turned(1), i * 2);
    motion.toPrevious.set(turned(-1), i * 2);
  }
  return { rgba, ids, depth, motion };
}

/** Vectors as means over 3 x 3 pixels, as a picture is resampled. */
function filtered(passes: ReturnType<typeof frame>): ReturnType<typeof frame> {
  const mean = (v: Float32Array) =>
    v.map((value, at) => {
      const i = at >> 1;
      if (passes.motion.valid[i] === 0) return value;
      let sum = 0;
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++)
          sum += v[(Math.min(H - 1, Math.max(0, Math.floor(i / W) + dy)) * W + Math.min(W - 1, Math.max(0, (i % W) + dx))) * 2 + (at & 1)];
      return sum / 9;
    });
  const { motion } = passes;
  return { ...passes, motion: { ...motion, toNext: mean(motion.toNext), toPrevious: mean(motion.toPrevious) } };
}

/** A pixel beside another object or nothing, inside the picture. */
function isAtEdge(ids: Float32Array, i: number): boolean {
  for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) if (ids[i + dy * W + dx] !== ids[i]) return true;
  return false;
}

test('vectors that are as rendered keep their trust, however fast they turn', () => {
  const passes = frame(),
    trusted = Uint8Array.from(passes.motion.valid);
  distrustMixedEdges(passes, trusted);
  expect(trusted).toEqual(passes.motion.valid);
});

test('means of two motions, or of one and nothing, lose it; what they stand beside keeps it', () => {
  const passes = frame(),
    mixed = filtered(passes),
    trusted = Uint8Array.from(passes.motion.valid);
  distrustMixedEdges(mixed, trusted);
  let distrusted = 0;
  for (let y = 2; y < H - 2; y++) {
    for (let x = 2; x < W - 2; x++) {
      const i = y * W + x;
      if (passes.motion.valid[i] === 0) continue;
      if (!isAtEdge(passes.ids, i)) expect(trusted[i]).toBe(1);
      else {
        const off = Math.hypot(
          mixed.motion.toNext[i * 2] - passes.motion.toNext[i * 2],
          mixed.motion.toNext[i * 2 + 1] - passes.motion.toNext[i * 2 + 1],
        );
        if (off > 3) {
          expect(trusted[i]).toBe(0);
          distrusted++;
        }
      }
    }
  }
  expect(distrusted).toBeGreaterThan(100);
});

test('a few odd vectors are no filter: they keep their trust', () => {
  const passes = frame();
  let spoilt = 0;
  for (let i = W; i < W * (H - 1) && spoilt < 12; i++) {
    if (passes.ids[i] !== 1 || !isAtEdge(passes.ids, i)) continue;
    spoilt++;
    for (const vectors of [passes.motion.toNext, passes.motion.toPrevious]) for (let c = 0; c < 2; c++) vectors[i * 2 + c] /= 2;
  }
  const trusted = Uint8Array.from(passes.motion.valid);
  distrustMixedEdges(passes, trusted);
  expect(spoilt).toBe(12);
  expect(trusted).toEqual(passes.motion.valid);
});

test('they belong to their own object still, and tear no pieces off it', () => {
  const mixed = filtered(frame());
  const { of, count } = surfacesOf(mixed, trustedPixels(mixed));
  expect(count).toBe(2);
  for (let i = 0; i < W * H; i++) if (mixed.ids[i] > 0) expect(of[i]).toBe(of[mixed.ids[i] === 1 ? 36 * W + 44 : 3 * W + 3]);
});

test('without ids nothing is told, and thin things are left alone', () => {
  const mixed = filtered(frame()),
    trusted = Uint8Array.from(mixed.motion.valid);
  distrustMixedEdges({ ...mixed, ids: null }, trusted);
  expect(trusted).toEqual(mixed.motion.valid);
  // A wire of four pixels has no inside.
  const ids = mixed.ids.map((_, i) => (i % W >= 40 && i % W < 44 ? 1 : 2));
  const wire = Uint8Array.from({ length: W * H }, () => 1);
  distrustMixedEdges({ ...mixed, ids }, wire);
  for (let y = 0; y < H; y++) for (let x = 40; x < 44; x++) expect(wire[y * W + x]).toBe(1);
});
