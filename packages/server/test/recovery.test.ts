import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

const ROOT = path.join(__dirname, '../../..');
const data = mkdtempSync(path.join(tmpdir(), 'ivrex-start-'));
// The database's own user must get into it.
chmodSync(data, 0o755);
const started: ChildProcess[] = [];

interface Run {
  readonly script: ChildProcess;
  readonly url: string;
  readonly serverPid: number;
}

interface Ended {
  readonly code: number | null;
  readonly output: string;
}

function launch(): { script: ChildProcess; output: () => string; ended: Promise<Ended> } {
  const script = spawn(process.execPath, [path.join(ROOT, 'scripts/start.mjs'), '--data', data, '--port', '0'], {
    cwd: ROOT,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  started.push(script);
  let text = '';
  script.stdout.on('data', (chunk: Buffer) => (text += chunk.toString()));
  script.stderr.on('data', (chunk: Buffer) => (text += chunk.toString()));
  const ended = new Promise<Ended>((resolve) => script.once('exit', (code) => resolve({ code, output: text })));
  return { script, output: () => text, ended };
}

async function until(what: string, holds: () => boolean | Promise<boolean>): Promise<void> {
  for (let i = 0; i < 600; i++) {
    if (await holds()) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`30 s passed without: ${what}`);
}

async function start(): Promise<Run> {
  const { script, output } = launch();
  await until(`an address in: ${output()}`, () => /http:\/\/127\.0\.0\.1:\d+/.test(output()) || script.exitCode !== null);
  const url = /http:\/\/127\.0\.0\.1:\d+/.exec(output())?.[0];
  if (url === undefined || script.exitCode !== null) throw new Error(`the start failed: ${output()}`);
  const { server } = JSON.parse(readFileSync(path.join(data, 'running.json'), 'utf8')) as { server: number };
  return { script, url, serverPid: server };
}

const answers = (url: string) =>
  fetch(`${url}/api/shots`).then(
    (r) => r.ok,
    () => false,
  );
/** What the kernel says of a process: its command line, null when it is gone (or only waits to be buried). */
function commandLine(pid: number): string | null {
  try {
    const state = readFileSync(`/proc/${pid}/stat`, 'utf8').replace(/^.*\) /s, '')[0];
    return state === 'Z' ? null : readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
  } catch {
    return null;
  }
}
const alive = (pid: number) => commandLine(pid) !== null;
/** The database servers that have our data folder on their command line. */
const postgresPids = () =>
  readdirSync('/proc')
    .map(Number)
    .filter((pid) => pid > 0 && commandLine(pid)?.includes(`postgres -D ${data}/`));

async function stop(run: Run): Promise<void> {
  const ended = new Promise((resolve) => run.script.once('exit', resolve));
  run.script.kill('SIGINT');
  expect(await ended).toBe(0);
}

afterAll(() => {
  for (const script of started) if (script.exitCode === null) script.kill('SIGINT');
  rmSync(data, { recursive: true, force: true });
});

test('a start prints an address that answers, a second one with the same data says that it runs, Ctrl+C leaves nothing behind', async () => {
  const run = await start();
  expect(await answers(run.url)).toBe(true);
  const second = await launch().ended;
  expect(second.code).toBe(1);
  expect(second.output).toContain(`already running with this data at ${run.url}`);
  expect(await answers(run.url)).toBe(true);
  await stop(run);
  expect([alive(run.serverPid), postgresPids()]).toEqual([false, []]);
});

test('after kill -9 of the server the start says so and ends, and the next one works', async () => {
  const { script, ended, output } = launch();
  await until('an address', () => /http:/.test(output()));
  const { server } = JSON.parse(readFileSync(path.join(data, 'running.json'), 'utf8')) as { server: number };
  process.kill(server, 'SIGKILL');
  expect((await ended).output).toContain('the server ended by itself (SIGKILL)');
  expect([script.exitCode, postgresPids()]).toEqual([1, []]);
  const next = await start();
  expect(await answers(next.url)).toBe(true);
  await stop(next);
});

test('after kill -9 of the start, the next one takes over what was left running', async () => {
  const run = await start();
  run.script.kill('SIGKILL');
  await until('the script to be gone', () => run.script.signalCode === 'SIGKILL');
  expect([alive(run.serverPid), postgresPids().length]).toEqual([true, 1]);
  const next = await start();
  expect(await answers(next.url)).toBe(true);
  expect(alive(run.serverPid)).toBe(false);
  await stop(next);
  expect(postgresPids()).toEqual([]);
});

test("after kill -9 of the database the server says that it can't, and the next start recovers", async () => {
  const run = await start();
  for (const pid of postgresPids()) process.kill(pid, 'SIGKILL');
  await until('the server to notice', async () => !(await answers(run.url)));
  expect(alive(run.serverPid)).toBe(true);
  await stop(run);
  const next = await start();
  expect(await answers(next.url)).toBe(true);
  await stop(next);
});
