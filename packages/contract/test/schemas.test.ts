import { readFileSync } from 'node:fs';
import path from 'node:path';
import { deliveryOptionsSchema, encodingSchema, explainIssue, isDataRole, roleOf, shutterSchema, type Pass } from '../src';

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

test.each([
  ['../up', false],
  ['.hidden', false],
  ['a/b', false],
  ['TC_010-v2.b', true],
  ['', false],
])('the delivery name "%s" is usable: %s', (name, usable) => {
  expect(deliveryOptionsSchema.safeParse({ name, firstFrame: 1, lastFrame: 2, type: 'half', compression: 'zip' }).success).toBe(usable);
});

test('data never are pictures', () => {
  expect((['motion', 'depth', 'ids', 'matte'] as const).map(isDataRole)).toEqual([true, true, true, true]);
  expect((['beauty', 'plate', 'reference'] as const).map(isDataRole)).toEqual([false, false, false]);
});

test('every encoding that ships with the demo is valid', () => {
  const file = path.join(__dirname, '../../demo/encodings/heron.json');
  expect(encodingSchema.parse(JSON.parse(readFileSync(file, 'utf8'))).sets).toHaveLength(2);
});

test('a pass that arrives after the last decision counts as what it was taken for', () => {
  const pass = { id: 'a', guess: { role: 'plate', reason: '' } } as unknown as Pass;
  expect(roleOf({ roles: {} }, pass)).toBe('plate');
  expect(roleOf({ roles: { a: 'reference' } }, pass)).toBe('reference');
});
