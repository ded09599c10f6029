import { bytesText, timeText } from '../src';

test.each([
  [0, '0 bytes'],
  [999, '999 bytes'],
  [1000, '1.0 kB'],
  [9940, '9.9 kB'],
  [9960, '10 kB'],
  [62_400_000, '62 MB'],
  [999_400, '999 kB'],
  // Never "1000 kB".
  [999_700, '1.0 MB'],
  [4.2e15, '4200 TB'],
])('%p bytes are %s', (bytes, text) => expect(bytesText(bytes)).toBe(text));

test.each([
  [0, '1 s'],
  [0.4, '1 s'],
  [40.2, '41 s'],
  [89.9, '90 s'],
  [90, '2 min'],
  [720, '12 min'],
  [5370, '1 h 30 min'],
  [11_100, '3 h 5 min'],
])('%p seconds are %s', (seconds, text) => expect(timeText(seconds)).toBe(text));
