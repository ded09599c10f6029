import { passSchema, shotSettingsSchema, type Finding, type Pass, type Role, type ShotSettings } from '@ivrex/contract';
import type { ChannelMeasure, PassMeasure } from '@ivrex/core';
import type { SequenceRow } from '../src/db/queries/list-sequences';
import { findingsOf, listFrames, type FindingFacts } from '../src/services/findings';

const uuid = (n: number) => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;

interface Made {
  readonly name: string;
  readonly role: Role;
  readonly frames: readonly number[];
  readonly measure?: PassMeasure;
  readonly more?: Partial<Record<keyof Pass, unknown>>;
  readonly files?: Partial<SequenceRow>;
}

/** A shot of one-pass sequences; ids follow the order. */
function shotOf(made: readonly Made[], change: Partial<ShotSettings> = {}): FindingFacts {
  const offsets = change.offsets ?? {};
  const passes = made.map(({ name, role, frames, measure, more }, i) => {
    const offset = offsets[uuid(i + 1)] ?? 0;
    const pass = passSchema.parse({
      ...{
        id: uuid(100 + i),
        sequenceId: uuid(i + 1),
        name,
        file: `${name}.####.exr`,
        part: 0,
        layer: '',
        width: 960,
        height: 540,
        pixelAspect: 1,
      },
      ...{
        channels: [{ name: 'R', type: 'half' }],
        compression: 'zip',
        format: 'OpenEXR',
        cryptomatte: false,
        missing: [],
        offset,
        fps: 24,
        facts: [],
      },
      ...{ guess: { role, reason: 'said so', sure: 1 }, usual: { curve: 'linear', alpha: { kind: 'premultiplied' } }, ranges: null },
      frames: frames.map((f) => f - offset),
      ...more,
    });
    return { pass, measures: measure === undefined ? [] : [measure] };
  });
  const sequences = made.map(
    ({ name, frames, files }, i): SequenceRow =>
      ({
        id: uuid(i + 1),
        name: `${name}.####.exr`,
        frames: [...frames],
        missing: [],
        fps: 24,
        format: 'OpenEXR',
        broken: [],
        different: [],
        doubles: [],
        ...files,
      }) as SequenceRow,
  );
  const idOf = (role: Role) => passes.find(({ pass }) => pass.guess.role === role)?.pass.id ?? null;
  const settings = shotSettingsSchema.parse({
    version: 1,
    roles: {},
    elements: [
      {
        name: 'e',
        beauty: idOf('beauty'),
        motion: idOf('motion'),
        depth: null,
        ids: null,
        encoding: null,
        shutter: null,
        repairs: [],
        facts: [],
      },
    ],
    shutter: { opens: -0.25, closes: 0.25, strength: 1 },
    path: 'auto',
    samples: 'auto',
    displayTransform: 'srgb',
    ...change,
  });
  return { sequences, passes, absent: [], unreadable: [], beautyBlur: null, settings };
}

const range = (first: number, last: number) => Array.from({ length: last - first + 1 }, (_, i) => first + i);
const beauty: Made = { name: 'beauty', role: 'beauty', frames: range(1001, 1010) };
const motion: Made = { name: 'motion', role: 'motion', frames: range(1001, 1010) };
const saying = (findings: readonly Finding[], text: string | RegExp) =>
  findings.find((f) => (typeof text === 'string' ? f.message.includes(text) : text.test(f.message)));
const channel = (more: Partial<ChannelMeasure>): ChannelMeasure => ({
  ...{ name: 'R', type: 'half', min: 0, max: 1, nan: 0, inf: 0, rest: 0, restShare: 0.6, belowShare: 0.5, wholeShare: 0, distinct: 900 },
  ...more,
});

test('a shot in which all is well has nothing to say', () => {
  expect(findingsOf(shotOf([beauty, motion]))).toEqual([]);
});

