import { copyFileSync, existsSync, linkSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import { describeFolder, loadNodeHost } from '../src';
import { measureFile } from '../src/tasks/measure-task';
import { loadRaster } from '../src/tasks/raster-task';
import { line } from './measure';

/** A folder of 500 frames with 12 channels: listed, described and its first picture made, against reading all of it. Wall-clock time. */
const FRAMES = 500;
const root = process.cwd(),
  source = path.join(root, '.cache/bench/bench-zip.exr'),
  folder = path.join(root, '.cache/bench/folder');
mkdirSync(folder, { recursive: true });
// A few true copies, the rest links to them: what is read and looked at is the same.
for (let i = 1; i <= FRAMES; i++) {
  const file = path.join(folder, `frame.${1000 + i}.exr`);
  if (existsSync(file)) continue;
  if (i <= 4) copyFileSync(source, file);
  else linkSync(path.join(folder, `frame.${1001 + (i % 4)}.exr`), file);
}
const host = await loadNodeHost(path.join(root, 'packages/kernels/build/kernels.wasm'));
const seconds = async (work: () => Promise<unknown>) => {
  const start = performance.now();
  await work();
  return (performance.now() - start) / 1000;
};
const middle = path.join(folder, 'frame.1250.exr');
const one = await seconds(() => measureFile(middle, host));
global.gc?.();
const before = process.memoryUsage().rss;
const described = await seconds(() => describeFolder(folder));
const after = process.memoryUsage().rss;
const shown = await seconds(() => loadRaster({ pass: { file: middle, part: 0, layer: '' }, form: 'picture', every: 1 }, host));
// Three frames are measured, two threads or more; here one after the other.
const all = described + 3 * one + shown;
process.stdout.write(`\nA folder of ${FRAMES} frames, 12 channels, 1080p\n`);
line('list and describe', described, 'measuring every frame', one * FRAMES);
line('list, describe, measure 3 frames, first picture', all, 'the goal of 5 s', 5);
process.stdout.write(`memory grew by ${((after - before) / 2 ** 20).toFixed(0)} MiB while ${FRAMES} frames were described\n`);
