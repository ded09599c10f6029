import { readFileSync } from 'node:fs';
import path from 'node:path';
import { mixFrames, neighboursToMix, renderMixedRows, renderRows, type BlurPlan } from '@ivrex/core';
import { instantiateKernels, type SliceLayer } from '@ivrex/kernels';
import { line, quickest } from '../../media/bench/measure';
import { plainSlices } from '../../media/bench/slices-baseline';
import { everyScene } from '../src/fidelity/every-scene';
import { plansOf, sceneFrames } from '../src/fidelity/measure-fidelity';
import { FIDELITY_SIZE } from '../src/fidelity/scenes';

// Scenes of depth: what a frame takes in a sequence, where its neighbours' plans are at hand, and the kernel against plain C++ that renders the same plan.

const kernels = await instantiateKernels(
  await WebAssembly.compile(readFileSync(path.join(process.cwd(), 'packages/kernels/build/kernels.wasm'))),
);
const shutter = { opens: -0.25, closes: 0.25, strength: 1 },
  open = (layers: readonly SliceLayer[]) => kernels.openSlices(layers);
const SLICES = 32;

function alone(plan: BlurPlan, out: Float32Array): void {
  const session = open(plan.layers);
  renderRows(plan, session, { shutter, quality: 'final', samples: SLICES }, 0, plan.height, out);
  session.close();
}

const { width, height } = FIDELITY_SIZE;
process.stdout.write(`\nBlur of scenes of depth, ${width} x ${height}, 180 degrees centred; one thread, the quickest of three\n`);
for (const { name, kind, shoot } of everyScene(FIDELITY_SIZE, 1, 1)) {
  if (kind !== 'solid') continue;
  const frames = sceneFrames(shoot()),
    plans = [-1, 0, 1].map(plansOf(frames)),
    [before, plan, after] = plans;
  if (before === null || plan === null || after === null) throw new Error(`${name} has no neighbouring frames`);
  process.stdout.write(`${name}, ${plan.layers.length} layers\n`);
  const out = new Float32Array(width * height * 4);
  const setUp = quickest(3, () => void plansOf(frames)(0));
  const wanted = neighboursToMix({ bothFrames: 'auto', quality: 'final', shutter, limits: null, path: 'auto' }),
    there = [
      { at: -1 as const, plan: before },
      { at: 1 as const, plan: after },
    ];
  const mix = () => mixFrames(plan, wanted, there, shutter, open),
    mixing = quickest(3, () => void mix()),
    mixed = mix();
  const rendering = quickest(3, () => {
    renderMixedRows(mixed, { shutter, quality: 'final', samples: 'auto' }, 0, height, out, open);
  });
  const whole = setUp + mixing + rendering;
  const plain = plainSlices(plan, shutter, SLICES, 2).seconds;
  line(
    `  this frame alone, ${SLICES} slices everywhere`,
    quickest(3, () => alone(plan, out)),
    'plain C++, -O3, x86-64-v3',
    plain,
  );
  line('  set-up', setUp, 'the whole frame', whole);
  line('  weighing both frames', mixing, 'the whole frame', whole);
  line('  slices of all three frames', rendering, 'the whole frame', whole);
  line('  whole frame in a sequence', whole, 'plain C++ slices of this frame alone', plain);
}
