import { spawnSync } from 'node:child_process';
import path from 'node:path';
import { Application, commandLine, until, type Run } from './start-application';

const application = new Application();
const start = () => application.start();
const launch = () => application.launch();
const postgresPids = () => application.postgresPids();
const alive = (pid: number) => commandLine(pid) !== null;
const answers = (url: string) =>
  fetch(`${url}/api/shots`).then(
    (r) => r.ok,
    () => false,
  );

async function stop(run: Run): Promise<void> {
  expect(await application.stop(run)).toBe(0);
}

afterAll(() => application.clear());

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
  const { server } = application.running();
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

test('where people sign in nobody gets in before somebody was added, from the command line', async () => {
  const door = new Application([], { IVREX_SIGN_IN: 'always' });
  try {
    const refused = await door.launch().ended;
    expect([refused.code, refused.output]).toEqual([
      1,
      expect.stringContaining('nobody can yet; add somebody first: npm run people -- add'),
    ]);
    const people = (args: string[], input = '') =>
      spawnSync(process.execPath, ['scripts/people.mjs', ...args, '--data', door.data], {
        cwd: path.join(__dirname, '../../..'),
        input,
        encoding: 'utf8',
      });
    expect(people(['add', 'Warden', '--role', 'admin'], 'short').stderr).toContain('a password has at least 10 characters');
    expect(people(['add', 'Warden']).stderr).toContain('say what they may do');
    expect(people(['add', 'Warden', '--role', 'admin'], 'the tide is out at six\n').stdout).toBe('admin  Warden\n');
    const run = await door.start();
    expect((await fetch(`${run.url}/api/shots`)).status).toBe(401);
    const body = JSON.stringify({ name: 'Warden', password: 'the tide is out at six' });
    const signedIn = await fetch(`${run.url}/api/session`, { method: 'POST', headers: { 'content-type': 'application/json' }, body });
    expect(signedIn.status).toBe(200);
    expect(people([]).stdout).toBe('admin  Warden\n');
    expect(await door.stop(run)).toBe(0);
  } finally {
    await door.clear();
  }
}, 300000);
