import { spawn } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { encodeExr, windowOfSize, type BlurFramePasses, type Plane } from '@ivrex/core';
import { loadNodeHost } from '../../media/src/host/node-host';
import { everyScene } from '../src/fidelity/every-scene';
import { sceneFrames } from '../src/fidelity/measure-fidelity';

// Scenes of depth at 1920 x 1080 from files to file by the command line: the most memory that one frame takes, both neighbours mixed in.

const SIZE = { width: 1920, height: 1080 },
  SCENES: readonly string[] = ['walker', 'flythrough'],
  FIRST = 100,
  LIMIT_MIB = 1229;
const root = process.cwd(),
  host = await loadNodeHost(path.join(root, 'packages/kernels/build/kernels.wasm')),
  folder = path.join(root, '.cache/bench/depth-files');

/** Motion in pixels: from the frame before in R and G, on to the next in B and A. */
const ENCODING = {
  ivrexEncoding: 1,
  sets: [
    { x: 'R', y: 'G', covers: { from: 0, to: -1, unit: 'frames' } },
    { x: 'B', y: 'A', covers: { from: 0, to: 1, unit: 'frames' } },
  ],
  zero: 0,
  fullScale: { stored: 1, equals: 1, unit: 'px' },
};

function writeFrame({ rgba, motion, depth, ids }: BlurFramePasses, frame: number): void {
  const count = SIZE.width * SIZE.height,
    window = windowOfSize(SIZE.width, SIZE.height);
  const plane = (name: string, at: (i: number) => number): Plane => ({
    name,
    type: 'float',
    data: Float32Array.from({ length: count }, (_, i) => at(i)),
  });
  const save = (pass: string, planes: readonly Plane[]) =>
    writeFileSync(
      path.join(folder, `${pass}.${frame}.exr`),
      encodeExr({ displayWindow: window, dataWindow: window, planes }, { compression: 'zips' }, host),
    );
  save(
    'beauty',
    ['R', 'G', 'B', 'A'].map((name, c) => plane(name, (i) => rgba[i * 4 + c])),
  );
  save('motion', [
    plane('R', (i) => motion.toPrevious[i * 2]),
    plane('G', (i) => motion.toPrevious[i * 2 + 1]),
    plane('B', (i) => motion.toNext[i * 2]),
    plane('A', (i) => motion.toNext[i * 2 + 1]),
  ]);
  if (depth !== null) save('depth', [plane('Z', (i) => Math.min(1e6, depth[i]))]);
  if (ids !== null) save('ids', [plane('id', (i) => ids[i])]);
}

/** Runs the command line. Returns the most memory that it had at a time, MiB, and the seconds that it took. */
async function run(args: readonly string[]): Promise<{ mib: number; seconds: number }> {
  const started = process.hrtime.bigint(),
    child = spawn('./ivrex', args, { stdio: ['ignore', 'ignore', 'inherit'] });
  let mib = 0;
  const look = setInterval(() => {
    try {
      mib = Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
    } catch {
      // It is gone.
    }
  }, 100);
  const code = await new Promise((resolve) => child.once('exit', resolve));
  clearInterval(look);
  if (code !== 0) throw new Error(`ivrex blur ended with exit code ${code}`);
  return { mib, seconds: Number(process.hrtime.bigint() - started) / 1e9 };
}

process.stdout.write(
  `\nScenes of depth, ${SIZE.width} x ${SIZE.height}, one frame from files to file, both neighbours mixed in; two threads\n`,
);
for (const { name, shoot } of everyScene(SIZE, 1, 1).filter((scene) => SCENES.includes(scene.name))) {
  rmSync(folder, { recursive: true, force: true });
  mkdirSync(folder, { recursive: true });
  for (const [offset, passes] of sceneFrames(shoot()).frames) writeFrame(passes, FIRST + offset);
  writeFileSync(path.join(folder, 'encoding.json'), JSON.stringify(ENCODING));
  const file = (pass: string) => path.join(folder, `${pass}.###.exr`);
  for (const [shutter, opens, closes] of [
    ['180 degrees centred', '-0.25', '0.25'],
    ['360 degrees from the frame', '0', '1'],
  ]) {
    const { mib, seconds } = await run(
      [
        ['blur', '--beauty', file('beauty'), '--motion', file('motion'), '--encoding', path.join(folder, 'encoding.json')],
        ['--depth', file('depth'), '--ids', file('ids'), '--frames', `${FIRST}-${FIRST}`, '--threads', '2'],
        [`--opens=${opens}`, `--closes=${closes}`, '--out', path.join(folder, 'out.###.exr')],
      ].flat(),
    );
    process.stdout.write(
      `${name}, ${shutter}: ${mib.toFixed(0)} MiB at the most (goal ${LIMIT_MIB}: ${(mib / LIMIT_MIB).toFixed(2)}), ${seconds.toFixed(1)} s\n`,
    );
  }
}
rmSync(folder, { recursive: true, force: true });
