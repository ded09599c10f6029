// Everything that must hold: types, lint, format, unit tests, browser tests. Ends with what each took and one line over all runners.
//   npm test                          everything
//   npm test -- --part static|unit|browser
//   npm test -- FILE...               test files alone, by path or a part of it
//   npm run test:changed              what the changes since the last commit can break in their own packages
import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { buildAll, buildOracle } from './steps/build-steps.mjs';
import { ensurePackages, ensurePrograms, ensureTestTools } from './steps/install-steps.mjs';
import { startPostgres } from './steps/postgres-steps.mjs';
import { Failure, main, root } from './steps/run.mjs';

const PARTS = ['static', 'unit', 'browser'];
/** The demo production at half its size, which tests look at, and a few frames of it at its full size, for what is held against the truth. */
const DEMOS = [
  ['.cache/demo/small', '480', ''],
  [
    '.cache/demo/golden',
    '960',
    'TC_010_heron\\.100[789]|TC_010_heron_blur180\\.1008|TC_020_(beauty|depth|objects)\\.100[789]|TC_020_motion\\.10(08|09|10)|TC_020_ref\\.1008',
  ],
];
const reports = path.join(root, '.cache/reports');
const say = (what) => process.stdout.write(`\n== ${what}\n`);
/** What was run: { part, passed, failed, wallSeconds, cpuSeconds }. */
const rows = [];

/** What runs now, each with all its children. */
const running = new Set();
let isEnded = false;
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'])
  process.on(signal, () => {
    isEnded = true;
    for (const child of running) if (child.exitCode === null) process.kill(-child.pid, signal);
  });

/** Runs a program and says what processor time it and all its children took. When this run is ended, so is all of it. */
function timed(command, args, env = process.env) {
  return new Promise((resolve, reject) => {
    if (isEnded) throw new Failure('the run was ended');
    const start = Date.now();
    const script = '"$@"; status=$?; times >&3; exit $status';
    const child = spawn('bash', ['-c', script, 'bash', command, ...args], {
      cwd: root,
      env,
      stdio: ['ignore', 'inherit', 'inherit', 'pipe'],
      detached: true,
    });
    running.add(child);
    let text = '';
    child.stdio[3].on('data', (data) => (text += data));
    child.on('error', reject);
    child.on('close', (code) => {
      running.delete(child);
      if (isEnded) return reject(new Failure('the run was ended'));
      const cpuSeconds = [...text.matchAll(/(\d+)m([\d.]+)s/g)].reduce((sum, [, m, s]) => sum + 60 * Number(m) + Number(s), 0);
      resolve({ code, wallSeconds: (Date.now() - start) / 1000, cpuSeconds });
    });
  });
}

/** A check without its own count is one pass or one failure. */
async function check(part, command, args) {
  const { code, ...times } = await timed(command, args);
  if (code !== 0) process.stdout.write(`FAILED: ${part}\n`);
  rows.push({ part, passed: code === 0 ? 1 : 0, failed: code === 0 ? 0 : 1, ...times });
}

/** A runner that writes a report: its tests are counted one by one. One that ends badly without a failed test has failed all the same. */
async function runner(part, command, args, env, reportFile, countsOf) {
  say(part);
  rmSync(reportFile, { force: true });
  const { code, ...times } = await timed(command, args, env);
  const report = existsSync(reportFile) ? JSON.parse(readFileSync(reportFile, 'utf8')) : null;
  const counts = report === null ? { passed: 0, failed: 0 } : countsOf(report);
  if (counts.failed === 0 && (code !== 0 || counts.passed === 0)) counts.failed = 1;
  rows.push({ part, ...counts, ...times });
  return report;
}

async function staticChecks() {
  say('types, lint and format');
  await check('types', 'node', ['scripts/typecheck.mjs']);
  await check('lint', 'npx', ['eslint', '.', '--max-warnings', '0']);
  await check('format', 'npx', ['prettier', '--check', '--log-level', 'warn', '.']);
}

async function demoFrames() {
  for (const [folder, ...which] of DEMOS) {
    const { code, ...times } = await timed('node', ['packages/demo/dist/make-demo.mjs', path.join(root, folder), ...which]);
    if (code !== 0) throw new Failure('the demo frames could not be made');
    rows.push({ part: `frames in ${folder}`, passed: 0, failed: 0, ...times });
  }
}

/** Files by how long they took, longest first: [seconds, file]. */
const slowest = [];

async function unitTests(files) {
  const file = path.join(reports, 'jest.json');
  const postgres = await startPostgres(path.join(root, '.cache/test-postgres'), say);
  try {
    const args = ['jest', '--forceExit', '--json', `--outputFile=${file}`, ...files];
    const report = await runner('unit', 'npx', args, { ...process.env, IVREX_TEST_DATABASE_URL: postgres.url }, file, (r) => ({
      passed: r.numPassedTests,
      failed: r.numFailedTests + r.numRuntimeErrorTestSuites,
    }));
    for (const { name, startTime, endTime } of report?.testResults ?? [])
      slowest.push([(endTime - startTime) / 1000, path.relative(root, name)]);
  } finally {
    await postgres.stop();
  }
}

