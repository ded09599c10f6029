import { newElement, type Pass, type PassId, type Role, type ShotDetail, type ShotSettings } from '@ivrex/contract';
import { PLAIN_DEPTH, rawPixels, type ShutterPlan } from '@ivrex/core';
import { stampPasses } from '../src/api/raster-cache';
import { withDepthEncoding, withFix, withIdChannel, withOffset, withReading, withRole } from '../src/features/passes/settings-changes';
import { blurKey, fieldKey, planKey } from '../src/viewer/blur-keys';

const pass = (id: string, role: Role, frames: readonly number[] | null = [1001, 1002, 1003]): Pass =>
  ({
    id,
    name: id,
    role,
    guess: { role },
    frames,
    offset: 0,
    sequenceId: `s-${id}`,
    fps: 24,
    usual: { curve: 'linear', alpha: { kind: 'premultiplied' } },
  }) as unknown as Pass;
const passes = [pass('beauty', 'beauty'), pass('motion', 'motion'), pass('other', 'other'), pass('matte', 'matte'), pass('clean', 'other')];
const encoding = rawPixels('x', 'y');
const element = { ...newElement([], { name: 'heron', encoding }), beauty: 'beauty' as PassId, motion: 'motion' as PassId };
const settings = {
  elements: [element],
  roles: {},
  readings: {},
  offsets: {},
  fps: null,
  path: 'auto',
  hidden: 'auto',
  background: null,
  samples: 'auto',
} as unknown as ShotSettings;

test('without a pass no element has its depth or ids from it', () => {
  const both = { ...element, depth: 'other' as PassId, ids: 'other' as PassId, depthEncoding: PLAIN_DEPTH };
  const { elements } = withFix({ ...settings, elements: [both, both] } as ShotSettings, passes, {
    kind: 'doWithout',
    passId: 'other' as PassId,
  });
  expect(elements.map((e) => [e.depth, e.depthEncoding, e.ids, e.motion])).toEqual([
    [null, null, null, 'motion'],
    [null, null, null, 'motion'],
  ]);
});

describe('roles, readings and offsets of passes', () => {
  const roled = (id: string, role: Role, from = settings) => withRole(from, passes, id as PassId, role);
  test('a pass that becomes motion takes the place of the one before, whose encoding goes with it', () => {
    const next = roled('other', 'motion');
    expect(next.elements[0]).toMatchObject({ motion: 'other', beauty: 'beauty', encoding: null });
    expect(next.roles).toEqual({ other: 'motion' });
    expect(roled('other', 'depth').elements[0]).toMatchObject({ depth: 'other', motion: 'motion', encoding });
  });
  test('a pass that loses its role leaves it to another of that role, or to none', () => {
    const two = roled('other', 'beauty');
    expect(two.elements[0].beauty).toBe('other');
    const back = roled('other', 'other', { ...two, roles: { ...two.roles, beauty: 'beauty' } });
    expect(back.elements[0].beauty).toBe('beauty');
    expect(roled('beauty', 'plate').elements[0].beauty).toBeNull();
  });
  test('how depth is stored and where ids are belong to the passes that they were chosen for', () => {
    const depth = { ...PLAIN_DEPTH, channel: 'R', nothing: [0, 1e10] };
    const chosen = withIdChannel(withDepthEncoding(roled('other', 'depth'), depth), 'G');
    expect(chosen.elements[0]).toMatchObject({ depth: 'other', depthEncoding: depth, idChannel: 'G' });
    expect(roled('motion', 'motion', chosen).elements[0]).toMatchObject({ depthEncoding: depth, idChannel: 'G' });
    expect(roled('clean', 'depth', chosen).elements[0]).toMatchObject({ depth: 'clean', depthEncoding: null, idChannel: 'G' });
    expect(roled('clean', 'ids', chosen).elements[0]).toMatchObject({ ids: 'clean', depthEncoding: depth, idChannel: null });
    expect(withDepthEncoding(chosen, null).elements[0].depthEncoding).toBeNull();
  });
  test('an offset of 0 is no entry', () => {
    const shifted = withOffset(settings, 's-motion', 1);
    expect(shifted.offsets).toEqual({ 's-motion': 1 });
    expect(withOffset(shifted, 's-motion', 0).offsets).toEqual({});
    expect(withOffset(shifted, 's-beauty', -2).offsets).toEqual({ 's-motion': 1, 's-beauty': -2 });
  });
  test('every fix of a finding changes what it names and nothing else', () => {
    const reading = { curve: 'srgb', alpha: { kind: 'straight' } } as const;
    const fix = (f: Parameters<typeof withFix>[2]) => withFix(settings, passes, f);
    expect(fix({ kind: 'shiftFrames', sequenceId: 's-motion', offset: 1 } as never)).toEqual({ ...settings, offsets: { 's-motion': 1 } });
    expect(fix({ kind: 'setReading', passId: 'beauty', reading } as never)).toEqual({ ...settings, readings: { beauty: reading } });
    expect(fix({ kind: 'setRate', fps: 25 } as never)).toEqual({ ...settings, fps: 25 });
    expect(fix({ kind: 'setRole', passId: 'matte', role: 'matte' } as never).roles).toEqual({ matte: 'matte' });
    const trimmed = fix({ kind: 'trimEdge', passId: 'beauty', trimPx: 1.5 } as never);
    expect(trimmed.elements[0].place.edge).toEqual({ ...element.place.edge, trimPx: 1.5 });
    expect(fix({ kind: 'trimEdge', passId: 'other', trimPx: 1.5 } as never).elements).toEqual(settings.elements);
  });
});