describe('numbers', () => {
  test('the same range one later is named with its effect and the shift that mends it', () => {
    const late = { ...motion, frames: range(1002, 1011) };
    const found = saying(findingsOf(shotOf([beauty, late])), 'is numbered 1002 to 1011, the beauty 1001 to 1010');
    expect(found?.message).toContain('1 frame later');
    expect(found?.effect).toContain('motion of its neighbour');
    expect(found?.fixes).toEqual([{ label: 'Shift it by -1', fix: { kind: 'shiftFrames', sequenceId: uuid(2), offset: 1 } }]);
    // Taking the fix settles it; a wrong shift is told, with the way back.
    expect(findingsOf(shotOf([beauty, late], { offsets: { [uuid(2)]: 1 } }))).toEqual([]);
    expect(saying(findingsOf(shotOf([beauty, motion], { offsets: { [uuid(2)]: 3 } })), 'shifted by 3')?.fixes[0].label).toBe(
      'Take the numbers as they are',
    );
  });
  test('a pass that counts from 1 is the same frames under other numbers', () => {
    const found = saying(findingsOf(shotOf([beauty, { ...motion, frames: range(1, 10) }])), '1000 frames earlier');
    expect(found?.fixes[0].fix).toEqual({ kind: 'shiftFrames', sequenceId: uuid(2), offset: -1000 });
  });
  test('a shorter pass says which frames it does not reach', () => {
    expect(
      saying(findingsOf(shotOf([beauty, { ...motion, frames: range(1001, 1007) }])), 'does not reach frames 1008 to 1010'),
    ).toBeDefined();
  });
  test('single reference frames are no fault', () => {
    const reference: Made = { name: 'blur', role: 'reference', frames: [1004], files: { missing: [] } };
    expect(findingsOf(shotOf([beauty, motion, reference]))).toEqual([]);
  });
});

test('broken, missing, different and doubled frames are named, in the numbers of the shot', () => {
  const files = {
    broken: [{ frame: 1004, error: { code: 'truncated', message: 'the picture is incomplete' } }],
    missing: [1006],
    different: [1008],
    doubles: ['beauty.01001.exr'],
  };
  const findings = findingsOf(shotOf([{ ...beauty, files }, motion]));
  expect(saying(findings, 'frame 1004: the picture is incomplete.')).toMatchObject({
    severity: 'error',
    frame: 1004,
    effect: 'This frame cannot be blurred; the others can.',
  });
  expect(saying(findings, 'frame 1006 is missing')?.severity).toBe('warning');
  expect(saying(findings, 'frame 1008 has another size or other channels')).toBeDefined();
  expect(saying(findings, 'beauty.01001.exr hold frames')).toBeDefined();
});

test('rates that are unknown or disagree are asked about, until one is chosen', () => {
  const none = { fps: null };
  const unknown = findingsOf(
    shotOf([
      { ...beauty, files: none },
      { ...motion, files: none },
    ]),
  );
  expect(saying(unknown, 'No file says its frame rate')?.fixes.map((f) => f.label)).toEqual(['24 a second', '25 a second', '30 a second']);
  const differ = shotOf([beauty, { ...motion, files: { fps: 23.976 } }]);
  expect(saying(findingsOf(differ), 'disagree about the frame rate')?.fixes).toHaveLength(2);
  expect(findingsOf({ ...differ, settings: { ...differ.settings, fps: 24 } })).toEqual([]);
});

test('sizes and pixel aspects that differ', () => {
  const findings = findingsOf(shotOf([beauty, { ...motion, more: { width: 480, height: 270, pixelAspect: 2 } }]));
  expect(saying(findings, 'is 480 x 270, the beauty 960 x 540')?.effect).toContain('softer');
  expect(saying(findings, 'pixel aspect of 2')).toBeDefined();
  expect(saying(findingsOf(shotOf([beauty, { ...motion, more: { width: 960, height: 400 } }])), 'is 960 x 400')?.effect).toContain(
    'another framing',
  );
});

describe('what pixels say about data', () => {
  test('NaN, whole numbers and a picture curve on motion', () => {
    const measure = { channels: [channel({ type: 'u8', rest: 0.7353, nan: 3 })], alpha: null };
    const findings = findingsOf(shotOf([beauty, { ...motion, measure, more: { channels: [{ name: 'R', type: 'u8' }], format: 'PNG' } }]));
    expect(saying(findings, 'holds 3 pixels that are not a number')?.severity).toBe('warning');
    expect(saying(findings, 'whole numbers of 8 bits (PNG)')?.severity).toBe('warning');
    expect(saying(findings, 'rests at 0.735 instead of 0.5')?.effect).toContain('diagonally');
  });
  test('JPEG motion is an error, 16-bit motion a hint', () => {
    const jpeg = findingsOf(shotOf([beauty, { ...motion, more: { channels: [{ name: 'R', type: 'u8' }], format: 'JPEG' } }]));
    expect(saying(jpeg, 'is a JPEG')?.severity).toBe('error');
    const wide = findingsOf(shotOf([beauty, { ...motion, more: { channels: [{ name: 'R', type: 'u16' }], format: 'TIFF' } }]));
    expect(saying(wide, '16 bits (TIFF)')?.severity).toBe('info');
  });
});

