import { Kept } from '../src/tasks/kept';

const made: string[] = [];
const make = (name: string) => () => {
  made.push(name);
  return Promise.resolve(name);
};

beforeEach(() => {
  made.length = 0;
});

test('what was asked for last is kept, what was asked for longest ago goes', async () => {
  const kept = new Kept<string>(2);
  for (const name of ['a', 'b', 'a', 'c', 'a', 'b']) expect(await kept.get(name, make(name))).toBe(name);
  // "c" took the place of "b", which had been asked for before "a".
  expect(made).toEqual(['a', 'b', 'c', 'b']);
});

test('two who ask at the same time wait for the same', async () => {
  const kept = new Kept<string>(2);
  expect(await Promise.all([kept.get('a', make('a')), kept.get('a', make('a'))])).toEqual(['a', 'a']);
  expect(made).toEqual(['a']);
});

test('what could not be made is tried anew, and what is cleared is made anew', async () => {
  const kept = new Kept<string>(2);
  await expect(kept.get('a', () => Promise.reject(new Error('not now')))).rejects.toThrow('not now');
  expect(await kept.get('a', make('a'))).toBe('a');
  kept.clear();
  expect(await kept.get('a', make('a'))).toBe('a');
  expect(made).toEqual(['a', 'a']);
});
