import { nothingText, tryParseNothing } from '../src/features/passes/nothing-values';

test('values that mean nothing are written as they are typed, and read back', () => {
  for (const values of [[], [0], [-1, 65504], [1e10, -1e6], [3.4028234663852886e38]])
    expect(tryParseNothing(nothingText(values))).toEqual(values);
  expect(nothingText([0, 1e10])).toBe('0, 1e10');
  expect(tryParseNothing(' 0;1e6  -1 ')).toEqual([0, 1e6, -1]);
});

test('what is no list of up to four numbers is refused', () => {
  for (const text of ['x', '0 and 1', '1,2,3,4,5', 'Infinity', 'NaN']) expect(tryParseNothing(text)).toBeNull();
});
