import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { makeDemo } from './make-demo';
import { sizeOfWidth, TIDAL_CLOCK } from './tidal-clock';

/**
 * `node make-demo.mjs FOLDER [WIDTH [PATTERN]]`: the demo production without the application, for tests and benches; of files whose path matches the
 * regular expression.
 */
const [folder, width = String(TIDAL_CLOCK.width), pattern = ''] = process.argv.slice(2) as (string | undefined)[];
if (folder === undefined || !(Number(width) > 0)) {
  process.stderr.write('usage: make-demo.mjs FOLDER [WIDTH [PATTERN]]\n');
  process.exit(2);
}
await makeDemo({
  folder,
  size: sizeOfWidth(Number(width)),
  wants: (file) => new RegExp(pattern).test(file),
  threads: availableParallelism(),
  workerFile: fileURLToPath(new URL('./demo-worker.mjs', import.meta.url)),
  kernelsWasm: fileURLToPath(new URL('../../kernels/build/kernels.wasm', import.meta.url)),
  onProgress(done, total) {
    if (process.stderr.isTTY || done === total)
      process.stderr.write(`\rThe Tidal Clock: ${done} of ${total} files${done === total ? '\n' : ''}`);
  },
});
