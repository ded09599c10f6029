import { parentPort, workerData } from 'node:worker_threads';
import { layersOfRows, renderRows, type BlurPlan, type Shutter } from '@ivrex/core';
import { loadNodeHost } from '../src';

const { plan, shutter, slices, bands, wasm } = workerData as {
  plan: BlurPlan;
  shutter: Shutter;
  slices: number;
  bands: number;
  wasm: string;
};
const host = await loadNodeHost(wasm);
parentPort?.on('message', (band: number) => {
  const from = Math.floor((band * plan.height) / bands),
    to = Math.floor(((band + 1) * plan.height) / bands);
  const session = host.kernels.openSlices(layersOfRows(plan, shutter, from, to));
  renderRows(plan, session, { shutter, quality: 'final', samples: slices }, from, to, new Float32Array((to - from) * plan.width * 4));
  session.close();
  parentPort?.postMessage('done');
});
parentPort?.postMessage('ready');
