import { readFileSync } from 'node:fs';
import path from 'node:path';
import { instantiateKernels, type Kernels } from '../src';

/** The compiled kernels; `npm test` builds them first. */
export async function loadKernels(): Promise<Kernels> {
  return instantiateKernels(await WebAssembly.compile(readFileSync(path.resolve('packages/kernels/build/kernels.wasm'))));
}