async function browserTests(files) {
  const file = path.join(reports, 'playwright.json');
  const args = ['playwright', 'test', '--config', 'e2e/playwright.config.ts', ...files];
  const report = await runner('browser', 'npx', args, { ...process.env, PLAYWRIGHT_JSON_OUTPUT_NAME: file }, file, (r) => ({
    passed: r.stats.expected,
    failed: r.stats.unexpected + r.stats.flaky,
  }));
  const secondsOf = (suite) =>
    (suite.specs ?? []).flatMap((s) => s.tests.flatMap((t) => t.results.map((r) => r.duration / 1000))).reduce((a, b) => a + b, 0) +
    (suite.suites ?? []).reduce((sum, inner) => sum + secondsOf(inner), 0);
  for (const suite of report?.suites ?? []) slowest.push([secondsOf(suite), `e2e/${suite.file}`]);
}

function table() {
  const cells = [
    ['part', 'tests', 'failed', 'wall s', 'processor s'],
    ...rows.map((r) =>
      [r.part, r.passed + r.failed, r.failed, Math.round(r.wallSeconds), r.cpuSeconds === null ? '' : Math.round(r.cpuSeconds)].map(String),
    ),
  ];
  const widths = cells[0].map((_, i) => Math.max(...cells.map((row) => row[i].length)));
  const lines = cells.map((row) => row.map((cell, i) => (i === 0 ? cell.padEnd(widths[i]) : cell.padStart(widths[i]))).join('  '));
  const longest = slowest.sort((a, b) => b[0] - a[0]).slice(0, 10);
  if (longest.length > 0) lines.push('', 'slowest files, wall s', ...longest.map(([s, file]) => `${s.toFixed(0).padStart(5)}  ${file}`));
  process.stdout.write(`\n${lines.join('\n')}\n`);
}

/** Packages with changes that are not committed yet, and files to lint. */
function changedFiles() {
  const git = (...args) => spawnSync('git', args, { cwd: root, encoding: 'utf8' }).stdout.split('\n').filter(Boolean);
  return [...git('diff', '--name-only', 'HEAD'), ...git('ls-files', '--others', '--exclude-standard')].filter((f) =>
    existsSync(path.join(root, f)),
  );
}

async function changedOnly() {
  const files = changedFiles(),
    code = files.filter((f) => /\.(ts|tsx|mjs|cjs)$/.test(f)),
    packages = [...new Set(files.flatMap((f) => /^packages\/([^/]+)\//.exec(f)?.[1] ?? []))];
  if (files.length === 0) throw new Failure('nothing has changed since the last commit');
  await check('types', 'node', ['scripts/typecheck.mjs']);
  if (code.length > 0) await check('lint', 'npx', ['eslint', '--max-warnings', '0', ...code]);
  await check('format', 'npx', ['prettier', '--check', '--ignore-unknown', '--log-level', 'warn', ...files]);
  const tests = packages.map((name) => `packages/${name}/test`).filter((folder) => existsSync(path.join(root, folder)));
  if (tests.length > 0) {
    await demoFrames();
    await unitTests(tests);
  }
}

main(async () => {
  const start = Date.now();
  const args = process.argv.slice(2),
    isChanged = args[0] === '--changed',
    at = args.indexOf('--part'),
    part = at < 0 ? null : args[at + 1],
    files = args.filter((a, i) => !a.startsWith('--') && (at < 0 || i !== at + 1));
  if (part !== null && !PARTS.includes(part)) throw new Failure(`--part is one of ${PARTS.join(', ')}`);
  const isBrowser = (file) => file.includes('e2e') || file.endsWith('.spec.ts');
  const wants = (name) =>
    part !== null
      ? part === name
      : files.length === 0 || (name === 'browser' ? files.some(isBrowser) : name === 'unit' && !files.every(isBrowser));
  await ensurePackages(say);
  await ensurePrograms(['postgres', 'chromium', 'ffmpeg'], say);
  await ensureTestTools(say);
  const building = Date.now();
  await buildAll(say);
  await buildOracle(say);
  rows.push({ part: 'build', passed: 0, failed: 0, wallSeconds: (Date.now() - building) / 1000, cpuSeconds: null });
  mkdirSync(reports, { recursive: true });
  if (isChanged) await changedOnly();
  else {
    // Neither fills two cores alone: side by side they take little longer than the longer one.
    await Promise.all([wants('unit') || wants('browser') ? demoFrames() : null, wants('static') ? staticChecks() : null]);
    if (wants('unit')) await unitTests(files.filter((f) => !isBrowser(f)));
    if (wants('browser')) await browserTests(files.filter(isBrowser).map((f) => path.basename(f)));
  }
  table();
  const sum = (key) => rows.reduce((total, row) => total + row[key], 0);
  process.stdout.write(`\nall of it: ${Math.round((Date.now() - start) / 1000)} s\n${sum('passed')} passed, ${sum('failed')} failed\n`);
  if (sum('failed') > 0) throw new Failure('some checks failed; they are named above');
});
