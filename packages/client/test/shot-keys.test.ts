import { viewAfter, viewAfterLettingGo } from '../src/features/shot/shot-keys';
import { useView, type ViewState } from '../src/viewer/view-store';

const SHOT = { firstFrame: 1001, lastFrame: 1024 },
  PLAIN = { takesSpace: false, takesArrows: false };
const view: ViewState = { ...useView.getState(), frame: 1010 };
const press = (key: string, { shiftKey = false, ...over }: Partial<ViewState> & { shiftKey?: boolean } = {}, target = PLAIN) =>
  viewAfter({ key, shiftKey }, { ...view, ...over }, SHOT, target);

test('arrows step through the frames and stop at the ends of the shot', () => {
  expect(press('ArrowRight')).toEqual({ playing: false, frame: 1011 });
  expect(press('ArrowLeft', { shiftKey: true })).toEqual({ playing: false, frame: 1001 });
  expect(press('ArrowRight', { frame: 1020, shiftKey: true })).toEqual({ playing: false, frame: 1024 });
});

test('a control that takes a key keeps it', () => {
  expect(press('ArrowRight', {}, { takesSpace: false, takesArrows: true })).toBeNull();
  expect(press(' ', {}, { takesSpace: true, takesArrows: false })).toBeNull();
  expect(press(' ', { playing: true })).toEqual({ playing: false });
});

test('letters choose what is looked at, also as capitals', () => {
  expect(['s', 'B', 'w', 'd', 'a'].map((key) => press(key)?.look)).toEqual(['sharp', 'blurred', 'wipe', 'directions', 'contact']);
});

test('exposure goes by half stops and stays within six', () => {
  expect(press('+', { exposure: 1 })).toEqual({ exposure: 1.5 });
  expect(press('=', { exposure: 6 })).toEqual({ exposure: 6 });
  expect(press('-', { exposure: -6 })).toEqual({ exposure: -6 });
});

test('a value is pinned where the pointer is, once, and the oldest of six goes', () => {
  const pins = [1, 2, 3, 4, 5, 6].map((x) => ({ x, y: 0 }));
  expect(press('p', { pointer: null })).toBeNull();
  expect(press('p', { pointer: { x: 9, y: 9 }, pins })?.pins?.map((p) => p.x)).toEqual([2, 3, 4, 5, 6, 9]);
  expect(press('p', { pointer: { x: 3, y: 0 }, pins })?.pins?.map((p) => p.x)).toEqual([1, 2, 4, 5, 6, 3]);
});

test('held keys are taken back when they are let go', () => {
  for (const key of ['f', 'U']) {
    const on = press(key) ?? {},
      off = viewAfterLettingGo(key) ?? {};
    expect(Object.keys(off)).toEqual(Object.keys(on));
    expect([Object.values(on), Object.values(off)]).toEqual([[true], [false]]);
  }
  expect(viewAfterLettingGo('n')).toBeNull();
});

test('other keys do nothing', () => expect(['Enter', 'Tab', 'q', 'F5', 'Escape'].map((key) => press(key))).toEqual(Array(5).fill(null)));
