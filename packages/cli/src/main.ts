import { fileURLToPath } from 'node:url';
import { BlurPool, loadNodeHost } from '@ivrex/media';
import { runIvrex } from './run-ivrex';

/** The bundle lies in packages/cli/dist. */
const beside = (file: string) => fileURLToPath(new URL(file, import.meta.url));
const kernelsWasm = beside('../../kernels/build/kernels.wasm');

process.exitCode = await runIvrex(process.argv.slice(2), {
  kernels: () => loadNodeHost(kernelsWasm),
  openPool: (threads) => new BlurPool({ workerFile: beside('./media-worker.mjs'), kernelsWasm, threads }),
  fontFile: beside('../../../node_modules/@fontsource-variable/inter/files/inter-latin-wght-normal.woff2'),
});
