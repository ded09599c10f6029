import { shotDocumentSchema, shotSettingsSchema, writtenDocument, type ShotDocument } from '@ivrex/contract';
import { absoluteDocument, mappedPath, relativeDocument, ShotBook } from '../src';

const SEQUENCE = '00000000-0000-4000-8000-000000000001',
  LONE = '00000000-0000-4000-8000-000000000002',
  BEAUTY = '00000000-0000-4000-8000-000000000011',
  MATTE = '00000000-0000-4000-8000-000000000012';

function document(settings: object = {}): ShotDocument {
  const empty = { id: 'main', name: 'float', beauty: BEAUTY, motion: null, depth: null, ids: null, encoding: null, shutter: null };
  const usual = { curve: 'linear', alpha: { kind: 'premultiplied' } };
  return shotDocumentSchema.parse({
    ivrexShot: 1,
    name: 'TC_040',
    width: 8,
    height: 4,
    firstFrame: 1001,
    lastFrame: 1004,
    sequences: [
      {
        id: SEQUENCE,
        name: 'float.####.exr',
        folder: '/show/tc',
        before: 'float.',
        padding: 4,
        after: '.exr',
        frames: '1003-1004, 1006',
        odd: { 1006: '1006' },
      },
      { id: LONE, name: 'matte.tif', folder: '/show/tc/extra', before: 'matte.tif', padding: null, after: '', frames: '' },
    ],
    passes: [
      { id: BEAUTY, sequence: SEQUENCE, name: 'float', part: 0, layer: '', role: 'beauty', usual, pixelAspect: 1, fps: 24 },
      { id: MATTE, sequence: LONE, name: 'matte', part: 0, layer: '', role: 'matte', usual, pixelAspect: 1, fps: null },
    ],
    settings: shotSettingsSchema.parse({
      version: 1,
      roles: {},
      elements: [empty],
      shutter: { opens: -0.25, closes: 0.25, strength: 1, floorPx: null, ceilingPx: null },
      path: 'auto',
      samples: 'auto',
      displayTransform: 'srgb',
      offsets: { [SEQUENCE]: 2 },
      ...settings,
    }),
  });
}

describe('a shot without a database', () => {
  test('frames are the shot’s: the offset takes them to the files', () => {
    const book = new ShotBook(document());
    expect(book.passes.map((p) => p.frames)).toEqual([[1001, 1002, 1004], null]);
    expect(book.fileAt(book.passes[0].id, 1002).file).toBe('/show/tc/float.1004.exr');
    expect(() => book.fileAt(book.passes[0].id, 1003)).toThrow('frame 1003 is missing (number 1005 of the files)');
    expect(book.fileAt(book.passes[1].id, 77).file).toBe('/show/tc/extra/matte.tif');
  });
  test('pictures are read as was decided, with a borrowed alpha of the same frame', () => {
    const reading = { curve: 'srgb', alpha: { kind: 'borrowed', pass: MATTE, premultiplied: false } };
    const book = new ShotBook(document({ readings: { [BEAUTY]: reading } }));
    expect(book.pictureAt(book.passes[0].id, 1001)).toMatchObject({
      file: '/show/tc/float.1003.exr',
      reading: { curve: 'srgb', alpha: { kind: 'straight' } },
      alphaFrom: { file: '/show/tc/extra/matte.tif' },
    });
  });
  test('a pass of no listed sequence is said', () => {
    const broken = { ...document(), sequences: [] };
    expect(() => new ShotBook(broken)).toThrow('pass "float" is of a sequence that is not listed');
  });
});

test('a document moves with its folder, and is read as it was written', () => {
  const made = document();
  const moved = absoluteDocument(relativeDocument(made, '/show'), '/volumes/other');
  expect(moved.sequences.map((s) => s.folder)).toEqual(['/volumes/other/tc', '/volumes/other/tc/extra']);
  expect(relativeDocument(made, '/show/tc').sequences.map((s) => s.folder)).toEqual(['.', 'extra']);
  expect(shotDocumentSchema.parse(JSON.parse(JSON.stringify(writtenDocument(made))))).toEqual(made);
});

test.each([
  ['/mnt/show/tc/a.exr', '/volumes/show/tc/a.exr'],
  ['/mnt/show', '/volumes/show'],
  ['/mnt/show/plates/b.exr', '/fast/b.exr'],
  ['/mnt/showcase/c.exr', '/mnt/showcase/c.exr'],
  ['/home/d.exr', '/home/d.exr'],
])('%s is %s on the other machine', (file, expected) => {
  const mappings = [
    { from: '/mnt/show', to: '/volumes/show' },
    { from: '/mnt/show/plates', to: '/fast' },
  ];
  expect(mappedPath(file, mappings)).toBe(expected);
});
