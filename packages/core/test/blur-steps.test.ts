import { emptyMotionField, HIDDEN_MADE_UP, HIDDEN_SEEN, prepareBlur, type BlurFramePasses, type BlurPlan, type PlannedLayer } from '../src';
import { pushPull } from '../src/blur/occlusion/push-pull';

/** The steps of the set-up against slow references: worked out pixel by pixel from how the scene was made, or from the step's definition. */

const W = 120,
  H = 60;
const BOX = { x: 40, y: 18, width: 24, height: 24 };
const BRASS = [0.9, 0.3, 0.1] as const;

function wall(x: number, y: number): readonly [number, number, number] {
  const v = 0.5 + 0.45 * Math.sin(x * 0.9) * Math.cos(y * 0.7);
  return [v, 0.5 * v + 0.2, 1 - v];
}

/** How much of [x, x + 1) lies in [from, from + length). */
function overlap(x: number, from: number, length: number): number {
  return Math.max(0, Math.min(x + 1, from + length) - Math.max(x, from));
}

/** A box `frames` on from the frame, of this coverage inside, in front of a wall that stands still; or in front of nothing. */
function frameAt(
  frames: number,
  speed: number,
  { x0 = BOX.x, alpha = 1, isWallThere = true, rim = BRASS as readonly number[] } = {},
): BlurFramePasses {
  const rgba = new Float32Array(W * H * 4),
    depth = new Float32Array(W * H),
    ids = new Float32Array(W * H),
    motion = emptyMotionField(W, H, true);
  for (let i = 0; i < W * H; i++) {
    const x = i % W,
      y = Math.floor(i / W),
      a = alpha * overlap(x, x0 + frames * speed, BOX.width) * overlap(y, BOX.y, BOX.height),
      back = isWallThere ? 1 : 0,
      isFront = a >= alpha / 2 && a > 0;
    const behind = wall(x, y),
      front = x - Math.round(frames * speed) === BOX.x ? rim : BRASS;
    rgba.set([...front.map((v, c) => a * v + (1 - a) * back * behind[c]), a + (1 - a) * back], i * 4);
    depth[i] = isFront ? 2 : 8;
    ids[i] = isFront ? 1 : isWallThere ? 2 : a > 0 ? 1 : 0;
    motion.valid[i] = 1;
    if (ids[i] === 1) {
      motion.toNext[i * 2] = speed;
      motion.toPrevious[i * 2] = -speed;
    }
  }
  return { rgba, depth, ids, motion };
}

function planOf(speed: number, options: Parameters<typeof frameAt>[2] = {}): BlurPlan {
  const [previous, now, next] = [-1, 0, 1].map((frames) => frameAt(frames, speed, options));
  return prepareBlur({ width: W, height: H, ...now, previous, next, path: 'auto', reachFrames: 1 });
}

function colourAt({ colourBox: box, colour }: PlannedLayer, x: number, y: number): Float32Array {
  const k = (y - box.y0) * box.width + x - box.x0;
  return colour.subarray(k * 4, k * 4 + 4);
}

describe('hidden areas', () => {
  /** Whether the whole 3 x 3 neighbourhood of a wall pixel is seen in the frame where the box has gone on by `way`. */
  const seenPurely = (x: number, way: number) => x + 1 < BOX.x + way || x - 1 >= BOX.x + BOX.width + way;

  test.each([4, 8, 11, 16])(
    'at %i px a frame each pixel behind the box is seen where the box has left it in a neighbouring frame',
    (speed) => {
      const plan = planOf(speed),
        [, back] = plan.layers;
      for (let y = BOX.y + 2; y < BOX.y + BOX.height - 2; y++) {
        for (let x = BOX.x + 1; x < BOX.x + BOX.width - 1; x++) {
          const seen = seenPurely(x, speed) || seenPurely(x, -speed);
          expect([x, y, (plan.hidden[y * W + x] & HIDDEN_SEEN) !== 0]).toEqual([x, y, seen]);
          if (!seen) continue;
          const found = colourAt(back, x, y);
          wall(x, y).forEach((v, c) => expect(Math.abs(found[c] - v)).toBeLessThan(1e-5));
          expect(found[3]).toBeCloseTo(1, 6);
        }
      }
    },
  );

  test('nothing is behind what flies over nothing, and nothing is made up there', () => {
    const plan = planOf(8, { isWallThere: false });
    expect(plan.layers.length).toBe(1);
    expect(plan.hidden.every((bits) => bits === 0)).toBe(true);
  });

  test('without neighbouring frames what can come into view is made up within the range of the wall', () => {
    const now = frameAt(0, 8),
      plan = prepareBlur({ width: W, height: H, ...now, path: 'auto', reachFrames: 1 });
    const y = BOX.y + 12;
    for (const x of [BOX.x + 1, BOX.x + BOX.width - 2]) {
      expect(plan.hidden[y * W + x] & HIDDEN_MADE_UP).not.toBe(0);
      const made = colourAt(plan.layers[1], x, y);
      expect(made[0]).toBeGreaterThan(0.04);
      expect(made[0]).toBeLessThan(0.96);
      expect(made[3]).toBeCloseTo(1, 5);
    }
  });
});

