import {
  applyCubeLut,
  linearToSrgb,
  matchStill,
  parseCubeLut,
  readPicture,
  softShoulder,
  srgbToLinear,
  SHOULDER_START,
  SHOULDER_WHITE,
  undoInputCurve,
  viewColours,
  type IvrexError,
  type PictureReading,
} from '../src';

const coded = (code: string, message?: string) =>
  expect.objectContaining({ code, ...(message === undefined ? {} : { message }) }) as IvrexError;

test('the sRGB curve is straight up to 0.04045, then bends', () => {
  // IEC 61966-2-1: codes of 8 bits and their light, on both sides of where the straight part ends.
  for (const [code, light] of [
    [1, 0.000303527],
    [10, 0.00303527],
    [11, 0.003346536],
    [64, 0.051269458],
    [128, 0.215860501],
    [255, 1],
  ]) {
    expect(srgbToLinear(code / 255)).toBeCloseTo(light, 7);
    expect(linearToSrgb(light) * 255).toBeCloseTo(code, 3);
  }
});

describe('readings of a picture', () => {
  const read = (values: number[], reading: PictureReading) => {
    const rgba = Float32Array.from(values);
    readPicture(rgba, reading);
    return Array.from(rgba, (v) => Number(v.toFixed(5)) + 0);
  };
  test('linear premultiplied stays as it is', () => {
    expect(read([0.3, -0.2, 5, 0.5], { curve: 'linear', alpha: { kind: 'premultiplied' } })).toEqual([0.3, -0.2, 5, 0.5]);
  });
  test('straight colour is multiplied, after its curve is undone', () => {
    const linear = ((0.5 + 0.055) / 1.055) ** 2.4;
    expect(read([0.5, 0.5, 0.5, 0.25], { curve: 'srgb', alpha: { kind: 'straight' } })[0]).toBeCloseTo(linear * 0.25, 5);
  });
  test('a curve over premultiplied colour acts on the colour itself', () => {
    const linear = 0.5 ** 2.2;
    expect(read([0.125, 0.125, 0.125, 0.25], { curve: 'power22', alpha: { kind: 'premultiplied' } })[0]).toBeCloseTo(linear * 0.25, 5);
    // Glows: light without coverage stays light.
    expect(read([0.5, 0.5, 0.5, 0], { curve: 'power22', alpha: { kind: 'premultiplied' } })[0]).toBeCloseTo(linear, 5);
  });
  test('the matte colour is taken out of the edge', () => {
    const stored = [0.8, 0.2, 0].map((c) => c * 0.25 + 0.6 * 0.75);
    expect(read([...stored, 0.25], { curve: 'linear', alpha: { kind: 'matted', colour: [0.6, 0.6, 0.6] } })).toEqual([0.2, 0.05, 0, 0.25]);
  });
  test('without alpha the picture is opaque', () => {
    expect(read([0.1, 0.2, 0.3, 0], { curve: 'linear', alpha: { kind: 'none' } })).toEqual([0.1, 0.2, 0.3, 1]);
  });
  test.each([
    ['srgb', 0.5, 0.21404],
    ['rec709', 0.5, 0.25959],
    ['rec709', 0.04, 0.04 / 4.5],
    ['power24', 0.5, 0.18946],
    ['power26', 0.5, 0.16494],
    ['srgb', -0.5, -0.21404],
  ] as const)('%s undoes %d to %d', (curve, stored, linear) => {
    expect(undoInputCurve(curve)(stored)).toBeCloseTo(linear, 4);
  });
});

