// `npm run bench:detection`: encodings detected on random scenes; writes docs/detection.md. `-- --held-back` runs the other half of the seeds.
import path from 'node:path';
import { buildKernels, bundleDetection } from './steps/build-steps.mjs';
import { ensurePackages } from './steps/install-steps.mjs';
import { main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`);

main(async () => {
  await ensurePackages(say);
  await buildKernels(say);
  await bundleDetection();
  say('detecting; about two seconds a case');
  await run('node', [path.join(root, '.cache/bench/detection/detection-bench.mjs'), ...process.argv.slice(2)]);
});
