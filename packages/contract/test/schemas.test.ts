import { readFileSync } from 'node:fs';
import path from 'node:path';
import {
  cameraDocumentSchema,
  deliveryOptionsSchema,
  encodingSchema,
  explainIssue,
  fingerprintOf,
  isDataRole,
  isSameEncoding,
  roleOf,
  shutterPlanSchema,
  shutterSchema,
  type Pass,
} from '../src';

/** The example of the encoding's own documentation, every field given. */
const FULL = {
  ivrexEncoding: 1,
  name: 'Centred 8-bit, full scale 64 px',
  note: '',
  space: 'screen',
  transfer: { kind: 'none' },
  premultiplied: false,
  alpha: null,
  sets: [{ x: 'R', y: 'G', length: null, covers: { from: 0, to: 1, unit: 'frames' } }],
  zero: 0.5,
  fullScale: { stored: 1, equals: 64, unit: 'px' },
  axes: { x: 'right', y: 'down' },
  pixelAspect: 1,
  noData: null,
};

test('the documented encoding is taken as it is', () => {
  expect(encodingSchema.parse(FULL)).toEqual(FULL);
});

test('what an encoding leaves out takes the plain reading', () => {
  const short = encodingSchema.parse({
    ivrexEncoding: 1,
    sets: [{ x: 'u', y: 'v', covers: { from: 0, to: 1, unit: 'frames' } }],
    zero: 0,
    fullScale: { stored: 1, equals: 1, unit: 'px' },
  });
  expect(short).toMatchObject({
    space: 'screen',
    transfer: { kind: 'none' },
    premultiplied: false,
    alpha: null,
    axes: { x: 'right', y: 'down' },
    pixelAspect: 1,
    noData: null,
  });
  expect(short.sets[0].length).toBeNull();
});

test.each([
  [{ ...FULL, ivrexEncoding: 2 }, /^ivrexEncoding/],
  [{ ...FULL, sets: [] }, /^sets/],
  [{ ...FULL, zero: 1 }, /must differ/],
  [{ ...FULL, pixelAspect: 0 }, /^pixelAspect/],
  [{ ...FULL, fullScale: { ...FULL.fullScale, unit: 'miles' } }, /^fullScale\.unit/],
  [{ ...FULL, extra: 1 }, /extra/],
  [{ ...FULL, zero: Infinity }, /^zero/],
  [{ ...FULL, transfer: { kind: 'power' } }, /^transfer\.exponent/],
  [{ ...FULL, sets: [{ ...FULL.sets[0], covers: { from: 1, to: 1, unit: 'frames' } }] }, /^sets\.0\.covers: from and to must differ/],
])('a wrong encoding is explained with its place (%#)', (document, sentence) => {
  const parsed = encodingSchema.safeParse(document);
  expect(parsed.success).toBe(false);
  if (!parsed.success) expect(explainIssue(parsed.error)).toMatch(sentence);
});

test('a shutter that closes before it opens is refused, one that is shut is not', () => {
  expect(shutterSchema.safeParse({ opens: 0.1, closes: 0, strength: 1 }).success).toBe(false);
  expect(shutterSchema.safeParse({ opens: 0, closes: 0, strength: 1 }).success).toBe(true);
});

test('a shutter over frames: what older settings lack is filled in, what makes no sense is refused with its place', () => {
  const plain = { opens: -0.25, closes: 0.25, strength: 1 };
  expect(shutterPlanSchema.parse(plain)).toEqual({ ...plain, keys: [], floorPx: null, ceilingPx: null });
  const key = (frame: number) => ({ frame, strength: 1, way: 'smooth' });
  const refused: [object, RegExp][] = [
    [{ keys: [key(2), key(2)] }, /^keys: .*order/],
    [{ keys: [{ ...key(2), strength: -1 }] }, /^keys\.0\.strength/],
    [{ keys: [{ ...key(2), way: 'wild' }] }, /^keys\.0\.way/],
    [{ shape: { kind: 'ramps', opening: 0.7, closing: 0.4 } }, /^shape\.closing: .*longer/],
    [{ shape: { kind: 'comb' } }, /^shape/],
    [{ floorPx: 5, ceilingPx: 4 }, /^ceilingPx: .*floor/],
    [{ floorPx: 0 }, /^floorPx/],
  ];
  for (const [change, sentence] of refused) {
    const parsed = shutterPlanSchema.safeParse({ ...plain, ...change });
    expect(parsed.success).toBe(false);
    if (!parsed.success) expect(explainIssue(parsed.error)).toMatch(sentence);
  }
});

