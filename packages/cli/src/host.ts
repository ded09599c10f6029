import { fileURLToPath } from 'node:url';
import { loadNodeHost, type NodeHost } from '@ivrex/media';

/** The bundle lies in packages/cli/dist. */
export const KERNELS_WASM = fileURLToPath(new URL('../../kernels/build/kernels.wasm', import.meta.url));
export const WORKER_FILE = fileURLToPath(new URL('./media-worker.mjs', import.meta.url));

export function cliHost(): Promise<NodeHost> {
  return loadNodeHost(KERNELS_WASM);
}
