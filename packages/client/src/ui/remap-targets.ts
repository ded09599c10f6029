import { describeEncoding, rawPixels, type Encoding } from '@ivrex/core';

export interface RemapTarget {
  readonly key: string;
  readonly encoding: Encoding;
  /** The kind of file that it is usually stored in. */
  readonly usual: string;
}

/** Encodings that others ask for. `range` in pixels a frame is what whole numbers have to reach; two-sided motion may keep both sides. */
export function remapTargets(range: number, twoSided: boolean): RemapTarget[] {
  const raw = rawPixels('R', 'G');
  const named = (encoding: Encoding): Encoding => ({ ...encoding, name: describeEncoding(encoding) });
  const centred: Encoding = { ...raw, zero: 0.5, fullScale: { stored: 1, equals: range, unit: 'px' } };
  const both = [raw.sets[0], { x: 'B', y: 'A', length: null, covers: { from: 0, to: -1, unit: 'frames' as const } }];
  return [
    { key: 'centred', encoding: named(centred), usual: 'u16 png' },
    { key: 'raw', encoding: named(raw), usual: 'float exr' },
    ...(twoSided ? [{ key: 'both', encoding: named({ ...raw, sets: both }), usual: 'float exr' }] : []),
    {
      key: 'halves',
      encoding: named({ ...raw, fullScale: { stored: 1, equals: 1, unit: 'halfFrame' }, axes: { x: 'right', y: 'up' } }),
      usual: 'half exr',
    },
    {
      key: 'shutter',
      encoding: named({ ...raw, sets: [{ ...raw.sets[0], covers: { from: 0, to: 0.5, unit: 'frames' } }] }),
      usual: 'half exr',
    },
    {
      key: 'second',
      encoding: named({ ...raw, sets: [{ ...raw.sets[0], covers: { from: 0, to: 1, unit: 'seconds' } }] }),
      usual: 'half exr',
    },
    { key: 'direction', encoding: named({ ...centred, sets: [{ ...raw.sets[0], length: 'B' }] }), usual: 'u16 png' },
  ];
}