describe('shared edges', () => {
  test.each([0.2, 0.4, 0.7])('a pixel that the box covers by 1 - %f is taken apart into the box and the wall that made it', (into) => {
    const plan = planOf(16, { x0: BOX.x + into }),
      [front, back] = plan.layers;
    let asked = 0;
    for (let y = BOX.y + 3; y < BOX.y + BOX.height - 3; y++) {
      const behind = wall(BOX.x, y);
      // Where both have the same colour nothing can be told.
      if (Math.hypot(...behind.map((v, c) => v - BRASS[c])) < 0.4) continue;
      asked++;
      const own = colourAt(front, BOX.x, y),
        coverage = 1 - into;
      expect(Math.abs(own[3] - coverage)).toBeLessThan(0.06);
      BRASS.forEach((v, c) => expect(Math.abs(own[c] - coverage * v)).toBeLessThan(0.06));
      behind.forEach((v, c) => expect(Math.abs(colourAt(back, BOX.x, y)[c] - v)).toBeLessThan(1e-5));
    }
    expect(asked).toBeGreaterThan(8);
    expect(plan.report.separatedPixels).toBeGreaterThan(BOX.height);
  });

  test('where the front turns away from the light, so that no mix of what is beside makes its rim, the outline tells its coverage', () => {
    const [front] = planOf(16, { rim: [0.1, 0.25, 0.75] }).layers,
      alphas = Array.from({ length: BOX.height - 6 }, (_, n) => colourAt(front, BOX.x, BOX.y + 3 + n)[3]);
    // A third of the wall is of the rim's own colour: there nothing can tell. By colours alone 4 are found.
    expect(alphas.filter((alpha) => alpha > 0.4).length).toBeGreaterThanOrEqual(11);
  });

  test('layers put over each other again are the picture, shared pixels and all', () => {
    const speed = 16,
      options = { x0: BOX.x + 0.4 },
      { rgba } = frameAt(0, speed, options),
      [front, back] = planOf(speed, options).layers;
    let worst = 0;
    for (let y = BOX.y + 2; y < BOX.y + BOX.height - 2; y++)
      for (const x of [BOX.x - 1, BOX.x, BOX.x + 1, BOX.x + BOX.width]) {
        const over = colourAt(front, x, y),
          under = colourAt(back, x, y);
        for (let c = 0; c < 4; c++) worst = Math.max(worst, Math.abs(over[c] + (1 - over[3]) * under[c] - rgba[(y * W + x) * 4 + c]));
      }
    expect(worst).toBeLessThan(1e-5);
  });
});

describe('push-pull', () => {
  /** The definition, pixel by pixel: level 0 is the picture, each further one a quarter of its pixels. Gortler et al. 1996, section 3.4. */
  function reference(rgba: Float32Array, known: Uint8Array, width: number, height: number) {
    const memo = new Map<string, { weight: number; value: number[] }>();
    const size = (level: number) => [Math.ceil(width / 2 ** level), Math.ceil(height / 2 ** level)] as const;
    const pushed = (level: number, x: number, y: number): { weight: number; value: number[] } => {
      const key = `${level} ${x} ${y}`,
        done = memo.get(key);
      if (done !== undefined) return done;
      const out = { weight: 0, value: [0, 0, 0, 0] };
      if (level === 0) {
        out.weight = known[y * width + x];
        out.value = Array.from(rgba.subarray((y * width + x) * 4, (y * width + x) * 4 + 4));
      } else {
        const [w, h] = size(level - 1);
        for (const [cx, cy] of [0, 1, 2, 3].map((k) => [2 * x + (k & 1), 2 * y + (k >> 1)])) {
          if (cx >= w || cy >= h) continue;
          const child = pushed(level - 1, cx, cy);
          out.weight += child.weight;
          child.value.forEach((v, c) => (out.value[c] += v * child.weight));
        }
        if (out.weight > 0) out.value = out.value.map((v) => v / out.weight);
        out.weight = Math.min(1, out.weight);
      }
      memo.set(key, out);
      return out;
    };
    const pulled = (level: number, x: number, y: number): number[] => {
      const { weight, value } = pushed(level, x, y),
        [w, h] = size(level);
      if (weight >= 1 || (w === 1 && h === 1)) return value;
      const [cw, ch] = size(level + 1);
      const [u, v] = [Math.max(0, x / 2 - 0.25), Math.max(0, y / 2 - 0.25)];
      const out = value.map((own) => own * weight);
      for (const [px, py] of [0, 1, 2, 3].map((k) => [Math.floor(u) + (k & 1), Math.floor(v) + (k >> 1)])) {
        const share = (1 - Math.abs(u - px)) * (1 - Math.abs(v - py));
        pulled(level + 1, Math.min(cw - 1, px), Math.min(ch - 1, py)).forEach((c, k) => (out[k] += (1 - weight) * share * c));
      }
      return out;
    };
    return (x: number, y: number) => pulled(0, x, y);
  }

  test.each([
    [16, 16],
    [13, 7],
    [1, 9],
  ])('is what its definition says, pixel by pixel (%i x %i)', (width, height) => {
    let state = 5;
    const random = () => (state = (Math.imul(state, 1103515245) + 12345) >>> 0) / 4294967296;
    const known = Uint8Array.from({ length: width * height }, () => (random() < 0.2 ? 1 : 0)),
      rgba = Float32Array.from({ length: width * height * 4 }, random);
    known[0] = 1;
    const expected = reference(rgba.slice(), known, width, height),
      filled = rgba.slice();
    pushPull(filled, known, width, height);
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) expected(x, y).forEach((v, c) => expect(filled[(y * width + x) * 4 + c]).toBeCloseTo(v, 5));
  });
});
