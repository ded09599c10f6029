// How much the tests see: seeds small faults into a copy of the tree, one at a time, and runs for each the test that ought to see it.
//   npm run test:mutants             all of them
//   npm run test:mutants -- NAME...  those whose name contains a word
//   npm run test:mutants -- --constants [NAME...]  tuned numbers instead: how far each can move before its test sees it
// The faults are declared in scripts/mutants/faults.mjs. Not part of npm test; the last figure stands in docs/testing.md.
import { spawnSync } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { constants, FACTORS, placeOf, scaled } from './mutants/constants.mjs';
import { faults } from './mutants/faults.mjs';
import { buildAll } from './steps/build-steps.mjs';
import { ensurePackages, ensurePrograms } from './steps/install-steps.mjs';
import { startPostgres } from './steps/postgres-steps.mjs';
import { Failure, main, root } from './steps/run.mjs';

const say = (what) => process.stdout.write(`\n== ${what}\n`);
const copy = path.join(root, '.cache/mutants');

/** A copy of the sources; what is installed, built and rendered is linked. Tests bundle the sources that they run, so a fault in one is a fault in the test. */
function makeCopy() {
  rmSync(copy, { recursive: true, force: true });
  mkdirSync(copy, { recursive: true });
  for (const name of ['package.json', 'jest.config.cjs', 'tsconfig.json']) cpSync(path.join(root, name), path.join(copy, name));
  for (const name of ['packages', 'scripts'])
    cpSync(path.join(root, name), path.join(copy, name), {
      recursive: true,
      filter: (file) => !/[\\/](node_modules|dist|build)([\\/]|$)/.test(file.slice(root.length)),
    });
  symlinkSync(path.join(root, 'node_modules'), path.join(copy, 'node_modules'));
  symlinkSync(path.join(root, '.cache'), path.join(copy, '.cache'));
  for (const built of ['kernels/build', 'cli/dist', 'demo/dist', 'server/dist']) {
    const from = path.join(root, 'packages', built);
    if (existsSync(from)) symlinkSync(from, path.join(copy, 'packages', built));
  }
}

function runTest({ test, only }, env) {
  const args = ['node_modules/jest/bin/jest.js', '--rootDir', copy, '--forceExit', '--silent', '-i', test, ...(only ? ['-t', only] : [])];
  return spawnSync(process.execPath, args, { cwd: copy, env, encoding: 'utf8', timeout: 300000 });
}

/** The fault in place; what stood there comes back. A fault whose place is gone, or not the only one, is a fault of the list. */
function seeded({ file, find, replace }, work) {
  const at = path.join(copy, file),
    text = readFileSync(at, 'utf8'),
    places = text.split(find).length - 1;
  if (places !== 1) throw new Failure(`scripts/mutants/faults.mjs: "${find}" stands ${places} times in ${file}; it must stand there once`);
  writeFileSync(
    at,
    text.replace(find, () => replace),
  );
  try {
    return work();
  } finally {
    writeFileSync(at, text);
  }
}

/** One fault after the other; unseen ones make the run fail. */
function seedFaults(chosen, env) {
  const unseen = [];
  for (const fault of chosen) {
    const isSeen = seeded(fault, () => runTest(fault, env)).status !== 0;
    if (!isSeen) unseen.push(fault);
    process.stdout.write(`${isSeen ? 'seen  ' : 'UNSEEN'} ${fault.name}\n`);
  }
  process.stdout.write(`\n${chosen.length - unseen.length} of ${chosen.length} faults are seen\n`);
  if (unseen.length > 0) throw new Failure(`not seen: ${unseen.map(({ name, test }) => `${name} (${test})`).join('; ')}`);
}

/** A table for docs/testing.md. */
function moveConstants(chosen, env) {
  process.stdout.write(
    `| constant | value | tuned on | test | ${FACTORS.map((f) => `x ${f}`).join(' | ')} |\n|---|---|---|---|${'---|'.repeat(FACTORS.length)}\n`,
  );
  for (const constant of chosen) {
    const { file, name, tunedOn, test } = constant,
      { before, number } = placeOf(readFileSync(path.join(copy, file), 'utf8'), constant);
    const cells = FACTORS.map((factor) => {
      const fault = { file, find: `${before}${number}`, replace: `${before}${scaled(number, factor)}`, test };
      return seeded(fault, () => runTest(fault, env)).status === 0 ? '-' : 'seen';
    });
    const place = file.replace('packages/core/src/', '').replace(/\.ts$/, '');
    process.stdout.write(`| \`${place}\` ${name} | ${number} | ${tunedOn} | ${path.basename(test, '.test.ts')} | ${cells.join(' | ')} |\n`);
  }
}

main(async () => {
  const args = process.argv.slice(2),
    isConstants = args[0] === '--constants',
    words = isConstants ? args.slice(1) : args;
  const chosen = (isConstants ? constants : faults).filter(({ name }) => words.length === 0 || words.some((word) => name.includes(word)));
  await ensurePackages(say);
  await ensurePrograms(['postgres'], say);
  await buildAll(say);
  if (!existsSync(path.join(root, '.cache/demo/small')))
    throw new Failure('the demo frames are not made; run "npm test" once, which makes them');
  say('a copy of the sources');
  makeCopy();
  const postgres = await startPostgres(path.join(root, '.cache/test-postgres'), say);
  const env = { ...process.env, IVREX_TEST_DATABASE_URL: postgres.url };
  try {
    // A test that fails by itself would see every fault.
    say('the tests without a fault');
    const kinds = new Map(chosen.map((fault) => [`${fault.test} ${fault.only ?? ''}`, fault]));
    for (const fault of kinds.values()) {
      const { status, stderr } = runTest(fault, env);
      if (status !== 0) throw new Failure(`${fault.test} fails without any fault; mend that first:\n${stderr.slice(-4000)}`);
    }
    say(`${chosen.length} ${isConstants ? 'constants' : 'faults'}, one at a time`);
    if (isConstants) moveConstants(chosen, env);
    else seedFaults(chosen, env);
  } finally {
    await postgres.stop();
    rmSync(copy, { recursive: true, force: true });
  }
});
