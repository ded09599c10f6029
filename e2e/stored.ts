import { readFileSync } from 'node:fs';
import path from 'node:path';

/** How the passes of the demo's shots are stored, at the size of these frames. */
export const STORED: Readonly<Record<string, object>> = {
  TC_010: encodingOf('heron', {}),
  TC_020: encodingOf('wheel-room', { fullScale: { stored: 1, equals: 16, unit: 'px' } }),
  TC_030: {
    ivrexEncoding: 1,
    name: 'Direction and length, length in pixels, y up, per second',
    sets: [{ x: 'R', y: 'G', length: 'B', covers: { from: 0, to: 1, unit: 'seconds' } }],
    zero: 0,
    fullScale: { stored: 1, equals: 1, unit: 'px' },
    axes: { x: 'right', y: 'up' },
  },
};

function encodingOf(name: string, part: object): object {
  const file = path.resolve('packages/demo/encodings', `${name}.json`);
  return { ...(JSON.parse(readFileSync(file, 'utf8')) as object), ...part };
}
