import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { Delivery, DeliveryId, Queue, ShotDetail, ShotId } from '@ivrex/contract';
import { proposeEncoding } from '@ivrex/core';
import { Application, until, type Run } from './start-application';

const HERON = path.join(__dirname, '../../../.cache/demo/small/TC_010');
const FRAMES = [1008, 1009, 1010, 1011, 1012, 1013];
/** Two workers of one thread each: one can be killed while the other goes on. */
const application = new Application(['--workers', '2'], { IVREX_THREADS: '1' });
const media = path.join(application.data, 'media/marsh/heron'),
  deliveries = path.join(application.data, 'deliveries'),
  root = path.join(deliveries, 'heron');
let run: Run, shotId: ShotId;

async function call<T>(method: string, address: string, body?: object): Promise<T> {
  const response = await fetch(`${run.url}/api${address}`, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const answer = (await response.json()) as T;
  if (!response.ok) throw new Error(JSON.stringify(answer));
  return answer;
}

const order = (name: string) =>
  call<Delivery>('POST', `/shots/${shotId}/deliveries`, { name, firstFrame: FRAMES[0], lastFrame: FRAMES[FRAMES.length - 1] });
const look = async (id: DeliveryId): Promise<Delivery> => {
  const found = (await call<Delivery[]>('GET', `/shots/${shotId}/deliveries`)).find((d) => d.id === id);
  if (found === undefined) throw new Error('the delivery is gone');
  return found;
};
const done = ({ frames }: Delivery) => frames.filter((f) => f.state === 'done').length;
/** Some frames are there, and some are not. */
const inTheMiddle = (id: DeliveryId) =>
  until('frames to be made', async () => done(await look(id)) >= 1 && (await look(id)).frames.some((f) => f.state === 'running'), 180);
const ended = (id: DeliveryId, state: Delivery['state'], seconds = 180) =>
  until(`the delivery to be ${state}`, async () => (await look(id)).state === state, seconds);

/** Every frame is there, bit by bit that of the undisturbed delivery, and nothing half-written lies beside. */
function expectCalm(name: string): void {
  const there = readdirSync(path.join(root, name)).sort();
  expect(there).toEqual([...FRAMES.map((f) => `${name}.${f}.exr`), `${name}.sha256`, `${name}.shot.json`]);
  for (const frame of FRAMES)
    expect(
      readFileSync(path.join(root, name, `${name}.${frame}.exr`)).equals(readFileSync(path.join(root, 'calm', `calm.${frame}.exr`))),
    ).toBe(true);
}

const errorsOf = ({ frames }: Delivery) => frames.flatMap((f) => (f.error === null ? [] : [f.error]));

beforeAll(async () => {
  mkdirSync(media, { recursive: true });
  for (const frame of FRAMES) copyFileSync(path.join(HERON, `TC_010_heron.${frame}.exr`), path.join(media, `heron.${frame}.exr`));
  run = await application.start();
  shotId = (await call<{ id: ShotId }>('POST', '/shots', { folder: media })).id;
  const { settings, passes, state } = await call<ShotDetail>('GET', `/shots/${shotId}`);
  const encoding = proposeEncoding(passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding ?? null;
  await call('PUT', `/shots/${shotId}/settings`, {
    label: 'Reading',
    basedOn: state.sequence,
    settings: { ...settings, elements: [{ ...settings.elements[0], encoding }] },
  });
  const { id } = await order('calm');
  await ended(id, 'done');
}, 600000);

afterAll(async () => {
  spawnSync('umount', ['-l', deliveries]);
  await application.clear();
}, 30000);

test('kill -9 of a worker: another makes its frames within a minute', async () => {
  const { id } = await order('worker');
  await inTheMiddle(id);
  const [victim] = application.running().workers;
  process.kill(victim, 'SIGKILL');
  await ended(id, 'done');
  expectCalm('worker');
  await until('the worker to be started again', () => !application.running().workers.includes(victim));
}, 600000);

test('kill -9 of the server: after the next start the delivery goes on by itself', async () => {
  const { id } = await order('server');
  await inTheMiddle(id);
  const gone = new Promise((resolve) => run.script.once('exit', resolve));
  process.kill(run.serverPid, 'SIGKILL');
  await gone;
  run = await application.start();
  await ended(id, 'done');
  expectCalm('server');
}, 600000);

test('kill -9 of the database: after the next start the delivery goes on by itself', async () => {
  const { id } = await order('database');
  await inTheMiddle(id);
  for (const pid of application.postgresPids()) process.kill(pid, 'SIGKILL');
  await application.stop(run);
  run = await application.start();
  await ended(id, 'done');
  expectCalm('database');
}, 600000);

test('a source that is truncated or gone: the frame is named, the others are made, and it is made when the file is back', async () => {
  const files = [1010, 1012].map((frame) => path.join(media, `heron.${frame}.exr`));
  copyFileSync(files[0], `${application.data}/whole.exr`);
  truncateSync(files[0], 30000);
  renameSync(files[1], `${application.data}/away.exr`);
  const { id } = await order('source');
  await ended(id, 'failed');
  const failed = (await look(id)).frames.filter((f) => f.state === 'failed');
  expect(failed.map((f) => f.frame)).toEqual([1010, 1012]);
  expect(failed[0].error).toContain('heron.1010.exr: the picture is incomplete');
  expect(failed[1].error).toContain('heron.1012.exr: there is no such file');
  copyFileSync(`${application.data}/whole.exr`, files[0]);
  renameSync(`${application.data}/away.exr`, files[1]);
  // What lies up to two frames away was made without them (a frame is mixed with its neighbours, and they have theirs): ordered again, it is seen to be made of
  // something else.
  await call('POST', `/deliveries/${id}/resume`, {});
  await ended(id, 'done');
  const { id: again } = await order('source');
  await ended(again, 'done');
  expect((await look(again)).frames.filter((f) => !f.kept).map((f) => f.frame)).toEqual([1008, 1009, 1011, 1013]);
  expectCalm('source');
}, 600000);

const asRoot = process.getuid?.() === 0 ? test : test.skip;

asRoot(
  'a disk that is full, and one that becomes read-only: said, nothing half-written, and finished when there is room',
  async () => {
    const kept = path.join(application.data, 'kept');
    renameSync(deliveries, kept);
    mkdirSync(deliveries);
    execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=48m', 'tmpfs', deliveries]);
    execFileSync('cp', ['-r', path.join(kept, 'heron'), deliveries]);

    writeFileSync(path.join(deliveries, 'ballast'), Buffer.alloc(40 * 2 ** 20));
    // Beforehand, where it can be known.
    await expect(
      call('POST', `/shots/${shotId}/deliveries`, {
        name: 'large',
        firstFrame: 1008,
        lastFrame: 1013,
        form: { kind: 'tiff', depth: 'float' },
      }),
    ).rejects.toThrow(/needs up to \d+ MB, and .* has [\d.]+ (MB|kB) left/);
    rmSync(path.join(deliveries, 'ballast'));

    const { id } = await order('full');
    await inTheMiddle(id);
    const fill = spawnSync('dd', ['if=/dev/zero', `of=${path.join(deliveries, 'ballast')}`, 'bs=64k']);
    expect(fill.status).not.toBe(0);
    await ended(id, 'failed');
    expect(errorsOf(await look(id))[0]).toMatch(/full\.\d+\.exr: cannot be written: the disk is full/);
    expect(readdirSync(path.join(root, 'full')).filter((name) => name.endsWith('.part'))).toEqual([]);
    rmSync(path.join(deliveries, 'ballast'));
    await call('POST', `/deliveries/${id}/resume`, {});
    await ended(id, 'done');
    expectCalm('full');

    const { id: second } = await order('fixed');
    await inTheMiddle(second);
    execFileSync('mount', ['-o', 'remount,ro', deliveries]);
    await ended(second, 'failed');
    expect(errorsOf(await look(second))[0]).toContain('cannot be written: the disk is read-only');
    execFileSync('mount', ['-o', 'remount,rw', deliveries]);
    await call('POST', `/deliveries/${second}/resume`, {});
    await ended(second, 'done');
    expectCalm('fixed');
    execFileSync('umount', ['-l', deliveries]);
    expect(existsSync(path.join(deliveries, 'heron'))).toBe(false);
  },
  240000,
);

test('one more worker is one command; it is seen while it lives, and says goodbye', async () => {
  const args = [
    'scripts/worker.mjs',
    '--data',
    application.data,
    '--name',
    'tide house',
    '--threads',
    '1',
    '--map',
    '/mnt/marsh=/volumes/marsh',
  ];
  const script = spawn(process.execPath, args, { cwd: path.join(__dirname, '../../..'), stdio: 'ignore' });
  const gone = new Promise((resolve) => script.once('exit', resolve));
  const seen = async () => (await call<Queue>('GET', '/queue')).workers.find((w) => w.name === 'tide house');
  await until('it to be seen', async () => (await seen())?.state === 'idle');
  expect(await seen()).toMatchObject({ threads: 1, framesDone: 0, doing: null });
  script.kill('SIGINT');
  expect(await gone).toBe(0);
  expect(await seen()).toBeUndefined();
  const nowhere = spawnSync(process.execPath, ['scripts/worker.mjs', '--data', path.join(application.data, 'none')], {
    cwd: path.join(__dirname, '../../..'),
    encoding: 'utf8',
  });
  expect([nowhere.status, nowhere.stderr]).toEqual([1, expect.stringContaining('say where the database is with --database')]);
}, 600000);

test('a delivery that is cancelled is let go of in the middle of a frame', async () => {
  const { id } = await order('cancelled');
  await inTheMiddle(id);
  await call('POST', `/deliveries/${id}/cancel`, {});
  await until('every frame to be let go of', async () => !(await look(id)).frames.some((f) => f.state === 'running'));
  const { frames } = await look(id);
  expect(frames.some((f) => f.state === 'waiting')).toBe(true);
  const folder = path.join(root, 'cancelled');
  expect(readdirSync(folder).filter((name) => name.endsWith('.part'))).toEqual([]);
}, 600000);
