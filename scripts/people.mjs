// `npm run people`: who may sign in where the application is reached from other machines.
//   npm run people                             who there is
//   npm run people -- add NAME --role ROLE     look (sees everything), work (changes shots, delivers), admin (also says who may do what)
//   npm run people -- password NAME            another password; ends what is signed in
//   npm run people -- role NAME --role ROLE
//   npm run people -- remove NAME
//   --data FOLDER    where the database is (default .data)
// A password is asked for, or read from a pipe.
import { spawn } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { parseArgs } from 'node:util';
import { buildServer } from './steps/build-steps.mjs';
import { ensurePackages, ensurePrograms } from './steps/install-steps.mjs';
import { commandLineOf, startPostgres } from './steps/postgres-steps.mjs';
import { Failure, main, root } from './steps/run.mjs';

const say = (what) => process.stderr.write(`ivrex: ${what}\n`);

/** Typed without being shown, twice; or all that a pipe gives. */
async function askPassword() {
  if (!process.stdin.isTTY) return readFileSync(0, 'utf8').replace(/\r?\n$/, '');
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const lines = createInterface({ input: process.stdin, output: silent, terminal: true });
  const ask = async (what) => {
    process.stderr.write(what);
    const text = await lines.question('');
    process.stderr.write('\n');
    return text;
  };
  const password = await ask('Password (at least 10 characters): ');
  if (password !== (await ask('The same again: '))) throw new Failure('the two are not the same; nothing was changed');
  lines.close();
  return password;
}

main(async () => {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { data: { type: 'string', default: path.join(root, '.data') }, role: { type: 'string' } },
  });
  const [action = 'list', name] = positionals;
  if (!['list', 'add', 'password', 'role', 'remove'].includes(action))
    throw new Failure(`there is no "${action}"; use add, password, role, remove, or nothing`);
  if (action !== 'list' && name === undefined) throw new Failure(`say who: npm run people -- ${action} NAME`);
  if ((action === 'add' || action === 'role') && !['look', 'work', 'admin'].includes(values.role ?? ''))
    throw new Failure('say what they may do: --role look, --role work or --role admin');
  await ensurePackages(say);
  await ensurePrograms(['postgres'], say);
  await buildServer(say);
  const data = path.resolve(values.data),
    runFile = path.join(data, 'running.json');
  const running = existsSync(runFile) ? JSON.parse(readFileSync(runFile, 'utf8')) : null;
  const isRunning = running !== null && commandLineOf(running.script)?.includes('start.mjs');
  const password = action === 'add' || action === 'password' ? await askPassword() : '';
  const postgres = isRunning
    ? { url: running.database, stop: async () => undefined }
    : await startPostgres(path.join(data, 'postgres'), say);
  try {
    const child = spawn(
      process.execPath,
      [path.join(root, 'packages/server/dist/people.mjs'), JSON.stringify({ action, name, role: values.role })],
      {
        stdio: ['pipe', 'inherit', 'inherit'],
        env: { ...process.env, IVREX_DATABASE_URL: postgres.url, IVREX_ROOT: root, IVREX_DATA: data, IVREX_THREADS: '1' },
      },
    );
    child.stdin.end(password);
    process.exitCode = await new Promise((resolve) => child.once('exit', resolve));
  } finally {
    await postgres.stop();
  }
});