test.each([
  ['../up', false],
  ['.hidden', false],
  ['a/b', false],
  ['TC_010-v2.b', true],
  ['', false],
])('the delivery name "%s" is usable: %s', (name, usable) => {
  expect(deliveryOptionsSchema.safeParse({ name, firstFrame: 1, lastFrame: 2 }).success).toBe(usable);
});

test('data never are pictures', () => {
  expect((['motion', 'depth', 'ids', 'matte'] as const).map(isDataRole)).toEqual([true, true, true, true]);
  expect((['beauty', 'plate', 'reference'] as const).map(isDataRole)).toEqual([false, false, false]);
});

test('every encoding that ships with the demo is valid', () => {
  const sets = ['heron', 'wheel-room'].map((name) => {
    const file = path.join(__dirname, `../../demo/encodings/${name}.json`);
    return encodingSchema.parse(JSON.parse(readFileSync(file, 'utf8'))).sets.length;
  });
  expect(sets).toEqual([2, 1]);
});

test('a pass that arrives after the last decision counts as what it was taken for', () => {
  const pass = { id: 'a', guess: { role: 'plate', reason: '' } } as unknown as Pass;
  expect(roleOf({ roles: {} }, pass)).toBe('plate');
  expect(roleOf({ roles: { a: 'reference' } }, pass)).toBe('reference');
});

test('encodings are the same when they read alike, whatever they are called', () => {
  const a = encodingSchema.parse({ ...FULL, name: 'one', note: 'from the farm' });
  expect(isSameEncoding(a, encodingSchema.parse({ ...FULL, name: 'two' }))).toBe(true);
  // The order of entries means nothing, nor whether a default is written out.
  const short = { ivrexEncoding: 1, sets: [{ x: 'R', y: 'G', covers: FULL.sets[0].covers }], zero: 0.5, fullScale: FULL.fullScale };
  expect(isSameEncoding(a, encodingSchema.parse(short))).toBe(true);
  const turned = Object.fromEntries(Object.entries(a).reverse()) as typeof a;
  expect(isSameEncoding(a, turned)).toBe(true);
  expect(isSameEncoding(a, { ...a, axes: { x: 'right', y: 'up' } })).toBe(false);
  expect(isSameEncoding(a, { ...a, sets: [{ ...a.sets[0], z: 'B' }] })).toBe(false);
});

test('passes of one source have one fingerprint: channels, types, format, and the program that wrote them', () => {
  const pass = (channels: string[], facts: { name: string; value: string }[] = [], format = 'OpenEXR') => ({
    channels: channels.map((name) => ({ name, type: 'half' as const })),
    facts,
    format,
  });
  const made = fingerprintOf(pass(['R', 'G'], [{ name: 'comments', value: 'frame 7' }]));
  expect(fingerprintOf(pass(['G', 'R'], [{ name: 'comments', value: 'frame 8' }]))).toBe(made);
  expect(fingerprintOf(pass(['R', 'G', 'B']))).not.toBe(made);
  expect(fingerprintOf(pass(['R', 'G'], [], 'PNG'))).not.toBe(made);
  expect(fingerprintOf(pass(['R', 'G'], [{ name: 'Software', value: 'marsh 2' }]))).not.toBe(made);
});

test.each([
  ['a pose by angle', { frame: 1, position: [0, 0, 0], rotation: [0, 0, 0], horizontalView: 40 }, true],
  ['a pose by lens', { frame: 1, position: [0, 0, 0], quaternion: [0, 0, 0, 1], focalLength: 35, filmWidth: 36 }, true],
  ['matrices', { frame: 1, worldToNDC: new Array<number>(16).fill(1) }, true],
  ['half a lens', { frame: 1, position: [0, 0, 0], rotation: [0, 0, 0], focalLength: 35 }, false],
  ['two rotations', { frame: 1, position: [0, 0, 0], rotation: [0, 0, 0], quaternion: [0, 0, 0, 1], horizontalView: 40 }, false],
  ['a matrix of fifteen', { frame: 1, worldToNDC: new Array<number>(15).fill(1) }, false],
])('a camera track with %s is taken or refused', (_, frame, usable) => {
  expect(cameraDocumentSchema.safeParse({ ivrexCamera: 1, frames: [frame] }).success).toBe(usable);
});
