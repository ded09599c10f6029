// The compiler over packages, their tests and the browser tests. Projects with the same options are checked in one run, which reads what they share
// once; core has options of its own: it sees neither DOM nor Node, and the compiler says so.
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { createRequire } from 'node:module';
import { main, root, run } from './steps/run.mjs';

const folder = path.join(root, '.cache/types');

/** One project file for all projects with the same options. */
function joined(projects) {
  const groups = new Map();
  for (const project of projects) {
    const { compilerOptions, include } = JSON.parse(readFileSync(path.join(root, project, 'tsconfig.json'), 'utf8'));
    const key = JSON.stringify(compilerOptions);
    const group = groups.get(key) ?? { extends: '../../tsconfig.json', compilerOptions, include: [] };
    group.include.push(...include.map((part) => path.join('../..', project, part)));
    groups.set(key, group);
  }
  mkdirSync(folder, { recursive: true });
  return [...groups.values()].map((group, i) => {
    const file = path.join(folder, `${i}.json`);
    writeFileSync(file, JSON.stringify(group));
    return file;
  });
}

main(async () => {
  const tsc = createRequire(import.meta.url).resolve('typescript/bin/tsc');
  const projects = [
    ...readdirSync(path.join(root, 'packages')).flatMap((name) => [`packages/${name}`, `packages/${name}/test`]),
    'e2e',
  ].filter((project) => existsSync(path.join(root, project, 'tsconfig.json')));
  const work = joined(projects);
  const failures = [];
  const lane = async () => {
    for (let project = work.shift(); project !== undefined; project = work.shift())
      await run('node', [tsc, '-p', project], { quiet: true }).catch((error) => failures.push(error));
  };
  await Promise.all([lane(), lane()]);
  if (failures.length > 0) throw failures.reduce((all, error) => Object.assign(all, { message: `${all.message}\n${error.message}` }));
});
