import type { Pass, ShotDetail } from '@ivrex/contract';
import { IvrexError, type Encoding } from '@ivrex/core';
import { filesOfDrop, filesOfInput } from '../src/api/dropped-files';
import { ApiError, sentenceOf } from '../src/api/request';
import { passLabel } from '../src/ui/pass-label';
import { remapTargets } from '../src/ui/remap-targets';
import { START_COMPARE, sideKey, type LoadedSide } from '../src/viewer/compare-state';
import { edgeOf, modeOf, modeOfCompare } from '../src/viewer/draw-mode';
import { messageOf, messageOfSides, noteOf, noteOfAssembled, noteOfCompare } from '../src/viewer/picture-words';
import type { AssembledView } from '../src/viewer/view-store';

describe('an error is a sentence', () => {
  test.each<[unknown, string]>([
    [new Error('the sluice is shut'), 'The sluice is shut.'],
    [new Error('Is it there?'), 'Is it there?'],
    [new ApiError(404, 'notFound', 'there is no such shot'), 'There is no such shot.'],
    [
      new ApiError(422, 'truncated', 'the picture is incomplete', '/media/marsh/heron.1004.exr'),
      'heron.1004.exr: the picture is incomplete.',
    ],
    [new IvrexError('badSetting', 'both sets cover the same moment'), 'Both sets cover the same moment.'],
    ['plain words', 'plain words'],
  ])('%s', (error, sentence) => expect(sentenceOf(error)).toBe(sentence));
});

describe('what the viewer says about a picture', () => {
  const ready: LoadedSide = { status: 'ready', picture: { width: 1, height: 1, halves: new Uint16Array(4) } },
    loading: LoadedSide = { status: 'loading', picture: null },
    failed: LoadedSide = { status: 'failed', message: 'it is gone.' };
  test('a blur is being made, a draft, or exact', () => {
    expect(noteOf('sharp', null)).toBeNull();
    expect(noteOf('blurred', null)).toBe('making the blur');
    expect(noteOf('wipe', { quality: 'draft', slices: 9 })).toBe('draft');
    expect(noteOf('blurred', { quality: 'final', slices: 41 })).toBe('exact, up to 41 slices');
    expect(noteOf('blurred', { quality: 'final', slices: 41, isOld: true })).toBe('making the blur');
  });
  test('an assembled picture of another frame is said to be that', () => {
    const whole = { frame: 1004, quality: 'final' } as AssembledView;
    expect(noteOfAssembled(null, 1004)).toBe('putting the elements together');
    expect(noteOfAssembled(whole, 1005)).toBe('putting the elements together; this is still 1004');
    expect(noteOfAssembled(whole, 1004)).toBe('exact');
    expect(noteOfAssembled({ ...whole, isOld: true }, 1004)).toBe('putting the elements together');
  });
  test('how two pictures are compared, and what is missing of them', () => {
    const sides = { a: ready, b: loading };
    expect(noteOfCompare({ ...START_COMPARE, way: 'difference', gain: 8, signed: true }, sides)).toBe(
      'A less B, 8 times, grey is equal, loading',
    );
    expect(noteOfCompare(START_COMPARE, { a: ready, b: ready })).toBeNull();
    expect(messageOfSides({ a: failed, b: ready })).toBe('A: it is gone.');
    expect(messageOfSides({ a: failed, b: failed })).toBe('A: it is gone. B: it is gone.');
  });
  test('a look without what it needs says what to do', () => {
    const detail = (element: object) =>
      ({ settings: { elements: [{ beauty: 'b', encoding: null, ...element }] } }) as unknown as ShotDetail;
    const state = { status: 'none' } as const;
    expect(messageOf({ status: 'failed', message: 'Frame 1004 is missing.' }, 'sharp', detail({}), false)).toBe('Frame 1004 is missing.');
    expect(messageOf(state, 'sharp', detail({ beauty: null }), false)).toContain('step Passes');
    expect(messageOf(state, 'blurred', detail({}), false)).toContain('step Motion');
    expect(messageOf(state, 'layers', detail({}), false)).toContain('step Motion');
    expect(messageOf(state, 'directions', detail({}), true)).toBeNull();
    expect(messageOf(state, 'sharp', detail({}), false)).toBeNull();
  });
});

describe('how pictures are drawn', () => {
  test('what is not there yet is drawn as what is', () => {
    expect([
      modeOf('blurred', false, true),
      modeOf('blurred', true, true),
      modeOf('wipe', true, true),
      modeOf('wipe', false, true),
    ]).toEqual(['a', 'b', 'wipe', 'a']);
    expect([modeOf('speed', true, false), modeOf('speed', false, true), modeOf('trust', true, true)]).toEqual(['a', 'speed', 'a']);
    expect(modeOfCompare(START_COMPARE, false, true, false)).toBe('a');
    expect(modeOfCompare(START_COMPARE, false, false, true)).toBe('b');
    expect(modeOfCompare(START_COMPARE, false, true, true)).toBe('wipe');
  });
  test('holding F shows the other picture, whatever the way', () => {
    expect(modeOfCompare({ ...START_COMPARE, way: 'difference' }, true, true, true)).toBe('b');
    expect(modeOfCompare({ ...START_COMPARE, way: 'flick' }, false, true, true)).toBe('a');
  });
  test('the edge of a wipe is upright, that of a comparison turns', () => {
    expect(edgeOf('wipe', 0.3, START_COMPARE)).toEqual({ x: 0.3, y: 0.5, toX: 1, toY: 0 });
    const turned = edgeOf('compare', 0.3, { ...START_COMPARE, edge: { x: 0.2, y: 0.7, angleDeg: 90 } });
    expect([turned.x, turned.y, turned.toY]).toEqual([0.2, 0.7, 1]);
    expect(turned.toX).toBeCloseTo(0, 12);
  });
  test('sides are known apart', () => {
    const sides = [
      { kind: 'blurred' },
      { kind: 'sharp' },
      { kind: 'assembled' },
      { kind: 'pass', pass: 'p', shift: 0 },
      { kind: 'pass', pass: 'p', shift: 1 },
      { kind: 'state', state: 'p' },
    ].map((side) => sideKey(side as Parameters<typeof sideKey>[0]));
    expect(new Set(sides).size).toBe(sides.length);
  });
});

