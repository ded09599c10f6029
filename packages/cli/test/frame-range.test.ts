import { UsageError } from '../src/cli-error';
import { parseCount, parseFrameRange, parseNumber } from '../src/frame-range';

test.each([
  ['1001-1024', 1001, 1024],
  ['1010', 1010, 1010],
  ['-8-12', -8, 12],
  ['-8--3', -8, -3],
  ['0-0', 0, 0],
])('--frames %s', (text, first, last) => expect(parseFrameRange(text)).toEqual({ first, last }));

test.each(['', 'all', '1001-', '1001..1024', '10.5', '1001-1024x2', ' 1001'])('--frames "%s" is no range', (text) =>
  expect(() => parseFrameRange(text)).toThrow(new UsageError(`--frames takes A-B or one number, not "${text}"`)),
);

test('a range that runs backwards is said to', () => expect(() => parseFrameRange('1024-1001')).toThrow('ends before it starts'));

test('numbers, and whole ones from 1 on', () => {
  expect(['0.5', '-3', '1e2'].map(parseNumber('fps'))).toEqual([0.5, -3, 100]);
  for (const text of ['', ' ', 'x', 'Infinity', '1,5']) expect(() => parseNumber('fps')(text)).toThrow('--fps takes a number');
  expect(parseCount('threads')('8')).toBe(8);
  for (const text of ['0', '-1', '2.5']) expect(() => parseCount('threads')(text)).toThrow('--threads takes a whole number from 1 on');
});