describe('alpha as declared against alpha as measured', () => {
  const alpha = { aboveShare: 0, underShare: 0, underColour: [0, 0, 0] as const, underSpread: 0, partialShare: 0.02 };
  const withAlpha = (more: object, change: Partial<ShotSettings> = {}) =>
    findingsOf(shotOf([{ ...beauty, measure: { channels: [channel({})], alpha: { ...alpha, ...more } } }, motion], change));
  const reading = (kind: 'straight' | 'premultiplied') => ({ readings: { [uuid(100)]: { curve: 'linear' as const, alpha: { kind } } } });
  test('bright edges under a premultiplied reading are straight', () => {
    const found = saying(withAlpha({ aboveShare: 0.8 }), 'it looks straight');
    expect(found?.fixes[0].fix).toMatchObject({ kind: 'setReading', reading: { alpha: { kind: 'straight' } } });
    expect(withAlpha({ aboveShare: 0.8 }, reading('straight'))).toEqual([]);
  });
  test('edges that never exceed their alpha under a straight reading are premultiplied', () => {
    expect(saying(withAlpha({}, reading('straight')), 'it looks premultiplied')?.effect).toContain('dark');
    expect(withAlpha({})).toEqual([]);
  });
  test('one flat colour under zero alpha is a matte colour', () => {
    const found = saying(withAlpha({ underShare: 0.99, underColour: [0.2, 0.4, 0.6] }), 'matted on that colour');
    expect(found?.fixes[0].fix).toMatchObject({ reading: { alpha: { kind: 'matted', colour: [0.2, 0.4, 0.6] } } });
  });
});

test('blur that was left on in the beauty is said, and it can be made a reference', () => {
  const facts = shotOf([beauty, motion]);
  const found = saying(findingsOf({ ...facts, beautyBlur: { softer: 5, pixels: 5000 } }), 'seems to hold motion blur already');
  expect(found?.message).toContain('5.0 times softer');
  expect(found?.fixes[0].fix).toMatchObject({ kind: 'setRole', role: 'reference' });
  expect(findingsOf({ ...facts, beautyBlur: { softer: 1.1, pixels: 5000 } })).toEqual([]);
});

test('missing roles are told', () => {
  const findings = findingsOf(shotOf([{ ...beauty, role: 'other' }]));
  expect(saying(findings, 'No pass is taken for the beauty')).toBeDefined();
  expect(saying(findings, 'No pass is taken for motion')).toBeDefined();
});

test('frames are listed in runs', () => {
  expect(listFrames([1, 2, 3, 7, 9, 10])).toBe('1 to 3, 7, 9 to 10');
});

describe('files that were there once', () => {
  const facts = shotOf([beauty, motion]),
    [first, second] = facts.passes.map(({ pass }) => pass);
  const of = (absent: Partial<FindingFacts['absent'][number]>, more: Partial<FindingFacts> = {}) =>
    findingsOf({
      ...facts,
      absent: [{ passId: second.id, layer: 'motion', file: 'heron.####.exr', hasFiles: true, isNew: false, ...absent }],
      ...more,
    });
  const other = { passId: uuid(900) as Pass['id'] };

  test('what an element uses is an error as long as it is away', () =>
    expect(saying(of({}), 'Layer motion is no longer in heron.####.exr, and e uses it.')).toMatchObject({ severity: 'error', fixes: [] }));

  test('depth and ids can be done without', () => {
    const elements = [{ ...facts.settings.elements[0], depth: other.passId }] as ShotSettings['elements'];
    const settings = { ...facts.settings, elements };
    const gone = saying(
      of({ ...other, layer: 'depth', hasFiles: false }, { settings }),
      'heron.####.exr is no longer in the folder, and e uses it.',
    );
    expect(gone?.fixes).toEqual([{ label: 'Do without depth', fix: { kind: 'doWithout', passId: other.passId } }]);
  });

  test('what nobody uses is said once', () => {
    expect(saying(of({ ...other, isNew: true }), 'Layer motion is no longer in heron.####.exr.')?.severity).toBe('info');
    expect(saying(of(other), 'no longer')).toBeUndefined();
  });

  test('files that are there and damaged are said once, and who uses them', () => {
    const unreadable = [{ name: 'heron.####.exr', error: { message: 'it is empty' } }];
    expect(
      of({ ...other, isNew: true, hasFiles: false }, { unreadable }).filter((f) => f.message.startsWith('heron.####.exr')),
    ).toHaveLength(1);
    expect(saying(of({ passId: first.id, hasFiles: false }, { unreadable }), 'can no longer be read, and e uses it')).toBeDefined();
  });
});
