// Everything that must hold: build, types, lint, unit tests, browser tests. Ends with one line over all runners.
import { existsSync, mkdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { buildAll, buildOracle } from './steps/build-steps.mjs';
import { ensurePackages, ensurePrograms, ensureTestTools } from './steps/install-steps.mjs';
import { startPostgres } from './steps/postgres-steps.mjs';
import { Failure, main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`\n== ${what}\n`);
const totals = { passed: 0, failed: 0 };

/** A check without its own count is one pass or one failure. */
async function check(name, body) {
  say(name);
  try {
    await body();
    totals.passed++;
  } catch (error) {
    process.stdout.write(`FAILED: ${name}: ${error.message}\n`);
    totals.failed++;
  }
}

/** A runner that writes a report: its tests are counted one by one. */
async function runner(name, body, countsOf, reportFile) {
  say(name);
  let error = null;
  try {
    await body();
  } catch (failure) {
    error = failure;
  }
  const counts = existsSync(reportFile) ? countsOf(JSON.parse(readFileSync(reportFile, 'utf8'))) : { passed: 0, failed: 0 };
  if (error !== null && counts.failed === 0) counts.failed = 1;
  if (error === null && counts.passed === 0) counts.failed = 1;
  totals.passed += counts.passed;
  totals.failed += counts.failed;
  process.stdout.write(`${name}: ${counts.passed} passed, ${counts.failed} failed\n`);
}

main(async () => {
  const only = process.argv.slice(2);
  const wants = (name) => only.length === 0 || only.includes(name);
  await ensurePackages(say);
  await ensurePrograms(['postgres', 'chromium', 'ffmpeg'], say);
  await ensureTestTools(say);
  await buildAll(say);
  await buildOracle(say);
  const reports = path.join(root, '.cache/reports');
  mkdirSync(reports, { recursive: true });
  // None of these fills two cores alone: side by side they take little longer than the longest one.
  say('demo frames, beside the checks of the sources');
  await Promise.all([
    run('node', ['packages/demo/dist/make-demo.mjs', path.join(root, '.cache/demo/tidal-clock')]),
    wants('types') && check('types', () => run('node', ['scripts/typecheck.mjs'])),
    wants('lint') && check('lint', () => run('npx', ['eslint', '.', '--max-warnings', '0'])),
    wants('format') && check('format', () => run('npx', ['prettier', '--check', '--log-level', 'warn', '.'])),
  ]);
  if (wants('unit')) {
    const file = path.join(reports, 'jest.json');
    const postgres = await startPostgres(path.join(root, '.cache/test-postgres'), say);
    const env = { ...process.env, IVREX_TEST_DATABASE_URL: postgres.url };
    await runner(
      'unit tests',
      () => run('npx', ['jest', '--forceExit', '--json', `--outputFile=${file}`], { env }).finally(() => postgres.stop()),
      (r) => ({ passed: r.numPassedTests, failed: r.numFailedTests + r.numRuntimeErrorTestSuites }),
      file,
    );
  }
  if (wants('browser') && existsSync(path.join(root, 'e2e/playwright.config.ts'))) {
    const file = path.join(reports, 'playwright.json');
    await runner(
      'browser tests',
      () =>
        run('npx', ['playwright', 'test', '--config', 'e2e/playwright.config.ts'], {
          env: { ...process.env, PLAYWRIGHT_JSON_OUTPUT_NAME: file },
        }),
      (r) => ({ passed: r.stats.expected, failed: r.stats.unexpected + r.stats.flaky }),
      file,
    );
  }
  process.stdout.write(`\n${totals.passed} passed, ${totals.failed} failed\n`);
  if (totals.failed > 0) throw new Failure('some checks failed; they are named above');
});
