// One compiler run a package and its tests: core sees neither DOM nor Node, and the compiler says so.
import { existsSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { createRequire } from 'node:module';
import { main, root, run } from './steps/run.mjs';

main(async () => {
  const tsc = createRequire(import.meta.url).resolve('typescript/bin/tsc');
  const projects = [
    ...readdirSync(path.join(root, 'packages')).flatMap((name) => [`packages/${name}`, `packages/${name}/test`]),
    'e2e',
  ].filter((folder) => existsSync(path.join(root, folder, 'tsconfig.json')));
  const work = [...projects];
  const failures = [];
  const lane = async () => {
    for (let project = work.shift(); project !== undefined; project = work.shift())
      await run('node', [tsc, '-p', project], { quiet: true }).catch((error) => failures.push(error));
  };
  await Promise.all([lane(), lane()]);
  if (failures.length > 0) throw failures.reduce((all, error) => Object.assign(all, { message: `${all.message}\n${error.message}` }));
});
