import { noiseOf, quietVectors } from '../src/blur/paths/quiet-vectors';

const W = 80,
  H = 60,
  NOISE = 0.4;

/** Two surfaces of affine motion, with noise of a known spread (a fixed sequence of numbers). */
function field(noise: number) {
  let state = 99;
  const uniform = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 4294967296;
  const normal = () => Math.sqrt(-2 * Math.log(1 - uniform())) * Math.cos(2 * Math.PI * uniform());
  const keys = new Int32Array(W * H),
    toNext = new Float32Array(W * H * 2),
    toPrevious = new Float32Array(W * H * 2);
  for (let i = 0; i < W * H; i++) {
    const x = i % W,
      y = Math.floor(i / W);
    keys[i] = x < 45 ? 0 : y < 50 ? 1 : -1;
    const motion = keys[i] === 0 ? [0.2 * x - 0.1 * y, 3 + 0.05 * y] : [-20, 7];
    for (let c = 0; c < 2; c++) {
      toNext[i * 2 + c] = motion[c] + noise * normal();
      toPrevious[i * 2 + c] = -motion[c] + noise * normal();
    }
  }
  return { width: W, height: H, keys, toNext, toPrevious };
}

test('the noise of vectors is measured, whatever the surfaces do', () => {
  expect(noiseOf(field(0), field(0).toNext)).toBeLessThan(1e-5);
  expect(Math.abs(noiseOf(field(NOISE), field(NOISE).toNext) / NOISE - 1)).toBeLessThan(0.1);
});

test('quiet vectors stay as they are, noisy ones become quiet without crossing from one surface to the other', () => {
  const clean = field(0);
  expect(quietVectors(clean)).toBe(clean);
  const noisy = field(NOISE),
    quiet = quietVectors(noisy);
  const spread = (from: number, to: number) => {
    let sum = 0,
      count = 0;
    for (let y = 8; y < 42; y++) {
      for (let x = from; x < to; x++) {
        for (let c = 0; c < 2; c++) sum += (quiet.toNext[(y * W + x) * 2 + c] - clean.toNext[(y * W + x) * 2 + c]) ** 2;
        count += 2;
      }
    }
    return Math.sqrt(sum / count);
  };
  // Means of 49 within; at an edge what up to 45 of the same surface say, although the other one goes 29 px another way.
  expect(spread(10, 40)).toBeLessThan(0.2 * NOISE);
  expect(spread(50, 70)).toBeLessThan(0.2 * NOISE);
  expect(spread(43, 44)).toBeLessThan(0.3 * NOISE);
  expect(spread(44, 46)).toBeLessThan(0.45 * NOISE);
  // What belongs to no surface is nobody's.
  expect(quiet.toNext[(55 * W + 60) * 2]).toBe(noisy.toNext[(55 * W + 60) * 2]);
});

test('pixels in a line tell no slope across it: they stay as they are', () => {
  const noisy = field(NOISE);
  for (let i = 0; i < W * H; i++) if (i % W === 30) noisy.keys[i] = 5;
  const quiet = quietVectors(noisy);
  for (let y = 0; y < H; y++) expect(quiet.toNext[(y * W + 30) * 2]).toBe(noisy.toNext[(y * W + 30) * 2]);
});
