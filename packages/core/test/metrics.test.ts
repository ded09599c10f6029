import {
  blurMask,
  comparePictures,
  decibel,
  guessRole,
  linearToSrgb,
  proposeEncoding,
  resizeMotionField,
  emptyMotionField,
  resizeNearest,
  resizePlane,
  shutterAngleDeg,
  shutterFromAngle,
  sliceTimes,
  srgbToLinear,
  statisticsOf,
} from '../src';

const W = 40,
  H = 30;
const flat = (value: number) => new Float32Array(W * H * 4).fill(value);

test('equal pictures: infinite PSNR, similarity 1, no difference', () => {
  expect(comparePictures(flat(0.5), flat(0.5), W, H, flat(0))).toMatchObject({
    psnr: Infinity,
    maskedPsnr: Infinity,
    maxAbs: 0,
    meanAbs: 0,
  });
  expect(comparePictures(flat(0.5), flat(0.5), W, H, null).ssim).toBeCloseTo(1, 9);
});

test('a difference of 0.1 everywhere is 20 dB', () => {
  const c = comparePictures(flat(0.5), flat(0.6), W, H, flat(0));
  expect(c.psnr).toBeCloseTo(20, 4);
  expect(c.maskedPsnr).toBeCloseTo(20, 4);
  expect(c.maxAbs).toBeCloseTo(0.1, 6);
});

test('PSNR clamps to 0..1, the plain differences do not', () => {
  const c = comparePictures(flat(3), flat(1), W, H, null);
  expect(c.psnr).toBe(Infinity);
  expect(c.maxAbs).toBe(2);
});

test('the mask is what the blur changed, grown by 4 px each way', () => {
  const sharp = flat(0),
    blurred = flat(0);
  blurred[(10 * W + 20) * 4 + 2] = 0.0021;
  const mask = blurMask(blurred, sharp, W, H);
  for (let i = 0; i < W * H; i++) expect(mask[i]).toBe(Math.abs((i % W) - 20) <= 4 && Math.abs(Math.floor(i / W) - 10) <= 4 ? 1 : 0);
  expect(comparePictures(blurred, flat(0), W, H, flat(0)).maskedPsnr).toBeNull();
  expect(decibel(0.001)).toBeCloseTo(30, 9);
});

test('shutters in camera words', () => {
  expect(shutterFromAngle(180, 'centre')).toEqual({ opens: -0.25, closes: 0.25, strength: 1 });
  expect(shutterFromAngle(144, 'open')).toEqual({ opens: 0, closes: 0.4, strength: 1 });
  expect(shutterFromAngle(90, 'close')).toEqual({ opens: -0.25, closes: 0, strength: 1 });
  expect(shutterAngleDeg({ opens: -0.25, closes: 0.25 })).toBe(180);
  const { times, weights } = sliceTimes({ opens: 0, closes: 1, strength: 2 }, 4);
  expect([...times]).toEqual([0.25, 0.75, 1.25, 1.75]);
  expect(weights.reduce((a, b) => a + b)).toBe(1);
});

test('statistics leave out NaN and infinities, and count them', () => {
  expect(statisticsOf(Float32Array.of(1, NaN, -3, Infinity, 5, -Infinity))).toEqual({ min: -3, max: 5, mean: 1, nan: 1, inf: 2 });
  expect(statisticsOf(Float32Array.of(NaN))).toEqual({ min: null, max: null, mean: null, nan: 1, inf: 0 });
});

test('the sRGB curve: known points and back', () => {
  expect(linearToSrgb(0.5)).toBeCloseTo(0.735357, 5);
  for (const v of [0, 0.001, 0.0031308, 0.2, 1]) expect(srgbToLinear(linearToSrgb(v))).toBeCloseTo(v, 6);
});

test('a motion field at twice the size has vectors twice as long and keeps its holes and edges', () => {
  const field = emptyMotionField(4, 2, false);
  field.valid.fill(1);
  for (let i = 0; i < 8; i++) field.toNext.set(i % 4 < 2 ? [3, 1] : [40, 0], i * 2);
  field.valid[7] = 0;
  const large = resizeMotionField(field, 8, 4);
  // Across the edge between the two motions nothing is mixed.
  for (let x = 0; x < 8; x++) expect(large.toNext[x * 2]).toBeCloseTo(x < 4 ? 6 : 80, 4);
  expect(large.valid[3 * 8 + 7]).toBe(0);
  expect(resizePlane(Float32Array.of(0, 1), 2, 1, 4, 1)).toEqual(Float32Array.of(0, 0.25, 0.75, 1));
});

test('labels keep their values at another size: each pixel takes the one that its centre lies in', () => {
  const ids = Uint32Array.of(7, 9, 4000000000, 1);
  expect(resizeNearest(ids, 2, 2, 4, 2)).toEqual(Uint32Array.of(7, 7, 9, 9, 4000000000, 4000000000, 1, 1));
  expect(resizeNearest(Uint8Array.of(1, 2, 3, 4, 5, 6), 6, 1, 2, 1)).toEqual(Uint8Array.of(2, 5));
  expect(resizeNearest(Float32Array.of(1, NaN, 3), 3, 1, 2, 1)).toEqual(Float32Array.of(1, 3));
  expect(resizeNearest(ids, 2, 2, 2, 2)).toBe(ids);
});

test.each([
  ['hero.####.exr', '', ['R', 'G', 'B', 'A'], 'half', 'beauty'],
  ['hero.####.exr', 'motion', ['x', 'y'], 'half', 'motion'],
  ['hero.####.exr', 'depth', ['Z'], 'float', 'depth'],
  ['hero.####.exr', 'id', ['object'], 'uint', 'ids'],
  ['TC_plate.####.exr', '', ['R', 'G', 'B'], 'half', 'plate'],
  ['TC_blur180.####.exr', '', ['R', 'G', 'B', 'A'], 'half', 'reference'],
  ['mv.####.exr', '', ['forwardX', 'forwardY'], 'float', 'motion'],
  ['hero.####.exr', 'diffuse', ['R', 'G', 'B'], 'half', 'other'],
] as const)('%s, layer "%s", %j is taken for %s data: %s', (file, layer, names, type, role) => {
  expect(guessRole({ file, layer, channels: names.map((name) => ({ name, type })) }).role).toBe(role);
});

test('channel names lead to a first reading', () => {
  const channels = (...names: string[]) => names.map((name) => ({ name, type: 'half' }));
  expect(proposeEncoding(channels('nextX', 'nextY', 'prevX', 'prevY'))?.encoding.sets.map((s) => [s.x, s.y, s.covers.to])).toEqual([
    ['nextX', 'nextY', 1],
    ['prevX', 'prevY', -1],
  ]);
  expect(proposeEncoding(channels('R', 'G', 'B'))?.encoding.sets[0]).toMatchObject({ x: 'R', y: 'G' });
  expect(proposeEncoding(channels('Z'))).toBeNull();
});