test('a pass is told by its file where another has its name', () => {
  const passes = [
    { id: '1', name: 'depth', file: 'heron/TC_010_heron.####.exr' },
    { id: '2', name: 'depth', file: 'TC_010_reeds.####.exr' },
    { id: '3', name: 'motion', file: 'TC_010_heron.####.exr' },
  ] as unknown as Pass[];
  expect(passes.map((p) => passLabel(p, passes))).toEqual(['depth of TC_010_heron', 'depth of TC_010_reeds', 'motion']);
});

describe('what a motion pass can be written as', () => {
  const byKey = (twoSided: boolean) => new Map(remapTargets(48, twoSided).map((t): [string, Encoding] => [t.key, t.encoding]));
  test('both ways only where both are known', () => {
    expect(byKey(false).has('both')).toBe(false);
    expect(
      byKey(true)
        .get('both')
        ?.sets.map((s) => [s.x, s.y, s.covers.to]),
    ).toEqual([
      ['R', 'G', 1],
      ['B', 'A', -1],
    ]);
  });
  test('whole numbers reach over the range that is asked for', () => {
    for (const key of ['centred', 'direction'])
      expect(byKey(false).get(key)).toMatchObject({ zero: 0.5, fullScale: { stored: 1, equals: 48, unit: 'px' } });
    expect(byKey(false).get('halves')).toMatchObject({ axes: { y: 'up' }, fullScale: { unit: 'halfFrame' } });
  });
  test('each has a name of its own', () => {
    const names = [...byKey(true).values()].map((e) => e.name);
    expect(new Set(names).size).toBe(names.length);
    expect(names.every((name) => (name ?? '').length > 5)).toBe(true);
  });
});

describe('files that are brought in', () => {
  const file = (name: string, inside = '') => Object.assign(new File(['x'], name), { webkitRelativePath: inside });
  const list = (...files: File[]) => files as unknown as FileList;
  type Entry = { name: string; isFile: boolean; isDirectory: boolean; file?: unknown; createReader?: unknown };
  const leaf = (name: string): Entry => ({
    name,
    isFile: true,
    isDirectory: false,
    file: (done: (f: File) => void) => done(file(name)),
  });
  const folder = (name: string, inside: Entry[]): Entry => ({
    name,
    isFile: false,
    isDirectory: true,
    createReader: () => {
      // A hundred at a time, as browsers do.
      const left = [...inside];
      return { readEntries: (done: (entries: Entry[]) => void) => done(left.splice(0, 100)) };
    },
  });
  const drop = (entries: Entry[], files: File[] = []) =>
    ({ items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })), files: list(...files) }) as unknown as DataTransfer;

  test('a folder that is chosen gives its name, and its files without it', () => {
    const chosen = filesOfInput(
      list(file('a.1001.exr', 'heron/a.1001.exr'), file('b.exr', 'heron/depth/b.exr'), file('.DS_Store', 'heron/.DS_Store')),
    );
    expect([chosen.name, chosen.files.map((f) => f.path)]).toEqual(['heron', ['a.1001.exr', 'depth/b.exr']]);
  });
  test('files without a folder are named after the first, without its number', () => {
    expect(filesOfInput(list(file('TC_010_heron.1001.exr'))).name).toBe('TC_010_heron');
    expect(filesOfInput(list(file('1001.exr'))).name).toBe('Upload');
    expect(filesOfInput(list()).name).toBe('Upload');
  });
  test('a folder that is dropped is opened to the bottom, hidden files left out', async () => {
    const many = Array.from({ length: 230 }, (_, i) => leaf(`h.${1001 + i}.exr`));
    const dropped = await filesOfDrop(
      drop([folder('heron', [...many, leaf('.hidden'), folder('depth', [leaf('z.exr')]), folder('.trash', [leaf('old.exr')])])]),
    );
    expect(dropped.name).toBe('heron');
    expect(dropped.files).toHaveLength(231);
    expect(dropped.files.map((f) => f.path).slice(-2)).toEqual(['h.1230.exr', 'depth/z.exr']);
  });
  test('several things that are dropped keep their folders', async () => {
    const dropped = await filesOfDrop(drop([folder('heron', [leaf('a.exr')]), leaf('plate.1001.exr')]));
    expect(dropped.files.map((f) => f.path)).toEqual(['heron/a.exr', 'plate.1001.exr']);
  });
  test('plain files, as some sources hand over, are taken too', async () => {
    expect((await filesOfDrop(drop([], [file('a.1001.exr')]))).files.map((f) => f.path)).toEqual(['a.1001.exr']);
  });
});
