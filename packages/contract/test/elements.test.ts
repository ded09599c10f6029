import {
  byFactor,
  changeFocused,
  focusOn,
  freeElementId,
  keepLinks,
  newElement,
  opacityAt,
  passBelow,
  shotSettingsSchema,
  shutterOfElement,
  stackOf,
  withElements,
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
