import { keepBlur, keptBlur, keptQuality, onBlurKept, type KeptBlur } from '../src/viewer/blur-cache';

/** A picture that takes so many megabytes. */
function pictureOf(quality: 'draft' | 'final', megabytes: number): KeptBlur {
  return { picture: { quality, halves: { byteLength: megabytes * 2 ** 20 } }, report: {} } as unknown as KeptBlur;
}

test('a draft does not take the place of an exact picture, an exact one takes that of a draft', () => {
  keepBlur('a', pictureOf('draft', 1));
  keepBlur('a', pictureOf('final', 1));
  keepBlur('a', pictureOf('draft', 1));
  expect(keptQuality('a')).toBe('final');
  expect(keptBlur('nothing')).toBeNull();
});

test('beyond 512 MiB the longest unused goes; looking at one counts as use, drawing the strip does not', () => {
  for (const name of ['one', 'two', 'three']) keepBlur(name, pictureOf('final', 150));
  keptBlur('one');
  keptQuality('two');
  keepBlur('four', pictureOf('final', 150));
  expect(['a', 'one', 'two', 'three', 'four'].map(keptQuality)).toEqual([null, 'final', null, 'final', 'final']);
});

test('one that is larger than all of it is kept alone', () => {
  keepBlur('huge', pictureOf('final', 600));
  expect(['one', 'three', 'four', 'huge'].map(keptQuality)).toEqual([null, null, null, 'final']);
});

test('listeners hear of every picture until they stop', () => {
  let heard = 0;
  const stop = onBlurKept(() => heard++);
  keepBlur('b', pictureOf('draft', 1));
  stop();
  keepBlur('c', pictureOf('draft', 1));
  expect(heard).toBe(1);
});
