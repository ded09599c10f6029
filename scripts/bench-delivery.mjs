// Part of `npm run bench`, or alone: how two workers compare with one, whether memory stays where it is, and how the server answers meanwhile.
//   --frames N        frames of the long run (default 500)
//   --folder FOLDER   frames to deliver in place of the demo's TC_010
import { spawn } from 'node:child_process';
import { chmodSync, cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { main, root } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`);
const wait = (ms) =>
  new Promise((resolve) => {
    setTimeout(resolve, ms);
  });

/** The application with so many workers of one thread each. */
async function start(data, workers) {
  const script = spawn(process.execPath, ['scripts/start.mjs', '--data', data, '--port', '0', '--workers', String(workers)], {
    cwd: root,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, IVREX_THREADS: '1', IVREX_LOG: 'error' },
  });
  let text = '';
  script.stdout.on('data', (chunk) => {
    text += chunk;
  });
  while (!/http:\S+/.test(text)) {
    if (script.exitCode !== null) throw new Error(`the start failed: ${text}`);
    await wait(50);
  }
  const [url] = /http:\/\/[\d.:]+/.exec(text);
  const call = async (method, address, body) => {
    const response = await fetch(`${url}/api${address}`, {
      method,
      headers: { 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    if (!response.ok) throw new Error(`${method} ${address}: ${response.status} ${await response.text()}`);
    return response;
  };
  const json = async (...args) => (await call(...args)).json();
  const stop = () =>
    new Promise((resolve) => {
      script.once('exit', resolve);
      script.kill('SIGINT');
    });
  while ((await json('GET', '/queue')).workers.filter((w) => w.state !== 'gone').length < workers) await wait(100);
  return { call, json, stop, pids: JSON.parse(readFileSync(path.join(data, 'running.json'), 'utf8')) };
}

/** What the machine itself gains by a second process: a plain loop in one, then in two at once. Shared cores give less than 2. */
async function plainGain() {
  const loop = () =>
    new Promise((resolve) => {
      const began = Date.now();
      spawn(process.execPath, ['-e', 'let s = 0; for (let i = 0; i < 1e9; i++) s += i % 7;']).once('exit', () =>
        resolve(Date.now() - began),
      );
    });
  const alone = await loop();
  return (2 * alone) / Math.max(...(await Promise.all([loop(), loop()])));
}

/** Orders all frames of the heron anew and waits for them; seconds. */
async function deliver({ json }, shot, name) {
  const began = Date.now();
  const order = { name, firstFrame: shot.firstFrame, lastFrame: shot.lastFrame, existing: 'replace' };
  const { id } = await json('POST', `/shots/${shot.id}/deliveries`, order);
  for (;;) {
    const found = (await json('GET', `/shots/${shot.id}/deliveries`)).find((d) => d.id === id);
    if (found.state === 'done') return (Date.now() - began) / 1000;
    if (found.state === 'failed') throw new Error(found.frames.find((f) => f.error)?.error ?? found.error);
    await wait(100);
  }
}

/** The heron of the demo, read as it is stored. */
async function bringIn({ json }, folder) {
  const { id } = await json('POST', '/shots', { folder });
  const detail = await json('GET', `/shots/${id}`);
  const { settings, state, passes } = detail;
  const encoding = JSON.parse(readFileSync(path.join(root, 'packages/demo/encodings/heron.json'), 'utf8'));
  if (settings.elements[0].encoding === null)
    await json('PUT', `/shots/${id}/settings`, {
      label: 'Reading',
      basedOn: state.sequence,
      settings: { ...settings, elements: [{ ...settings.elements[0], encoding }] },
    });
  return { ...detail.shot, beauty: settings.elements[0].beauty, passes };
}

const megabytes = (pid) => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;
const share = (values, at) => [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * at))];

/** So many clients, each looking at frames and settings one after the other, with a moment between as people have. */
async function clients({ call }, shot, count, until) {
  const times = [];
  const one = async (n) => {
    for (let k = 0; !until.over; k++) {
      const frame = shot.firstFrame + ((n * 7 + k) % (shot.lastFrame - shot.firstFrame + 1));
      for (const address of [`/shots/${shot.id}`, `/passes/${shot.beauty}/frames/${frame}?form=picture&every=4`]) {
        const began = performance.now();
        await (await call('GET', address)).arrayBuffer();
        times.push(performance.now() - began);
      }
      await wait(700 + ((n * 37 + k * 91) % 600));
    }
  };
  await Promise.all(Array.from({ length: count }, (_, n) => one(n)));
  return times;
}

main(async () => {
  const { values } = parseArgs({
    options: {
      frames: { type: 'string', default: '500' },
      folder: { type: 'string', default: path.join(root, '.cache/demo/tidal-clock/TC_010') },
    },
  });
  const data = mkdtempSync(path.join(tmpdir(), 'ivrex-bench-'));
  chmodSync(data, 0o755);
  try {
    const folder = path.join(data, 'media/TC_010');
    mkdirSync(path.dirname(folder), { recursive: true });
    cpSync(path.resolve(values.folder), folder, { recursive: true });
    let app = await start(data, 1);
    let shot = await bringIn(app, folder);
    await deliver(app, shot, 'warm');
    const alone = await deliver(app, shot, 'alone');
    await app.stop();
    app = await start(data, 2);
    shot = await bringIn(app, folder);
    await deliver(app, shot, 'warm');
    const two = await deliver(app, shot, 'two');
    const plain = await plainGain();
    say(
      `deliveries: two workers ${(alone / two).toFixed(2)} times as fast as one, of one thread each (goal 1.7 where two cores are free; two plain loops come to ${plain.toFixed(2)}; ${alone.toFixed(1)} s and ${two.toFixed(1)} s for 24 frames)`,
    );

    const { json } = app;
    const { id } = await json('POST', `/shots/${shot.id}/deliveries`, {
      name: 'let_go',
      firstFrame: shot.firstFrame,
      lastFrame: shot.lastFrame,
      existing: 'replace',
    });
    const isHeld = async () =>
      (await json('GET', `/shots/${shot.id}/deliveries`)).find((d) => d.id === id).frames.some((f) => f.state === 'running');
    while (!(await isHeld())) await wait(50);
    const cancelled = Date.now();
    await json('POST', `/deliveries/${id}/cancel`, {});
    while (await isHeld()) await wait(20);
    say(`deliveries: a cancelled one was let go of after ${Date.now() - cancelled} ms (goal 2000)`);

    const until = { over: false };
    const reading = clients(app, shot, 50, until);
    await deliver(app, shot, 'meanwhile');
    until.over = true;
    const times = await reading;
    say(
      `deliveries: ${times.length} requests of 50 clients while two workers render: half within ${share(times, 0.5).toFixed(0)} ms, 95 % within ${share(times, 0.95).toFixed(0)} ms (goal 300)`,
    );

    const pids = { server: app.pids.server, 'worker 1': app.pids.workers[0], 'worker 2': app.pids.workers[1] };
    const seen = Object.fromEntries(Object.keys(pids).map((name) => [name, []]));
    const rounds = Math.ceil(Number(values.frames) / 24);
    for (let round = 0; round < rounds; round++) {
      await deliver(app, shot, 'long');
      for (const [name, pid] of Object.entries(pids)) seen[name].push(megabytes(pid));
    }
    const mean = (list) => list.reduce((a, b) => a + b, 0) / list.length;
    for (const [name, list] of Object.entries(seen)) {
      const early = mean(list.slice(Math.floor(list.length / 4), Math.floor(list.length / 2))),
        late = mean(list.slice(Math.floor((list.length * 3) / 4)));
      say(
        `deliveries: memory of ${name} over ${rounds * 24} frames: ${early.toFixed(0)} MiB in the second quarter, ${late.toFixed(0)} MiB in the last`,
      );
    }
    await app.stop();
  } finally {
    rmSync(data, { recursive: true, force: true });
  }
});
