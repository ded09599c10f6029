import {
  blurredElement,
  byFactor,
  changeFocused,
  focusOn,
  freeElementId,
  gradeWhenOf,
  keepLinks,
  lightsOf,
  listedElements,
  newElement,
  opacityAt,
  passBelow,
  proposedElements,
  shotSettingsSchema,
  shutterOfElement,
  stackOf,
  withElements,
  withoutLights,
  type Element,
  type ElementId,
  type Pass,
  type ShotSettings,
} from '../src';

const ENCODING = (zero: number) => ({
  ivrexEncoding: 1 as const,
  name: `zero ${zero}`,
  sets: [{ x: 'R', y: 'G', covers: { from: 0, to: 1, unit: 'frames' as const } }],
  zero,
  fullScale: { stored: 1, equals: 64, unit: 'px' as const },
});

/** What a version before there were several elements kept. */
const OLD = {
  version: 1,
  roles: {},
  elements: [{ name: 'heron', beauty: null, motion: null, depth: null, ids: null, encoding: null, shutter: null }],
  shutter: { opens: -0.25, closes: 0.25, strength: 1 },
  path: 'auto',
  samples: 'auto',
  displayTransform: 'srgb',
};

function settingsOf(...more: readonly (Partial<Element> & { name: string })[]): ShotSettings {
  let settings = shotSettingsSchema.parse(OLD);
  for (const given of more) settings = withElements(settings, [newElement(settings.elements, given)]);
  return settings;
}
const encodingOf = (zero: number) =>
  shotSettingsSchema.parse({ ...OLD, elements: [{ ...OLD.elements[0], encoding: ENCODING(zero) }] }).elements[0].encoding;

test('settings of a version with one element are read as they were', () => {
  const [element] = shotSettingsSchema.parse(OLD).elements;
  expect(element).toMatchObject({
    id: 'main',
    matte: null,
    readAs: null,
    factor: 1,
    place: { blend: 'over', opacity: 1, gradeWhen: 'before' },
  });
  expect(shotSettingsSchema.parse(OLD).assembly).toMatchObject({ order: [], below: 'plate', lens: null, grade: null });
});

test('two elements of one id are refused, and so are curves out of order and unknown fields', () => {
  const settings = settingsOf({ name: 'shadow' });
  const wrong = (change: (s: ShotSettings) => unknown) => shotSettingsSchema.safeParse(change(settings)).success;
  expect(wrong((s) => s)).toBe(true);
  expect(wrong((s) => ({ ...s, elements: [s.elements[0], s.elements[0]] }))).toBe(false);
  const grade = (red: unknown) => (s: ShotSettings) => ({ ...s, assembly: { ...s.assembly, grade: { curves: { red } } } });
  expect(
    wrong(
      grade([
        [0, 0],
        [0.5, 0.7],
        [1, 1],
      ]),
    ),
  ).toBe(true);
  expect(
    wrong(
      grade([
        [0.5, 0],
        [0.2, 1],
      ]),
    ),
  ).toBe(false);
  expect(wrong(grade([[0, 0]]))).toBe(false);
  expect(wrong((s) => ({ ...s, assembly: { ...s.assembly, blur: 1 } }))).toBe(false);
});

test('new elements get ids that say what they are, and places: plate in front, shadows behind', () => {
  let settings = settingsOf({ name: 'Foam & Spray' }, { name: 'foam spray' });
  expect(settings.elements.map((e) => e.id)).toEqual(['main', 'foam-spray', 'foam-spray-2']);
  const reeds = newElement(settings.elements, { name: 'reeds' });
  settings = withElements(settings, [{ ...reeds, place: { ...reeds.place, fromPlate: true } }]);
  const shadow = newElement(settings.elements, { name: 'shadow' });
  settings = withElements(settings, [{ ...shadow, place: { ...shadow.place, shadow: { reads: 'density', way: 'holdOut' } } }]);
  settings = withElements(settings, [newElement(settings.elements, { name: 'gull' })]);
  expect(stackOf(settings).map((e) => e.name)).toEqual(['reeds', 'gull', 'foam spray', 'Foam & Spray', 'heron', 'shadow']);
  expect(freeElementId([], '!!!')).toBe('element');
});