describe('.cube tables', () => {
  const cube = [
    '# by hand',
    'TITLE "turn"',
    'LUT_3D_SIZE 2',
    ...[0, 1].flatMap((b) => [0, 1].flatMap((g) => [0, 1].map((r) => `${b} ${r} ${g}`))),
  ].join('\r\n');
  const apply = (text: string, r: number, g: number, b: number) => {
    const out = new Float32Array(3);
    applyCubeLut(parseCubeLut(text), r, g, b, out, 0);
    return Array.from(out, (v) => Number(v.toFixed(4)));
  };
  test('a cube maps its corners and everything between them; red runs fastest', () => {
    expect(parseCubeLut(cube)).toMatchObject({ title: 'turn', kind: 'cube', size: 2 });
    expect(apply(cube, 0.25, 0.5, 0.75)).toEqual([0.75, 0.25, 0.5]);
    expect(apply(cube, 7, -1, 0.5)).toEqual([0.5, 1, 0]);
  });
  test('curves act on each channel, over their range', () => {
    const curves = 'LUT_1D_SIZE 3\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\n0 0 0\n0.5 0.25 1\n1 1 1\n';
    expect(apply(curves, 1, 1, 1)).toEqual([0.5, 0.25, 1]);
    expect(apply(curves, 1.5, 0.5, 2)).toEqual([0.75, 0.125, 1]);
  });
  test.each([
    ['', 'this is no .cube LUT: it gives no LUT_1D_SIZE or LUT_3D_SIZE'],
    ['LUT_3D_SIZE 2\n0 0 0\n', 'the LUT holds 1 of 8 values'],
    ['LUT_1D_SIZE 2\n0 0 x\n', 'line 2 of the LUT is not three numbers'],
    ['0 0 0\n', 'line 1 of the LUT holds values before a size'],
    ['LUT_1D_SIZE 2\nHELLO 3\n', 'line 2 of the LUT starts with "HELLO", which .cube files do not have'],
    ['LUT_1D_SIZE 2\nLUT_3D_SIZE 2\n', 'line 2 of the LUT gives a second size; a file holds one table'],
    ['LUT_1D_SIZE 2\n0 0 0\n1 1 1\n1 1 1\n', 'line 4 of the LUT holds more values than the size says'],
    ['LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1', 'the LUT has an empty input range'],
  ])('%j is refused with its line', (text, message) => {
    expect(() => parseCubeLut(text)).toThrow(coded('damaged', message));
  });
  test('a huge size is refused before memory is taken', () => {
    expect(() => parseCubeLut('LUT_3D_SIZE 4000000\n')).toThrow(coded('tooLarge'));
  });
});

describe('the view', () => {
  test('the soft shoulder is the identity below its start, smooth there, and reaches 1', () => {
    expect(softShoulder(0.3)).toBe(0.3);
    const slope = (softShoulder(SHOULDER_START + 1e-4) - SHOULDER_START) / 1e-4;
    expect(slope).toBeCloseTo(1, 2);
    expect(softShoulder(SHOULDER_WHITE)).toBeCloseTo(1, 9);
    for (let v = 0; v < 8; v += 0.1) expect(softShoulder(v + 0.1)).toBeGreaterThan(softShoulder(v));
  });
  const ramp = Float32Array.from({ length: 64 * 4 }, (_, i) => (i % 4 === 3 ? 1 : Math.floor(i / 4) / 16));
  test('a still made by the same transform matches; another one does not, and tells where it is worst', () => {
    const still = viewColours(ramp, 'shoulder').map((v) => Math.round(v * 255) / 255);
    expect(matchStill(viewColours(ramp, 'shoulder'), still, 8)).toMatchObject({ withinShare: 1 });
    const other = matchStill(viewColours(ramp, 'srgb'), still, 8);
    expect(other.meanSteps).toBeGreaterThan(3);
    expect(other.worstAt.y * 8 + other.worstAt.x).toBeGreaterThan(7);
  });
  test('a table is applied after the curve that it expects', () => {
    const lut = parseCubeLut('LUT_1D_SIZE 2\n1 1 1\n0 0 0\n');
    const inverted = viewColours(Float32Array.of(0.214041, 0.214041, 0.214041, 1), { lut, input: 'srgb' });
    expect(inverted[0]).toBeCloseTo(0.5, 4);
    expect(viewColours(Float32Array.of(0.25, 0, 0, 1), { lut, input: 'linear' })[0]).toBeCloseTo(0.75, 5);
  });
});
