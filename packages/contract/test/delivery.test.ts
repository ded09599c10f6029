import {
  besideName,
  deliveryOptionsSchema,
  fileNameOf,
  filesOf,
  frameRuns,
  framesToDeliver,
  jobTemplate,
  tryParseFrameRuns,
  type DeliveryOptions,
} from '../src';

const options = (part: object = {}): DeliveryOptions =>
  deliveryOptionsSchema.parse({ name: 'tide', firstFrame: 1001, lastFrame: 1010, ...part });
const fault = (part: object): string => {
  const parsed = deliveryOptionsSchema.safeParse({ name: 'tide', firstFrame: 1001, lastFrame: 1010, ...part });
  return parsed.success ? '' : parsed.error.issues[0].message;
};

describe('frames as runs', () => {
  test.each([
    [[], ''],
    [[7], '7'],
    [[1, 2, 3, 5, 7, 8], '1-3, 5, 7-8'],
    [[-3, -2, 0], '-3--2, 0'],
  ])('%j is "%s", and back', (frames, text) => {
    expect(frameRuns(frames)).toBe(text);
    expect(tryParseFrameRuns(text)).toEqual(frames);
  });
  test.each(['1-', 'a', '3-1', '1, 1', '5, 2', '1-2000000', '0-1000000, 1000001-1500000'])('"%s" is refused', (text) => {
    expect(tryParseFrameRuns(text)).toBeNull();
  });
});

describe('file names', () => {
  test.each([
    ['{shot}/{name}/{name}.{frame}', 'TC_010/tide/tide.1001.exr'],
    ['{name}_v{version}/{what}/{shot}-{frame}', 'tide_v003/heron/TC_010-1001.exr'],
  ])('%s', (pattern, expected) => {
    expect(fileNameOf(options({ pattern, version: 3 }), 'TC_010', 'heron', 1001)).toBe(expected);
  });
  test('a shot whose name is no file name, a frame below 0, a frame that is not known yet', () => {
    expect(fileNameOf(options(), 'low tide / 2', '', -12)).toBe('low_tide_2/tide/tide.-0012.exr');
    expect(fileNameOf(options(), 'TC', '', null)).toBe('TC/tide/tide.####.exr');
  });
  test('a movie is one file', () => {
    const form = { kind: 'movie', codec: 'prores', burnIn: true };
    expect(fileNameOf(options({ form }), 'TC', 'heron', 1001)).toBe('TC/tide/tide.mov');
  });
  test.each([
    ['{shot}/{name}/{name}.{frame}', 'TC/tide/tide'],
    ['{shot}/{what}/{what}_{frame}', 'TC/tide'],
    ['{name}_v{version}.{frame}', 'tide_v001'],
  ])('what lies beside %s is %s', (pattern, expected) => {
    expect(besideName(options({ pattern }), 'TC')).toBe(expected);
  });
  test('a movie does not write over what lies beside the frames', () => {
    expect(besideName(options({ form: { kind: 'movie', codec: 'h264', burnIn: true } }), 'TC')).toBe('TC/tide/tide.mp4');
    expect(besideName(options({ form: { kind: 'png', depth: 'u8' } }), 'TC')).toBe('TC/tide/tide.png');
  });
  test.each([
    ['/tide.{frame}', 'use letters'],
    ['a/../{frame}', 'use letters'],
    ['.hidden{frame}', 'use letters'],
    ['{tide}.{frame}', 'use letters'],
    ['{frame}/tide', 'needs {frame} once'],
    ['{frame}/tide.{frame}', 'not in a folder'],
    ['tide', 'needs {frame} once'],
  ])('%s is refused', (pattern, message) => {
    expect(fault({ pattern })).toContain(message);
  });
});

test('together is one file with a layer each, apart a file each', () => {
  const what = [{ kind: 'assembled' }, { kind: 'matte', element: null, objects: 'the wheel' }];
  expect(filesOf(options({ what })).map((f) => f.name)).toEqual(['layers']);
  const apart = options({ what, form: { kind: 'png', depth: 'u8' }, pattern: '{what}.{frame}' });
  expect(filesOf(apart).map((f) => f.name)).toEqual(['assembled', 'main_the-wheel_matte']);
  expect(fault({ what: [...what, what[0]] })).toContain('asked for twice');
});

test('frames: every so manyth counted from the first, handles at both ends, only those that are there', () => {
  const there = [998, 999, 1000, 1001, 1002, 1004, 1006, 1011, 1012, 1013];
  expect(framesToDeliver(options({ every: 2, handles: 2 }), there)).toEqual([999, 1001, 1011]);
  expect(fault({ lastFrame: 1000 })).toContain('ends before it starts');
});

test('a farm job covers every frame once, in tasks of four', () => {
  const frames = [1001, 1002, 1003, 1004, 1006, 1008, 1009];
  const { steps } = jobTemplate({ name: 'TC' }, options(), frames) as {
    steps: { parameterSpace?: { taskParameterDefinitions: { range: string }[] } }[];
  };
  expect(steps[0].parameterSpace?.taskParameterDefinitions[0].range).toBe('1001,1006');
  expect(steps).toHaveLength(2);
  expect(jobTemplate({ name: 'tide '.repeat(40) }, options(), frames)).toMatchObject({ name: expect.stringMatching(/^(tide ){25}tid$/) });
});
