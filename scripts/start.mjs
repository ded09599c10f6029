// `npm run demo` and `npm start`: everything from a bare machine to an address in the terminal.
//   --demo         also make the demo production (what is missing of it)
//   --data FOLDER  where the database, media and deliveries are kept (default .data)
//   --port N       the address's port (default 4780, or another when it is taken)
//   --workers N    processes that render deliveries (default 1; 0 when others do, see npm run worker)
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, setPriority } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { Failure, GIVES_MEMORY_BACK, main, root } from './steps/run.mjs';

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
      workers: { type: 'string', default: '1' },
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
  const env = {
    ...process.env,
    IVREX_DATABASE_URL: postgres.url,
    IVREX_ROOT: root,
    IVREX_DATA: data,
    IVREX_PORT: String(port),
    IVREX_THREADS: process.env.IVREX_THREADS ?? String(availableParallelism()),
    IVREX_DEMO: values.demo ? '1' : '0',
    IVREX_LOG: process.env.IVREX_LOG ?? 'warn',
  };
  // Groups of their own: Ctrl+C reaches this script alone, which stops things in order.
  const launch = (bundle, more = {}) =>
    spawn(process.execPath, ['--enable-source-maps', path.join(root, 'packages/server/dist', bundle)], {
      detached: true,
      stdio: ['ignore', 'pipe', 'inherit'],
      env: { ...env, ...GIVES_MEMORY_BACK, ...more },
    });
  const server = launch('server.mjs');
  const workers = new Map();
  const keepRunFile = () =>
    writeFileSync(
      runFile,
      JSON.stringify({
        script: process.pid,
        server: server.pid,
        port,
        database: postgres.url,
        workers: [...workers.values()].map((w) => w.pid),
      }),
      { mode: 0o600 },
    );
  keepRunFile();

  let stopping = false;
  const stop = async (code) => {
    if (stopping) return;
    stopping = true;
    await Promise.all([server, ...workers.values()].map(end));
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
  /** Renders deliveries beside the server, after those who look at pictures. One that ends is started again: its frames are made by the next. */
  const work = (number) => {
    const started = Date.now();
    const worker = launch('worker.mjs', { IVREX_WORKER: `worker ${number}` });
    try {
      setPriority(worker.pid, 10);
    } catch {
      // It is gone already; the exit below says so.
    }
    workers.set(number, worker);
    keepRunFile();
    worker.stdout.resume();
    worker.once('exit', (code, signal) => {
      if (stopping) return;
      process.stderr.write(
        `ivrex: worker ${number} ended by itself (${signal ?? `exit code ${code}`}); it is started again, nothing is lost\n`,
      );
      setTimeout(() => !stopping && work(number), Date.now() - started < 5000 ? 5000 : 500);
    });
  };
  let printed = '';
  server.stdout.on('data', (chunk) => {
    printed += chunk;
    for (let end = printed.indexOf('\n'); end >= 0; end = printed.indexOf('\n')) {
      const line = printed.slice(0, end);
      printed = printed.slice(end + 1);
      const address = /^IVREX LISTENS (\d+)$/.exec(line);
      if (address === null) {
        process.stdout.write(`${line}\n`);
        continue;
      }
      for (let number = 1; number <= Number(values.workers); number++) work(number);
      say(
        `ready in ${((Date.now() - started) / 1000).toFixed(1)} s at  ${process.env.IVREX_PUBLIC?.split(',')[0] || `http://${shownHost()}:${address[1]}`}  (Ctrl+C stops it)`,
      );
    }
  });
});

function shownHost() {
  const host = process.env.IVREX_HOST ?? '127.0.0.1';
  return host.includes(':') ? `[${host}]` : host;
}

/** In order, or by force when that takes too long. */
async function end(child) {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise((resolve) => {
    child.once('exit', resolve);
  });
  child.kill('SIGTERM');
  await Promise.race([gone, wait(8000).then(() => child.kill('SIGKILL'))]);
}

/** A start that was killed leaves its processes behind: end those. A start that lives is left alone. */
async function takeOver(runFile, commandLineOf) {
  if (!existsSync(runFile)) return;
  const { script, server, port, workers = [] } = JSON.parse(readFileSync(runFile, 'utf8'));
  if (script !== process.pid && commandLineOf(script)?.includes('start.mjs'))
    throw new Failure(
      `Ivrex is already running with this data at http://127.0.0.1:${port}; stop it first, or give another folder with --data`,
    );
  const isOurs = (pid) => commandLineOf(pid)?.includes('packages/server/dist/');
  for (const pid of [server, ...workers].filter(isOurs)) {
    tryKill(pid, 'SIGTERM');
    for (let i = 0; i < 100 && commandLineOf(pid) !== null; i++) await wait(50);
    if (isOurs(pid)) tryKill(pid, 'SIGKILL');
  }
  rmSync(runFile, { force: true });
}

function tryKill(pid, signal) {
  try {
    process.kill(pid, signal);
  } catch {
    // It ended by itself meanwhile.
  }
}
