// The compiler over packages, their tests and the browser tests. The native one: it finds the same and takes a quarter of the time.
import { createRequire } from 'node:module';
import path from 'node:path';
import { main, run } from './steps/run.mjs';
import { typeProjects } from './steps/type-projects.mjs';

main(async () => {
  const tsc = path.join(path.dirname(createRequire(import.meta.url).resolve('typescript-native/package.json')), 'bin/tsc');
  const failures = [];
  for (const project of typeProjects()) await run('node', [tsc, '-p', project], { quiet: true }).catch((error) => failures.push(error));
  if (failures.length > 0) throw failures.reduce((all, error) => Object.assign(all, { message: `${all.message}\n${error.message}` }));
});
