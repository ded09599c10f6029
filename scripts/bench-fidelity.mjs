// `npm run bench:fidelity`: the blur against the truth on made-up scenes; writes docs/fidelity.md. The first run makes the truths (long).
import path from 'node:path';
import { buildKernels, bundleFidelity } from './steps/build-steps.mjs';
import { ensurePackages } from './steps/install-steps.mjs';
import { main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`);

main(async () => {
  await ensurePackages(say);
  await buildKernels(say);
  await bundleFidelity();
  say('measuring; where a truth is not there yet it is made first, which takes a minute or two each');
  await run('node', [path.join(root, '.cache/bench/fidelity/fidelity-bench.mjs')]);
});