test('work on one element is work on the first one; its order and the others stay', () => {
  const settings = settingsOf({ name: 'shadow' }, { name: 'gull' }),
    shadow = 'shadow' as ElementId;
  expect(focusOn(settings, shadow).elements.map((e) => e.id)).toEqual(['shadow', 'main', 'gull']);
  expect(focusOn(settings, 'gone' as ElementId)).toBe(settings);
  const changed = changeFocused(settings, shadow, (s) => ({ ...s, elements: [{ ...s.elements[0], factor: 2 }, ...s.elements.slice(1)] }));
  expect(changed.elements.map((e) => [e.id, e.factor])).toEqual([
    ['main', 1],
    ['shadow', 2],
    ['gull', 1],
  ]);
});

test('linked readings change together, from whichever side; a link to what is gone is let go', () => {
  const settings = settingsOf({ name: 'shadow', readAs: 'main' as ElementId }, { name: 'gull', readAs: 'shadow' as ElementId });
  const read = (id: string, zero: number) => (s: ShotSettings) => ({
    ...s,
    elements: s.elements.map((e) => (e.id === id ? { ...e, encoding: encodingOf(zero) } : e)),
  });
  const zeros = (s: ShotSettings) => s.elements.map((e) => e.encoding?.zero ?? null);
  const once = keepLinks(settings, read('main', 0.5)(settings));
  expect(zeros(once)).toEqual([0.5, 0.5, 0.5]);
  const twice = keepLinks(once, read('gull', 0)(once));
  expect(zeros(twice)).toEqual([0, 0, 0]);
  const without = keepLinks(twice, { ...twice, elements: twice.elements.filter((e) => e.id !== 'main') });
  expect(without.elements.map((e) => [e.readAs, e.encoding?.zero])).toEqual([
    [null, 0],
    ['shadow', 0],
  ]);
  // A link that is made takes the other's reading; one that is let go keeps what it had.
  const apart = keepLinks(twice, { ...twice, elements: twice.elements.map((e) => (e.id === 'gull' ? { ...e, readAs: null } : e)) });
  expect(zeros(keepLinks(apart, read('gull', 0.7)(apart)))).toEqual([0, 0, 0.7]);
  // A circle ends.
  const circle = {
    ...settings,
    elements: settings.elements.map((e) => ({ ...e, readAs: e.id === 'main' ? ('shadow' as ElementId) : ('main' as ElementId) })),
  };
  expect(keepLinks(settings, circle).elements).toHaveLength(3);
});

test('an element is blurred under its own shutter or the shot’s, times its factor', () => {
  const settings = settingsOf({ name: 'far', factor: 0.4 });
  const [main, far] = settings.elements;
  expect(shutterOfElement(settings, main)).toBe(settings.shutter);
  expect(shutterOfElement(settings, far)).toMatchObject({ opens: -0.25, closes: 0.25, strength: 0.4 });
  const keyed = { ...settings.shutter, keys: [{ frame: 1, strength: 2, way: 'hold' as const }] };
  expect(byFactor(keyed, 0.5)).toMatchObject({ strength: 0.5, keys: [{ strength: 1 }] });
  expect(shutterOfElement(settings, { ...far, shutter: { ...settings.shutter, closes: 0.5 } })).toMatchObject({
    closes: 0.5,
    strength: 0.4,
  });
});

