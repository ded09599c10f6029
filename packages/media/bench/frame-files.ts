import { existsSync, mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { encodeExr, windowOfSize, type Plane } from '@ivrex/core';
import { loadNodeHost, type NodeHost } from '../src';
import { frameAt } from './two-layers';

// FOLDER WIDTH HEIGHT COUNT: writes a sequence as a renderer leaves it, one float file a frame with picture, motion both ways, depth and ids, ZIP.

/** The same in scripts/steps/frame-runs.mjs. */
const FIRST_FRAME = 101;

/** Motion in pixels: to the frame before and to the next. */
const ENCODING = {
  ivrexEncoding: 1,
  sets: [
    { x: 'prevX', y: 'prevY', covers: { from: 0, to: -1, unit: 'frames' } },
    { x: 'nextX', y: 'nextY', covers: { from: 0, to: 1, unit: 'frames' } },
  ],
  zero: 0,
  fullScale: { stored: 1, equals: 1, unit: 'px' },
};

/** Writes frames FIRST_FRAME - 1 to FIRST_FRAME + count where they are not there yet, so that every one of `count` frames has neighbours. */
function writeFrameFiles(folder: string, width: number, height: number, count: number, host: NodeHost): void {
  mkdirSync(folder, { recursive: true });
  writeFileSync(path.join(folder, 'encoding.json'), JSON.stringify(ENCODING));
  for (let offset = -1; offset <= count; offset++) {
    const file = path.join(folder, `frame.${FIRST_FRAME + offset}.exr`);
    if (!existsSync(file)) writeFileSync(file, encodeExr(frameImage(width, height, offset), { compression: 'zip' }, host));
  }
}

function frameImage(width: number, height: number, t: number) {
  const { rgba, motion, depth, ids } = frameAt(width, height, t - 6),
    window = windowOfSize(width, height);
  let seed = 1 + (t + 1) * 7919;
  // A render's own noise: without it files would be smaller and quicker than anyone's are.
  const grain = () => ((seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 4294967296 - 0.5) * 0.01;
  const plane = (name: string, at: (i: number) => number): Plane => ({
    name,
    type: 'float',
    data: Float32Array.from({ length: width * height }, (_, i) => at(i)),
  });
  const planes = [
    ...['R', 'G', 'B'].map((name, c) => plane(name, (i) => rgba[i * 4 + c] + grain())),
    plane('A', (i) => rgba[i * 4 + 3]),
    ...['X', 'Y'].map((axis, c) => plane(`motion.prev${axis}`, (i) => motion.toPrevious[i * 2 + c])),
    ...['X', 'Y'].map((axis, c) => plane(`motion.next${axis}`, (i) => motion.toNext[i * 2 + c])),
    plane('depth.Z', (i) => depth?.[i] ?? 0),
    plane('id.object', (i) => ids?.[i] ?? 0),
  ];
  return { displayWindow: window, dataWindow: window, planes };
}

const [folder, width, height, count] = process.argv.slice(2);
writeFrameFiles(
  folder,
  Number(width),
  Number(height),
  Number(count),
  await loadNodeHost(path.join(process.cwd(), 'packages/kernels/build/kernels.wasm')),
);
