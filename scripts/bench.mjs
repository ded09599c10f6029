// `npm run bench`: ratios against a named baseline, measured in one run. No test depends on any of it. `npm run bench -- frame`: only a sequence of
// frames from files to files (scripts/bench-frame.mjs).
import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { buildAll, buildOracle } from './steps/build-steps.mjs';
import { ensurePackages, ensurePrograms, ensureTestTools } from './steps/install-steps.mjs';
import { main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`);

main(async () => {
  if (process.argv.includes('frame')) {
    await ensurePackages(say);
    await ensureTestTools(say);
    return run('node', ['scripts/bench-frame.mjs']);
  }
  await ensurePackages(say);
  await ensurePrograms(['postgres', 'chromium', 'ffmpeg'], say);
  await ensureTestTools(say);
  await buildAll(say);
  mkdirSync(path.join(root, '.cache'), { recursive: true });
  await run('node', ['packages/demo/dist/make-demo.mjs', path.join(root, '.cache/demo/tidal-clock')]);
  const { bundleBench } = await import('./steps/build-steps.mjs');
  await bundleBench();
  await run('node', [path.join(root, '.cache/bench/bundles/exr-bench.mjs'), await buildOracle(say)]);
  await run('node', ['--expose-gc', path.join(root, '.cache/bench/bundles/folder-bench.mjs')]);
  await run('node', [path.join(root, '.cache/bench/bundles/kernels-bench.mjs')]);
  await run('node', [path.join(root, '.cache/bench/bundles/blur-bench.mjs')]);
  await run('node', [path.join(root, '.cache/bench/bundles/depth-bench.mjs')]);
  await run('node', [path.join(root, '.cache/bench/bundles/depth-files-bench.mjs')]);
  await run('node', [path.join(root, '.cache/bench/bundles/assemble-bench.mjs')]);
  await run('node', ['scripts/bench-frame.mjs']);
  await run('node', ['scripts/bench-delivery.mjs']);
  await run('npx', ['playwright', 'test', '--config', 'e2e/bench.config.ts', '--reporter=line']);
});