describe('light passes', () => {
  const pass = (id: string, role: string, more: Partial<Pass> = {}) =>
    ({
      id,
      name: id,
      layer: '',
      sequenceId: 's',
      width: 9,
      height: 5,
      channels: [],
      ranges: null,
      guess: { role },
      ...more,
    }) as unknown as Pass;
  const id = (n: number) => `00000000-0000-4000-8000-00000000000${n}` as Pass['id'];
  const PASSES = [
    pass(id(1), 'beauty'),
    pass(id(2), 'motion'),
    pass(id(3), 'light', { layer: 'reflection' }),
    pass(id(4), 'light', { layer: 'specular' }),
    pass(id(5), 'light', { layer: 'refraction', width: 4 }),
    pass(id(6), 'motion', { layer: 'specular_motion' }),
  ];
  const base = settingsOf();
  const [main] = base.elements;
  const whole: ShotSettings = {
    ...base,
    elements: [{ ...main, beauty: id(1), encoding: encodingOf(0.5), motion: id(2) }],
  };
  const proposed = withElements(whole, proposedElements(whole, PASSES));
  const named = (name: string) => proposed.elements.find((e) => e.name === name) ?? main;

  test('layers of light are proposed for the element that they are in, each with the motion of its name', () => {
    expect(proposed.elements.slice(1)).toMatchObject([
      { name: 'reflection', beauty: id(3), motion: null, lightOf: 'main' },
      { name: 'specular', beauty: id(4), motion: id(6), lightOf: 'main' },
    ]);
    expect(proposedElements(proposed, PASSES)).toEqual([]);
  });
  test('they are listed with their element, and not laid over anything', () => {
    expect(stackOf(proposed).map((e) => e.name)).toEqual(['heron']);
    expect(listedElements(proposed).map((e) => e.name)).toEqual(['heron', 'reflection', 'specular']);
    expect(proposed.assembly.order).not.toContain('reflection');
  });
  test('only what has motion that is read is taken out of the beauty', () => {
    expect(lightsOf(proposed, proposed.elements[0])).toEqual([]);
    const read = { ...proposed, elements: proposed.elements.map((e) => (e.name === 'specular' ? { ...e, encoding: encodingOf(0) } : e)) };
    expect(lightsOf(read, read.elements[0]).map((e) => e.name)).toEqual(['specular']);
    expect(lightsOf(read, read.elements[2])).toEqual([]);
    expect(gradeWhenOf(proposed, proposed.elements[0])).toBe('before');
    expect(gradeWhenOf(read, read.elements[0])).toBe('after');
    expect(withoutLights(read).elements.map((e) => e.name)).toEqual(['heron']);
    const focused = focusOn(read, named('specular').id);
    expect(withoutLights(focused)).toBe(focused);
  });
  test('one is cut, hidden, defocused and exposed as its surface is', () => {
    const surface = {
      ...proposed.elements[0],
      depth: id(7),
      matte: { kind: 'pass' as const, pass: id(8), invert: true },
      factor: 0.5,
      shutter: { ...proposed.shutter, closes: 0.75 },
    };
    const settings = { ...proposed, elements: [surface, ...proposed.elements.slice(1).map((e) => ({ ...e, factor: 0.5 }))] };
    expect(blurredElement(settings, settings.elements[1])).toMatchObject({ name: 'reflection', depth: id(7), matte: { invert: true } });
    expect(blurredElement(settings, surface)).toBe(surface);
    expect(shutterOfElement(settings, settings.elements[1])).toMatchObject({ closes: 0.75, strength: 0.25 });
  });
  test('without its element, or of another light pass, it stands for itself', () => {
    const orphan = { ...proposed, elements: proposed.elements.slice(1) };
    expect(keepLinks(proposed, orphan).elements.map((e) => e.lightOf)).toEqual([null, null]);
    const chain = {
      ...proposed,
      elements: proposed.elements.map((e) => (e.name === 'specular' ? { ...e, lightOf: named('reflection').id } : e)),
    };
    expect(keepLinks(proposed, chain).elements.map((e) => e.lightOf)).toEqual([null, 'main', null]);
    expect(stackOf(chain).map((e) => e.name)).toContain('specular');
  });
});

test('opacity follows its keys', () => {
  const keys = [
    { frame: 10, value: 0.2, way: 'linear' as const },
    { frame: 20, value: 1, way: 'hold' as const },
    { frame: 30, value: 0, way: 'smooth' as const },
  ];
  const at = (frame: number) => opacityAt({ opacity: 0.7, opacityKeys: keys }, frame);
  expect([0, 10, 15, 20, 29, 30, 99].map(at)).toEqual([0.2, 0.2, expect.closeTo(0.6, 9), 1, 1, 0, 0]);
  expect(opacityAt({ opacity: 0.7, opacityKeys: [] }, 5)).toBe(0.7);
});

test('what lies below is the chosen plate, else the first of that role, the clean background, or nothing', () => {
  const pass = (id: string, role: string) => ({ id, guess: { role } }) as unknown as Pass;
  const passes = [pass('a', 'beauty'), pass('b', 'plate'), pass('c', 'plate'), pass('d', 'other')];
  const settings = settingsOf();
  const below = (assembly: Partial<ShotSettings['assembly']>, background: string | null = null) =>
    passBelow(
      { ...settings, background: background as ShotSettings['background'], assembly: { ...settings.assembly, ...assembly } },
      passes,
    )?.id ?? null;
  expect(below({})).toBe('b');
  expect(below({ plate: 'c' as ShotSettings['assembly']['plate'] })).toBe('c');
  expect(below({ plate: 'gone' as ShotSettings['assembly']['plate'] })).toBe('b');
  expect(below({ below: 'background' }, 'd')).toBe('d');
  expect(below({ below: 'nothing' })).toBeNull();
});
