import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { makeDemo } from './make-demo';

/** `node make-demo.mjs FOLDER`: the demo production without the application, for tests and benches. */
const folder = process.argv[2];
if (folder === undefined) {
  process.stderr.write('usage: make-demo.mjs FOLDER\n');
  process.exit(2);
}
await makeDemo({
  folder,
  threads: availableParallelism(),
  workerFile: fileURLToPath(new URL('./demo-worker.mjs', import.meta.url)),
  kernelsWasm: fileURLToPath(new URL('../../kernels/build/kernels.wasm', import.meta.url)),
  onProgress(done, total) {
    if (process.stderr.isTTY || done === total)
      process.stderr.write(`\rThe Tidal Clock: ${done} of ${total} files${done === total ? '\n' : ''}`);
  },
});