describe('a picture in memory is known by all that it depends on', () => {
  const shutter: ShutterPlan = { opens: -0.25, closes: 0.25, strength: 1, keys: [], floorPx: null, ceilingPx: null };
  const detail = (over: Partial<ShotSettings> = {}, of = passes) => {
    const shot = { settings: { ...settings, ...over }, passes: of, look: 'now' } as unknown as ShotDetail;
    stampPasses(shot);
    return shot;
  };
  const keys = (over: Partial<ShotSettings> = {}, plan = shutter, frame = 1002, of = passes) => {
    const shot = detail(over, of),
      [first] = shot.settings.elements;
    return [fieldKey(shot, first, frame), planKey(shot, first, frame), blurKey(shot, first, plan, frame)];
  };
  const plain = keys();
  /** Which of field, plan and blur are other ones. */
  const changed = (now: readonly string[]) => now.map((key, i) => key !== plain[i]);
  const withElement = (over: object) => ({ elements: [{ ...element, ...over }] }) as Partial<ShotSettings>;

  test('the same is the same', () => expect(changed(keys())).toEqual([false, false, false]));
  test.each<[string, () => string[], [boolean, boolean, boolean]]>([
    ['another frame', () => keys({}, shutter, 1003), [true, true, true]],
    ['another encoding', () => keys(withElement({ encoding: rawPixels('R', 'G') })), [true, true, true]],
    ['a repair', () => keys(withElement({ repairs: [{ kind: 'outliers', on: true }] })), [true, true, true]],
    [
      'a trimmed edge',
      () => keys(withElement({ place: { ...element.place, edge: { ...element.place.edge, trimPx: 1 } } })),
      [true, true, true],
    ],
    ['frames of a second', () => keys({ fps: 25 }), [true, true, true]],
    [
      'how the beauty is read',
      () => keys(withReading(settings, 'beauty' as PassId, { curve: 'srgb', alpha: { kind: 'none' } })),
      [true, true, true],
    ],
    ['hidden parts off', () => keys({ hidden: 'off' }), [false, true, true]],
    ['a clean background', () => keys({ background: 'clean' as PassId }), [false, true, true]],
    ['straight paths', () => keys({ path: 'straight' }), [false, true, true]],
    [
      'a neighbour that is gone',
      () => keys({}, shutter, 1002, [pass('beauty', 'beauty', [1001, 1002]), ...passes.slice(1)]),
      [false, true, true],
    ],
    ['another shutter', () => keys({}, { ...shutter, closes: 0.5 }), [false, false, true]],
    ['a speed ceiling', () => keys({}, { ...shutter, ceilingPx: 30 }), [false, false, true]],
    ['a number of slices', () => keys({ samples: 32 }), [false, false, true]],
    [
      'a strength key elsewhere',
      () => keys({}, { ...shutter, keys: [{ frame: 1002, strength: 1, way: 'smooth' }] }),
      [false, false, false],
    ],
    ['a name', () => keys(withElement({ name: 'crane' })), [false, false, false]],
    ['a light after the blur', () => keys(withElement({ place: { ...element.place, opacity: 0.5 } })), [false, false, false]],
  ])('%s', (_, make, expected) => expect(changed(make())).toEqual(expected));
});
