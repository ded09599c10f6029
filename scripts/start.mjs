// `npm run demo` and `npm start`: everything from a bare machine to an address in the terminal.
//   --demo         also make the demo production (what is missing of it)
//   --data FOLDER  where the database, media and deliveries are kept (default .data)
//   --port N       the address's port (default 4780, or another when it is taken)
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { Failure, main, root } from './steps/run.mjs';

const started = Date.now();
const say = (what) => process.stdout.write(`ivrex: ${what}\n`);
const wait = (ms) =>
  new Promise((resolve) => {
    setTimeout(resolve, ms);
  });

main(async () => {
  const { values } = parseArgs({
    options: {
      demo: { type: 'boolean', default: false },
      data: { type: 'string', default: path.join(root, '.data') },
      port: { type: 'string' },
    },
  });
  const data = path.resolve(values.data);
  const { ensurePackages, ensurePrograms } = await import('./steps/install-steps.mjs');
  await ensurePackages(say);
  await ensurePrograms(['postgres', 'chromium', 'ffmpeg'], say);
  const { buildServer, buildClient } = await import('./steps/build-steps.mjs');
  await buildServer(say);
  await buildClient(say);
  const { startPostgres, freePort, commandLineOf } = await import('./steps/postgres-steps.mjs');

  mkdirSync(data, { recursive: true });
  const runFile = path.join(data, 'running.json');
  await takeOver(runFile, commandLineOf);
  const postgres = await startPostgres(path.join(data, 'postgres'), say);
  const port = await freePort(values.port === undefined ? 4780 : Number(values.port));
  const server = spawn(process.execPath, ['--enable-source-maps', path.join(root, 'packages/server/dist/server.mjs')], {
    // A group of its own: Ctrl+C reaches this script alone, which stops things in order.
    detached: true,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: {
      ...process.env,
      IVREX_DATABASE_URL: postgres.url,
      IVREX_ROOT: root,
      IVREX_DATA: data,
      IVREX_PORT: String(port),
      IVREX_THREADS: process.env.IVREX_THREADS ?? String(availableParallelism()),
      IVREX_DEMO: values.demo ? '1' : '0',
      IVREX_LOG: process.env.IVREX_LOG ?? 'warn',
    },
  });
  writeFileSync(runFile, JSON.stringify({ script: process.pid, server: server.pid, port }));

  let stopping = false;
  const stop = async (code) => {
    if (stopping) return;
    stopping = true;
    if (server.exitCode === null && server.signalCode === null) {
      server.kill('SIGTERM');
      const gone = new Promise((resolve) => {
        server.once('exit', resolve);
      });
      await Promise.race([gone, wait(8000).then(() => server.kill('SIGKILL'))]);
    }
    await postgres.stop();
    rmSync(runFile, { force: true });
    process.exit(code);
  };
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'])
    process.on(signal, () => {
      if (!stopping) say('stopping');
      void stop(0);
    });
  server.once('exit', (code, signal) => {
    if (stopping) return;
    process.stderr.write(`ivrex: the server ended by itself (${signal ?? `exit code ${code}`}); start again, nothing is lost\n`);
    void stop(1);
  });
  let printed = '';
  server.stdout.on('data', (chunk) => {
    printed += chunk;
    for (let end = printed.indexOf('\n'); end >= 0; end = printed.indexOf('\n')) {
      const line = printed.slice(0, end);
      printed = printed.slice(end + 1);
      const address = /^IVREX LISTENS (\d+)$/.exec(line);
      if (address === null) process.stdout.write(`${line}\n`);
      else say(`ready in ${((Date.now() - started) / 1000).toFixed(1)} s at  http://127.0.0.1:${address[1]}  (Ctrl+C stops it)`);
    }
  });
});

/** A start that was killed leaves its server behind: end that one. A start that lives is left alone. */
async function takeOver(runFile, commandLineOf) {
  if (!existsSync(runFile)) return;
  const { script, server, port } = JSON.parse(readFileSync(runFile, 'utf8'));
  if (script !== process.pid && commandLineOf(script)?.includes('start.mjs'))
    throw new Failure(
      `Ivrex is already running with this data at http://127.0.0.1:${port}; stop it first, or give another folder with --data`,
    );
  if (commandLineOf(server)?.includes('packages/server/dist/server.mjs')) {
    process.kill(server, 'SIGTERM');
    for (let i = 0; i < 100 && commandLineOf(server) !== null; i++) await wait(50);
    if (commandLineOf(server)?.includes('packages/server/dist/server.mjs')) process.kill(server, 'SIGKILL');
  }
  rmSync(runFile, { force: true });
}
