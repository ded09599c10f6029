import type { Element } from '@ivrex/contract';
import { rawPixels } from '@ivrex/core';
import { checkDraft, newDraft, NOTHING, productsOf, usualName, usualPattern } from '../src/features/deliver/delivery-draft';

/** What a draft looks at of an element. */
const elementOf = (id: string, lightOf: string | null = null) => ({ id, name: id, lightOf }) as Element;
const [heron, shadow] = [elementOf('main'), elementOf('shadow')];
const encoding = rawPixels('R', 'G');

test('one element is delivered blurred, several are put together', () => {
  const alone = newDraft([heron], 1001, 1024);
  expect(productsOf(alone, [heron], () => encoding)).toEqual([{ kind: 'element', element: 'main' }]);
  const together = newDraft([heron, shadow], 1001, 1024);
  expect(productsOf(together, [heron, shadow], () => encoding)).toEqual([{ kind: 'assembled' }]);
  // A light pass is in its element's picture.
  const lit = [heron, elementOf('reflection', 'main')];
  expect(productsOf(newDraft(lit, 1001, 1024), lit, () => encoding)).toEqual([{ kind: 'element', element: 'main' }]);
});

test('what needs motion is left out where there is none; the order is that of the elements', () => {
  const all = { ...NOTHING, picture: true, motion: true, trust: true, mattes: ['', 'wing'] };
  const draft = { ...newDraft([heron, shadow], 1001, 1024), elements: { shadow: all, main: all } };
  const products = productsOf(draft, [heron, shadow], ({ id }) => (id === 'main' ? encoding : null));
  expect(products.map((p) => [p.kind, 'element' in p ? p.element : null])).toEqual([
    ['assembled', null],
    ['element', 'main'],
    ['matte', 'main'],
    ['matte', 'main'],
    ['motion', 'main'],
    ['trust', 'main'],
    ['element', 'shadow'],
    ['matte', 'shadow'],
    ['matte', 'shadow'],
  ]);
  expect(products[2]).toEqual({ kind: 'matte', element: 'main', objects: null });
});

test('names say what is in a delivery, in letters that every disk takes', () => {
  const draft = newDraft([heron], 1001, 1024);
  const name = (shot: string, products: ReturnType<typeof productsOf>) => usualName(shot, draft, products, [heron]);
  expect(name('TC 010/ä1', [{ kind: 'element', element: heron.id }])).toBe('TC_010_1_blurred');
  expect(name('TC_010', [{ kind: 'trust', element: heron.id }])).toBe('TC_010_trust');
  expect(name('TC_010', [{ kind: 'assembled' }, { kind: 'trust', element: heron.id }])).toBe('TC_010_passes');
});

test('file names tell apart what is not in one file, and versions', () => {
  const two = [{ kind: 'assembled' as const }, { kind: 'element' as const, element: heron.id }],
    { exr, png } = newDraft([heron], 1001, 1024).forms;
  expect(usualPattern(exr, two, 'changed')).toBe('{shot}/{name}/{name}.{frame}');
  expect(usualPattern({ ...exr, together: false }, two, 'changed')).toBe('{shot}/{name}/{name}_{what}.{frame}');
  expect(usualPattern(png, two, 'versionUp')).toBe('{shot}/{name}_v{version}/{name}_{what}_v{version}.{frame}');
});

test('a draft is checked as the server will, and a fault names its field', () => {
  const draft = newDraft([heron], 1001, 1024),
    check = (part: object) =>
      checkDraft(
        { ...draft, ...part },
        'TC_010',
        productsOf(draft, [heron], () => encoding),
        [heron],
      );
  expect(check({})).toMatchObject({ options: { name: 'TC_010_blurred', firstFrame: 1001, lastFrame: 1024 } });
  expect(check({ firstFrame: null })).toEqual({ fault: 'From: a number is needed' });
  expect(check({ every: 0 })).toEqual({ fault: expect.stringMatching(/^Every: /) as string });
  expect(check({ name: '../out' })).toEqual({ fault: expect.stringMatching(/^Name: /) as string });
});

test('trying another form loses nothing of the first one', () => {
  const draft = newDraft([heron], 1001, 1024),
    changed = { ...draft, forms: { ...draft.forms, exr: { ...draft.forms.exr, type: 'float' as const } }, kind: 'png' as const };
  expect({ ...changed, kind: 'exr' as const }.forms.exr.type).toBe('float');
});
