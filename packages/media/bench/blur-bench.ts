import path from 'node:path';
import { Worker } from 'node:worker_threads';
import { prepareBlur, renderRows, type ApplySettings, type BlurPlan, type PrepareStage } from '@ivrex/core';
import { loadNodeHost } from '../src';
import { line, quickest } from './measure';
import { plainSlices } from './slices-baseline';
import { twoLayers } from './two-layers';

const root = process.cwd();
const host = await loadNodeHost(path.join(root, 'packages/kernels/build/kernels.wasm'));
const shutter = { opens: -0.25, closes: 0.25, strength: 1 };
const SLICES = 32;

function render(plan: BlurPlan, out: Float32Array, settings: Omit<ApplySettings, 'shutter'>): void {
  const session = host.kernels.openSlices(plan.layers);
  renderRows(plan, session, { shutter, ...settings }, 0, plan.height, out);
  session.close();
}

/** The largest difference of two pictures' colours. */
function most(a: Float32Array, b: Float32Array): number {
  let difference = 0;
  for (let i = 0; i < a.length; i++) if (i % 4 !== 3) difference = Math.max(difference, Math.abs(a[i] - b[i]));
  return difference;
}

const SIZES = [
  [960, 540],
  [1920, 1080],
] as const;
process.stdout.write('\nBlur, 180 degrees centred, two layers, both neighbours; one thread, the quickest of several\n');
for (const [width, height] of SIZES) {
  process.stdout.write(`${width} x ${height}\n`);
  const input = { ...twoLayers(width, height), path: 'auto' as const, reachFrames: 0.5 };
  const out = new Float32Array(width * height * 4);
  const plan = prepareBlur(input);
  const fixed = quickest(5, () => render(plan, out, { quality: 'final', samples: SLICES }));
  const plain = plainSlices(plan, shutter, SLICES, 4);
  process.stdout.write(`  the largest difference between both pictures' colours is ${most(out, plain.picture).toExponential(1)}\n`);
  line(`  ${SLICES} slices everywhere, one thread`, fixed, 'plain C++, -O3, x86-64-v3', plain.seconds);
  const automatic = quickest(5, () => render(plan, out, { quality: 'final', samples: 'auto' }));
  line('  slices by streak', automatic, `${SLICES} slices everywhere`, fixed);
  line(
    '  draft',
    quickest(5, () => render(plan, out, { quality: 'draft', samples: 'auto' })),
    'slices by streak',
    automatic,
  );
  line(
    '  16 slices everywhere',
    quickest(3, () => render(plan, out, { quality: 'final', samples: 16 })),
    `${SLICES} slices everywhere`,
    fixed,
  );
  const stages = new Map<PrepareStage, number>();
  const setUp = quickest(5, () => {
    const seen = new Map<PrepareStage, number>();
    let last = performance.now();
    prepareBlur(input, (stage) => {
      const now = performance.now();
      seen.set(stage, (seen.get(stage) ?? 0) + (now - last) / 1000);
      last = now;
    });
    for (const [stage, seconds] of seen) stages.set(stage, Math.min(stages.get(stage) ?? Infinity, seconds));
  });
  line('  set-up', setUp, `${SLICES} slices everywhere`, fixed);
  for (const [stage, seconds] of stages) line(`    ${stage}`, seconds, 'the set-up', setUp);
  line('  whole frame, final', setUp + automatic, 'plain C++ inner loop alone', plain.seconds);
}

{
  // Time on the wall: two threads share the rows.
  const input = { ...twoLayers(1920, 1080), path: 'auto' as const, reachFrames: 0.5 };
  const plan = prepareBlur(input);
  const wall = async (threads: number) => {
    const bands = Array.from({ length: threads * 4 }, (_, k) => k);
    const workers = await Promise.all(
      Array.from({ length: threads }, async () => {
        const worker = new Worker(new URL('./blur-bench-thread.mjs', import.meta.url), {
          workerData: { plan, shutter, slices: SLICES, bands: bands.length, wasm: path.join(root, 'packages/kernels/build/kernels.wasm') },
        });
        await new Promise((resolve) => worker.once('message', resolve));
        return worker;
      }),
    );
    const start = performance.now();
    await Promise.all(
      workers.map(async (worker) => {
        for (let band = bands.shift(); band !== undefined; band = bands.shift()) {
          const done = new Promise((resolve) => worker.once('message', resolve));
          worker.postMessage(band);
          await done;
        }
      }),
    );
    const seconds = (performance.now() - start) / 1000;
    await Promise.all(workers.map((worker) => worker.terminate()));
    return seconds;
  };
  const one = await wall(1);
  line('1920 x 1080, two threads, wall time', await wall(2), 'one thread, wall time', one);
}
process.stdout.write(`peak memory so far: ${(process.resourceUsage().maxRSS / 1024).toFixed(0)} MiB\n`);
