import { wrap } from 'comlink';
import kernelsUrl from '@ivrex/kernels/kernels.wasm?url';
import type { BlurThread } from './blur-preview';
import type { BlurWorker } from './blur-work';

/** As many as render at once; more than four are not faster for one picture. */
export const RENDER_THREADS = Math.max(1, Math.min(4, navigator.hardwareConcurrency || 2));

let kernels: Promise<WebAssembly.Module> | null = null;

/** A worker of this page; the kernels are compiled once for all. */
export async function startBlurThread(): Promise<BlurThread> {
  const module = await (kernels ??= WebAssembly.compileStreaming(fetch(kernelsUrl)));
  const thread = new Worker(new URL('./blur-worker.ts', import.meta.url), { type: 'module' });
  const worker = wrap<BlurWorker>(thread);
  await worker.start(module);
  return { worker, end: () => thread.terminate() };
}
