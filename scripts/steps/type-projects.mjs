import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { root } from './run.mjs';

const folder = path.join(root, '.cache/types');

/**
 * Project files for the compiler and the linter, one for all projects with the same options: what they share is read once. Core has options of its
 * own: it sees neither DOM nor Node, and the compiler says so.
 */
export function typeProjects() {
  const projects = [
    ...readdirSync(path.join(root, 'packages')).flatMap((name) => [`packages/${name}`, `packages/${name}/test`]),
    'e2e',
  ].filter((project) => existsSync(path.join(root, project, 'tsconfig.json')));
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
