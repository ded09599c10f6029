import {
  copyFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { DeliveryId, FolderListing, MotionAudit, MotionReading, MotionRemap, ShotDetail, ShotId, Upload } from '@ivrex/contract';
import { unpackRaster } from '@ivrex/contract';
import { proposeEncoding, rawPixels } from '@ivrex/core';
import { BlurPool } from '@ivrex/media';
import { pino } from 'pino';
import request from 'supertest';
import { readConfig } from '../src/config/config';
import { openDatabase, type Database } from '../src/db/database';
import { migrate } from '../src/db/migrate';
import { claimFrame } from '../src/db/queries/claim-frame';
import { listDeliveries } from '../src/db/queries/list-deliveries';
import { makeApp } from '../src/http/app';
import { frameSources, renderDeliveryFrame, resumeInterrupted } from '../src/services/deliveries';
import { FolderLooks } from '../src/services/measures';
import { MotionAudits } from '../src/services/motion-audits';
import { MotionMakes } from '../src/services/motion-makes';
import { MotionRemaps } from '../src/services/motion-remaps';
import { ShotWatch } from '../src/services/watch';
import type { Services } from '../src/services/services';
import { madeMotionCases } from './made-motion-cases';

const ROOT = path.join(__dirname, '../../..');
const HERON = path.join(ROOT, '.cache/demo/tidal-clock/TC_010');
const data = mkdtempSync(path.join(tmpdir(), 'ivrex-api-'));
const shotFolder = path.join(data, 'media/marsh/heron');
const sent: { id: string; frames: readonly number[] }[] = [];
let database: Database, pool: BlurPool, services: Services, api: ReturnType<typeof request>;

beforeAll(async () => {
  const url = process.env.IVREX_TEST_DATABASE_URL;
  if (url === undefined || !existsSync(HERON))
    throw new Error('the test database or the demo frames are not there; run "npm test", which makes both');
  const config = readConfig({ IVREX_DATABASE_URL: url, IVREX_ROOT: ROOT, IVREX_DATA: data, IVREX_THREADS: '2', IVREX_LOG: 'silent' });
  database = openDatabase(url, () => undefined);
  await database.query('DROP SCHEMA public CASCADE; CREATE SCHEMA public');
  await migrate(database, config.migrationsFolder);
  pool = new BlurPool({
    workerFile: path.join(ROOT, 'packages/server/dist/media-worker.mjs'),
    kernelsWasm: config.kernelsWasm,
    threads: 2,
  });
  const log = pino({ level: 'silent' });
  const queue = {
    send: (id: string, frames: readonly number[]) => {
      sent.push({ id, frames });
      return Promise.resolve();
    },
    abort: () => undefined,
  };
  const base = { database, pool, config, log, queue, now: () => new Date(), work: { list: () => [] }, looks: new FolderLooks() };
  services = {
    ...base,
    watch: new ShotWatch(base),
    audits: new MotionAudits(base),
    remaps: new MotionRemaps(base),
    makes: new MotionMakes(base),
  };
  api = request(makeApp(services));
  mkdirSync(shotFolder, { recursive: true });
  for (const frame of [1010, 1011, 1012, 1014])
    copyFileSync(path.join(HERON, `TC_010_heron.${frame}.exr`), path.join(shotFolder, `heron.${frame}.exr`));
  truncateSync(path.join(shotFolder, 'heron.1012.exr'), 90000);
  writeFileSync(path.join(shotFolder, 'notes.exr'), 'low tide at six');
  copyFileSync(path.join(ROOT, 'packages/core/test/fixtures/layers-zips.exr'), path.join(shotFolder, 'small.exr'));
});

afterAll(async () => {
  await pool?.close();
  await database?.close();
  rmSync(data, { recursive: true, force: true });
});

let detail: ShotDetail;
const shotId = () => detail.shot.id;
const get = async (): Promise<ShotDetail> => (await api.get(`/api/shots/${shotId()}`).expect(200)).body as ShotDetail;

test('migrations run once, also when two processes start together', async () => {
  const again = await Promise.all([
    migrate(database, services.config.migrationsFolder),
    migrate(database, services.config.migrationsFolder),
  ]);
  expect(again).toEqual([[], []]);
});

test('a folder becomes a shot whose passes have roles, and whose faults are sentences', async () => {
  const made = await api.post('/api/shots').send({ folder: shotFolder }).expect(201);
  detail = (await api.get(`/api/shots/${(made.body as { id: ShotId }).id}`).expect(200)).body as ShotDetail;
  expect(detail.shot).toMatchObject({ name: 'heron', firstFrame: 1010, lastFrame: 1014, width: 960, height: 540, fps: 24 });
  expect(detail.passes.filter((p) => p.file.startsWith('heron')).map((p) => [p.name, p.guess.role])).toEqual([
    ['heron', 'beauty'],
    ['depth', 'depth'],
    ['id', 'ids'],
    ['motion', 'motion'],
  ]);
  const text = detail.findings.map((f) => f.message).join('\n');
  expect(text).toMatch(/frame 1012: the picture is incomplete/);
  expect(text).toMatch(/heron\.####\.exr: frame 1013 is missing; the others can be used/);
  expect(text).toMatch(/notes\.exr is left out: this is not an OpenEXR, TIFF, PNG, JPEG or DPX picture/);
  expect(text).toMatch(/small\.exr is 37 x 21, the beauty 960 x 540/);
});

test('the same folder again is the same shot, and what was decided stays', async () => {
  const before = await get();
  const made = await api.post('/api/shots').send({ folder: shotFolder }).expect(201);
  expect((made.body as { id: string }).id).toBe(before.shot.id);
  expect((await get()).state).toEqual(before.state);
});

test.each([
  ['/etc', 403, 'forbidden'],
  ['/nowhere/at/all', 404, 'missingFile'],
])('the folder %s is refused with %i', async (folder, status, code) => {
  const reply = await api.post('/api/shots').send({ folder }).expect(status);
  expect((reply.body as { error: { code: string; requestId: string } }).error).toMatchObject({
    code,
    requestId: expect.any(String) as string,
  });
});

test('a link out of the media folders is not followed', async () => {
  symlinkSync('/etc', path.join(data, 'media/escape'));
  await api
    .post('/api/shots')
    .send({ folder: path.join(data, 'media/escape') })
    .expect(403);
});

test('pixels arrive as stored, and are not sent twice', async () => {
  const motion = detail.passes.find((p) => p.name === 'motion');
  const reply = await api.get(`/api/passes/${motion?.id}/frames/1010?form=planes`).responseType('blob').expect(200);
  const body = reply.body as Buffer;
  const raster = unpackRaster(body.buffer.slice(body.byteOffset, body.byteOffset + body.length) as ArrayBuffer);
  expect(raster.header).toEqual({ width: 960, height: 540, format: 'planes32f', names: ['nextX', 'nextY', 'prevX', 'prevY'] });
  expect((raster.planes[0] as Float32Array).reduce((a, b) => Math.max(a, b), 0)).toBeGreaterThan(20);
  await api.get(`/api/passes/${motion?.id}/frames/1010?form=planes`).set('If-None-Match', String(reply.headers.etag)).expect(304);
});

test('a missing and a truncated frame are sentences', async () => {
  const beauty = detail.passes.find((p) => p.name === 'heron')?.id;
  expect((await api.get(`/api/passes/${beauty}/frames/1013?form=picture`).expect(404)).body).toMatchObject({
    error: { code: 'missingFrame', message: 'frame 1013 is missing' },
  });
  expect((await api.get(`/api/passes/${beauty}/frames/1012?form=picture`).expect(422)).body).toMatchObject({
    error: { code: 'truncated' },
  });
  await api.get(`/api/passes/${beauty}/frames/x?form=picture`).expect(400);
});

test('changes are kept as states; undo and redo walk through them; an old base is a conflict', async () => {
  detail = await get();
  const change = (angle: number, basedOn: number) =>
    api.put(`/api/shots/${shotId()}/settings`).send({
      label: `Shutter ${angle}`,
      basedOn,
      settings: { ...detail.settings, shutter: { opens: 0, closes: angle / 360, strength: 1 } },
    });
  await change(90, 1).expect(200);
  await change(270, 2).expect(200);
  expect((await change(45, 2).expect(409)).body).toMatchObject({ error: { code: 'conflict' } });
  const undone = (await api.post(`/api/shots/${shotId()}/undo`).send({}).expect(200)).body as ShotDetail;
  expect([undone.settings.shutter.closes, undone.state]).toEqual([
    0.25,
    { sequence: 2, label: 'Shutter 90', undo: 'Shutter 90', redo: 'Shutter 270' },
  ]);
  const redone = (await api.post(`/api/shots/${shotId()}/redo`).send({}).expect(200)).body as ShotDetail;
  expect(redone.settings.shutter.closes).toBe(0.75);
  for (let i = 0; i < 5; i++) await api.post(`/api/shots/${shotId()}/undo`).send({}).expect(200);
  expect((await get()).state).toMatchObject({ sequence: 1, undo: null, redo: 'Shutter 90' });
});

test('settings that make no sense never reach the database', async () => {
  detail = await get();
  const bad = (settings: unknown) => api.put(`/api/shots/${shotId()}/settings`).send({ label: 'x', basedOn: 1, settings }).expect(400);
  expect((await bad({ ...detail.settings, shutter: { opens: 0.5, closes: 0, strength: 1 } })).body).toMatchObject({
    error: { message: 'settings.shutter.closes: the shutter must not close before it opens' },
  });
  await bad({ ...detail.settings, extra: 1 });
  await api.put(`/api/shots/${shotId()}/settings`).set('Content-Type', 'application/json').send('{ no').expect(400);
});

test('a reading kept under a known name is its next version', async () => {
  const encoding = proposeEncoding(detail.passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding;
  await api.post('/api/encodings').send({ name: 'Marsh', document: encoding }).expect(201);
  const list = (await api.post('/api/encodings').send({ name: 'Marsh', document: encoding }).expect(201)).body as {
    name: string;
    version: number;
  }[];
  expect(list.map((e) => [e.name, e.version])).toEqual([['Marsh', 2]]);
});

describe('deliveries', () => {
  const options = { name: 'blurred', firstFrame: 1010, lastFrame: 1014, type: 'half', compression: 'zip' };
  let id: DeliveryId;
  const folder = () => path.join(data, 'deliveries/heron/blurred');
  const states = async () => (await listDeliveries(database, { id }))[0].frames.map((f) => f.state).join(' ');

  test('need an agreed reading first', async () => {
    expect((await api.post(`/api/shots/${shotId()}/deliveries`).send(options).expect(422)).body).toMatchObject({
      error: { message: 'say how the motion is stored in step Motion first' },
    });
  });
  test("write every frame that can be read, name the one that can't, and leave no half file", async () => {
    detail = await get();
    const encoding = proposeEncoding(detail.passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding ?? null;
    const settings = { ...detail.settings, elements: [{ ...detail.settings.elements[0], encoding }] };
    await api.put(`/api/shots/${shotId()}/settings`).send({ label: 'Reading', basedOn: detail.state.sequence, settings }).expect(200);
    id = ((await api.post(`/api/shots/${shotId()}/deliveries`).send(options).expect(201)).body as { id: DeliveryId }).id;
    expect(sent.at(-1)).toEqual({ id, frames: [1010, 1011, 1012, 1014] });
    for (const frame of [1010, 1011, 1012, 1014]) await renderDeliveryFrame(services, id, frame, new AbortController().signal);
    expect(await states()).toBe('done done failed done');
    const [reply] = (await api.get(`/api/shots/${shotId()}/deliveries`).expect(200)).body as {
      state: string;
      frames: { error: string | null }[];
    }[];
    expect(reply.state).toBe('failed');
    expect(reply.frames[2].error).toMatch(/heron\.1012\.exr: the picture is incomplete/);
    expect(readdirSync(folder()).sort()).toEqual(['blurred.1010.exr', 'blurred.1011.exr', 'blurred.1014.exr']);
  });
  test('a frame is taken once, however many ask for it', async () => {
    await api.post(`/api/deliveries/${id}/resume`).send({}).expect(200);
    expect(await Promise.all([claimFrame(database, id, 1012), claimFrame(database, id, 1012), claimFrame(database, id, 1010)])).toEqual(
      expect.arrayContaining([false]),
    );
    expect(await states()).toBe('done done running done');
  });
  test('what a process that died had under way waits again after the next start', async () => {
    expect(await resumeInterrupted(services)).toBe(1);
    expect(sent.at(-1)).toEqual({ id, frames: [1012] });
    expect(await states()).toBe('done done waiting done');
  });
  test('the missing frame is rendered once its file is whole', async () => {
    copyFileSync(path.join(HERON, 'TC_010_heron.1012.exr'), path.join(shotFolder, 'heron.1012.exr'));
    await renderDeliveryFrame(services, id, 1012, new AbortController().signal);
    expect((await listDeliveries(database, { id }))[0].state).toBe('done');
  });
  test('a cancelled delivery renders nothing more', async () => {
    const next = (
      (
        await api
          .post(`/api/shots/${shotId()}/deliveries`)
          .send({ ...options, name: 'second' })
          .expect(201)
      ).body as { id: DeliveryId }
    ).id;
    expect((await api.post(`/api/deliveries/${next}/cancel`).send({}).expect(200)).body).toMatchObject({ state: 'cancelled' });
    await renderDeliveryFrame(services, next, 1010, new AbortController().signal);
    expect(existsSync(path.join(data, 'deliveries/heron/second'))).toBe(false);
    const third = (
      (
        await api
          .post(`/api/shots/${shotId()}/deliveries`)
          .send({ ...options, name: 'third' })
          .expect(201)
      ).body as { id: DeliveryId }
    ).id;
    const stop = new AbortController();
    const render = renderDeliveryFrame(services, third, 1010, stop.signal);
    stop.abort();
    await render;
    expect((await listDeliveries(database, { id: third }))[0].frames[0]).toMatchObject({ state: 'waiting', error: null });
    expect(existsSync(path.join(data, 'deliveries/heron/third'))).toBe(false);
  });
});

describe('what a browser elsewhere may not do', () => {
  test('a foreign Host or Origin is refused', async () => {
    await api.get('/api/shots').set('Host', 'marsh.example').expect(403);
    await api.get('/api/shots').set('Origin', 'http://marsh.example').expect(403);
  });
  test('pages are isolated and say what they may load', async () => {
    const { headers } = await api.get('/api/health').expect(200);
    expect(headers['cross-origin-opener-policy']).toBe('same-origin');
    expect(headers['cross-origin-embedder-policy']).toBe('require-corp');
    expect(headers['content-security-policy']).toContain("script-src 'self' 'wasm-unsafe-eval'");
  });
  test('an unknown address is a sentence, not a page', async () => {
    expect((await api.get('/api/none').expect(404)).body).toMatchObject({ error: { code: 'notFound' } });
  });
});

test('settings of the process are checked by name', () => {
  expect(() =>
    readConfig({ IVREX_DATABASE_URL: 'postgresql://x', IVREX_ROOT: '/r', IVREX_DATA: '/d', IVREX_THREADS: '2', IVREX_HOST: '0.0.0.0' }),
  ).toThrow('IVREX_HOST');
  expect(() => readConfig({})).toThrow('IVREX_DATABASE_URL');
});

describe('passes in files of their own', () => {
  const folder = path.join(data, 'media/wheels');
  const WHEELS = path.join(ROOT, '.cache/demo/tidal-clock/TC_020');
  let wheels: ShotDetail;
  const load = async () => (await api.get(`/api/shots/${wheels.shot.id}`).expect(200)).body as ShotDetail;
  const change = async (settings: Partial<ShotDetail['settings']>, label = 'changed') => {
    const now = await load();
    const body = { settings: { ...now.settings, ...settings }, label, basedOn: now.state.sequence };
    return (await api.put(`/api/shots/${now.shot.id}/settings`).send(body).expect(200)).body as ShotDetail;
  };

  beforeAll(async () => {
    cpSync(WHEELS, folder, { recursive: true, filter: (file) => !/\.(\d+)\./.test(file) || /\.10(0[1-6]|1[89])\./.test(file) });
    const made = await api.post('/api/shots').send({ folder }).expect(201);
    wheels = (await api.get(`/api/shots/${(made.body as { id: ShotId }).id}`).expect(200)).body as ShotDetail;
  });

  test('folders inside the folder are passes, with roles from names and pixels', () => {
    expect(
      Object.fromEntries(
        wheels.passes.map((p) => [p.file.split('/')[0] + (p.layer === '' ? '' : `:${p.layer}`), `${p.guess.role} ${p.format}`]),
      ),
    ).toMatchObject({
      beauty: 'beauty OpenEXR',
      depth: 'depth OpenEXR',
      mattes: 'matte TIFF',
      motion: 'motion PNG',
      'objects:wheel_objects': 'ids OpenEXR',
      plate: 'plate JPEG',
    });
    const motion = wheels.passes.find((p) => p.guess.role === 'motion');
    expect(motion?.guess.reason).toMatch(/\d\d % of the pixels rest at 0\.7/);
    expect(motion?.ranges?.[0].rest).toBeCloseTo(0.5 ** (1 / 2.2), 4);
  });

  test('the truncated frame is named, and the frames of the gap', () => {
    const text = wheels.findings.map((f) => f.message).join('\n');
    expect(text).toMatch(/beauty\/TC_020_beauty\.####\.exr, frame 1019: the picture is incomplete: \d+ of 17 blocks/);
    expect(text).toContain('frames 1007 to 1017 are missing');
  });

  test('an offset moves the files under the frames; undo moves them back', async () => {
    const motion = wheels.passes.find((p) => p.guess.role === 'motion');
    const at = async (frame: number) => {
      const reply = await api
        .get(`/api/passes/${motion?.id}/frames/${frame}?form=planes&every=8`)
        .buffer(true)
        .parse((res, done) => {
          const parts: Buffer[] = [];
          res.on('data', (part: Buffer) => parts.push(part));
          res.on('end', () => done(null, Buffer.concat(parts)));
        });
      return Buffer.isBuffer(reply.body) ? reply.body.toString('base64') : '';
    };
    const before = await at(1005);
    const shifted = await change({ offsets: { [motion?.sequenceId ?? '']: 1 } });
    expect(shifted.passes.find((p) => p.id === motion?.id)).toMatchObject({ offset: 1 });
    expect(shifted.passes.find((p) => p.id === motion?.id)?.frames?.[0]).toBe((motion?.frames?.[0] ?? 0) - 1);
    expect(await at(1004)).toBe(before);
    await api.post(`/api/shots/${wheels.shot.id}/undo`).expect(200);
    expect(await at(1005)).toBe(before);
    expect(await at(1004)).not.toBe(before);
  });

  test('a delivery reads frames as they were numbered and read when it was ordered', async () => {
    const { settings, passes } = await load();
    const motion = passes.find((p) => p.guess.role === 'motion'),
      [element] = settings.elements;
    const encoding = proposeEncoding(motion?.channels ?? [])?.encoding ?? null;
    const ordered = {
      ...settings,
      elements: [{ ...element, encoding }],
      offsets: { [motion?.sequenceId ?? '']: 1 },
      readings: { [element.beauty ?? '']: { curve: 'power22' as const, alpha: { kind: 'straight' as const } } },
    };
    const { sources } = await frameSources(database, wheels.shot.id, ordered, 1004);
    expect(sources.motion.file).toMatch(/TC_020_motion\.1005\.png$/);
    expect(sources.beauty.file).toMatch(/TC_020_beauty\.1004\.exr$/);
    expect(sources.beauty.reading).toEqual({ curve: 'power22', alpha: { kind: 'straight' } });
  });

  test('the motion is read from the pictures: curve, scale, axes and the file numbers; asked again it is there at once', async () => {
    const ask = async (body: object) =>
      (await api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send(body).expect(200)).body as MotionReading;
    const reading = await ask({ frame: 1004 });
    expect(reading).toMatchObject({
      frame: 1004,
      frameOffset: 1,
      encoding: {
        transfer: { kind: 'power', exponent: 2.2 },
        zero: 0.5,
        fullScale: { equals: 32, unit: 'px' },
        axes: { x: 'right', y: 'up' },
        sets: [{ x: 'R', y: 'G' }],
      },
    });
    expect(reading.confidence).toBeGreaterThan(0.85);
    expect(reading.symptoms.map((s) => s.code)).toEqual(expect.arrayContaining(['curveOnData', 'frameOff']));
    const { residual } = reading.evidence;
    expect(residual && residual.after < residual.before / 3).toBe(true);
    const { rows } = await database.query('SELECT count(*)::int AS n FROM motion_readings');
    expect(await ask({ frame: 1004 })).toEqual(reading);
    expect((await database.query('SELECT count(*)::int AS n FROM motion_readings')).rows).toEqual(rows);
    await api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send({ frame: 'noon' }).expect(400);
  });

  test('all frames are audited in the background, kept, and stopped on request', async () => {
    const reading = (await api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send({ frame: 1004 })).body as MotionReading;
    const motion = wheels.passes.find((p) => p.guess.role === 'motion');
    const audit = async () => (await api.get(`/api/shots/${wheels.shot.id}/motion/audit`).expect(200)).body as MotionAudit | null;
    expect(await audit()).toBeNull();
    const { settings } = await load();
    const decided = {
      elements: [{ ...settings.elements[0], encoding: reading.encoding }],
      offsets: { ...settings.offsets, [motion?.sequenceId ?? '']: 1 },
    };
    await change(decided, 'Reading taken');
    await audit();
    const stopped = (await api.post(`/api/shots/${wheels.shot.id}/motion/audit/cancel`).expect(200)).body as MotionAudit;
    expect(stopped.state).toBe('cancelled');
    await api.post(`/api/shots/${wheels.shot.id}/motion/audit/resume`).expect(200);
    let result = await audit();
    while (result?.state === 'running') {
      await new Promise((next) => setTimeout(next, 200));
      result = await audit();
    }
    expect(result).toMatchObject({ state: 'done', failed: [] });
    expect(result?.frames.length).toBe(result?.total);
    // None of the frames that were copied here clips; the pendulum is fastest as it swings through.
    expect(result?.frames.every((f) => f.clipped === 0 && f.peakPx > 5 && f.peakPx < 40)).toBe(true);

    // The same reading, written anew with a range that is large enough.
    const to = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 40, unit: 'px' } };
    const remap = `/api/shots/${wheels.shot.id}/motion/remap`;
    await api.post(remap).send({ name: '../out', to, type: 'u16', format: 'png' }).expect(400);
    await api.post(remap).send({ name: 'motion_40px', to, type: 'u16', format: 'png' }).expect(201);
    await api.post(remap).send({ name: 'motion_40px', to, type: 'u16', format: 'png' }).expect(409);
    let written = (await api.get(remap).expect(200)).body as MotionRemap;
    while (written.state === 'running') {
      await new Promise((next) => setTimeout(next, 200));
      written = (await api.get(remap).expect(200)).body as MotionRemap;
    }
    expect(written).toMatchObject({ state: 'done', done: result?.total, clippedPixels: 0, failed: [] });
    expect(written.maxErrorPx).toBeLessThanOrEqual(written.predictedErrorPx + 1e-5);
    expect(existsSync(written.pattern.replace('####', '1004'))).toBe(true);
    // What no format can hold is said frame by frame, and the pass is still there.
    await api.post(remap).send({ name: 'motion_half', to, type: 'half', format: 'png' }).expect(201);
    do {
      await new Promise((next) => setTimeout(next, 100));
      written = (await api.get(remap).expect(200)).body as MotionRemap;
    } while (written.state === 'running');
    expect(written.failed[0].message).toContain('PNG holds whole numbers');
    await api.post(`/api/shots/${wheels.shot.id}/undo`).expect(200);
  });

  test("a reading can be tried without being kept, and is part of the picture's tag", async () => {
    const plate = wheels.passes.find((p) => p.guess.role === 'plate');
    const url = `/api/passes/${plate?.id}/frames/1003?form=picture&every=16`;
    const usual = await api.get(url).expect(200);
    const tried = await api
      .get(`${url}&reading=${encodeURIComponent(JSON.stringify({ curve: 'linear', alpha: { kind: 'none' } }))}`)
      .expect(200);
    expect(tried.headers.etag).not.toBe(usual.headers.etag);
    for (const bad of ['{"curve":"purple"}', '{"curve":', 'null']) await api.get(`${url}&reading=${encodeURIComponent(bad)}`).expect(400);
  });

  test('alpha can be borrowed from a matte', async () => {
    const plate = wheels.passes.find((p) => p.guess.role === 'plate'),
      matte = wheels.passes.find((p) => p.name.includes('escape_wheel'));
    const reading = { curve: 'srgb', alpha: { kind: 'borrowed', pass: matte?.id, premultiplied: false } };
    const url = `/api/passes/${plate?.id}/frames/1003?form=picture&every=4&reading=${encodeURIComponent(JSON.stringify(reading))}`;
    const reply = await api
      .get(url)
      .buffer(true)
      .parse((res, done) => {
        const parts: Buffer[] = [];
        res.on('data', (part: Buffer) => parts.push(part));
        res.on('end', () => done(null, Buffer.concat(parts)));
      });
    const bytes = reply.body as Buffer;
    const { planes } = unpackRaster(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer);
    const alphas = Array.from(planes[0]).filter((_, i) => i % 4 === 3);
    expect(alphas).toContain(0x3c00);
    expect(alphas).toContain(0);
  });

  test('a Cryptomatte tells its objects, other passes do not', async () => {
    const objects = wheels.passes.find((p) => p.cryptomatte);
    const reply = await api.get(`/api/passes/${objects?.id}/manifest`).expect(200);
    expect((reply.body as { objects: { name: string }[] }).objects.map((o) => o.name)).toContain('escape wheel');
    await api.get(`/api/passes/${wheels.passes.find((p) => p.guess.role === 'plate')?.id}/manifest`).expect(422);
  });

  test('frames that arrive are noticed while somebody looks, those that are whole count', async () => {
    const watch = new ShotWatch(services);
    expect(await watch.round()).toEqual([]);
    watch.see(wheels.shot.id);
    expect(await watch.round()).toEqual([]);
    const arriving = path.join(folder, 'beauty/TC_020_beauty.1007.exr');
    copyFileSync(path.join(WHEELS, 'beauty/TC_020_beauty.1007.exr'), arriving);
    truncateSync(arriving, 30000);
    expect(await watch.round()).toEqual([wheels.shot.id]);
    expect((await load()).findings.some((f) => f.frame === 1007 && f.severity === 'error')).toBe(true);
    copyFileSync(path.join(WHEELS, 'beauty/TC_020_beauty.1007.exr'), arriving);
    expect(await watch.round()).toEqual([wheels.shot.id]);
    const now = await load();
    expect(now.findings.some((f) => f.frame === 1007 && f.severity === 'error')).toBe(false);
    expect(now.passes.find((p) => p.guess.role === 'beauty')?.frames).toContain(1007);
  });

  test("the server's folders can be browsed, and nothing beside them", async () => {
    const top = (await api.get('/api/folders').expect(200)).body as FolderListing;
    expect(top.folders.map((f) => f.name)).toContain(path.join(data, 'media'));
    const inside = (await api.get(`/api/folders?folder=${encodeURIComponent(folder)}`).expect(200)).body as FolderListing;
    expect(inside.folders.map((f) => f.name)).toEqual(['beauty', 'depth', 'mattes', 'motion', 'objects', 'plate']);
    const beauty = (await api.get(`/api/folders?folder=${encodeURIComponent(path.join(folder, 'beauty'))}`).expect(200))
      .body as FolderListing;
    expect(beauty.sequences).toEqual([{ name: 'TC_020_beauty.####.exr', frames: 9, missing: 10 }]);
    await api.get('/api/folders?folder=/etc').expect(403);
  });
});

describe('uploads', () => {
  const frame = path.join(HERON, 'TC_010_heron.1010.exr');
  const tus = { 'Tus-Resumable': '1.0.0' };
  const metadata = (values: Record<string, string>) =>
    Object.entries(values)
      .map(([key, value]) => `${key} ${Buffer.from(value).toString('base64')}`)
      .join(',');
  let upload: Upload;

  beforeAll(async () => {
    upload = (await api.post('/api/uploads').send({ name: 'dropped/../heron' }).expect(201)).body as Upload;
  });

  test('a file that breaks off goes on where it stopped, and the folder becomes a shot', async () => {
    const bytes = readFileSync(frame);
    const made = await api
      .post('/api/upload-files')
      .set({
        ...tus,
        'Upload-Length': String(bytes.length),
        'Upload-Metadata': metadata({ upload: upload.id, path: 'beauty/heron.1010.exr' }),
      })
      .expect(201);
    const place = made.headers.location;
    const patch = (from: number, part: Buffer) =>
      api
        .patch(place)
        .set({ ...tus, 'Upload-Offset': String(from), 'Content-Type': 'application/offset+octet-stream' })
        .send(part);
    await patch(0, bytes.subarray(0, 50000)).expect(204);
    // Nothing of it is visible before it is whole.
    expect(((await api.get(`/api/uploads/${upload.id}`).expect(200)).body as Upload).files).toEqual([]);
    const head = await api.head(place).set(tus).expect(200);
    expect(head.headers['upload-offset']).toBe('50000');
    await patch(10, bytes.subarray(10)).expect(409);
    await patch(50000, bytes.subarray(50000)).expect(204);
    const there = (await api.get(`/api/uploads/${upload.id}`).expect(200)).body as Upload;
    expect(there.files).toEqual([{ path: 'beauty/heron.1010.exr', bytes: bytes.length }]);
    const shot = await api.post(`/api/uploads/${upload.id}/shot`).send({}).expect(201);
    const detail = (await api.get(`/api/shots/${(shot.body as { id: string }).id}`).expect(200)).body as ShotDetail;
    expect(detail.shot.name).toBe('dropped_.._heron');
    expect(detail.passes.map((p) => p.guess.role)).toContain('beauty');
    expect(readFileSync(path.join(detail.shot.folder, 'beauty/heron.1010.exr')).equals(bytes)).toBe(true);
  });

  test.each(['../outside.exr', '/etc/passwd', 'a/../../b.exr', ''])('the path "%s" is refused before a byte is sent', async (where) => {
    await api
      .post('/api/upload-files')
      .set({ ...tus, 'Upload-Length': '4', 'Upload-Metadata': metadata({ upload: upload.id, path: where }) })
      .expect(403);
  });

  test('a file of no known upload is refused', async () => {
    const id = '00000000-0000-4000-8000-000000000000';
    await api
      .post('/api/upload-files')
      .set({ ...tus, 'Upload-Length': '4', 'Upload-Metadata': metadata({ upload: id, path: 'a.exr' }) })
      .expect(404);
  });
});

test('a LUT is kept as it was given; one that is none is refused with its line', async () => {
  const text = 'TITLE "flat"\nLUT_1D_SIZE 2\n0 0 0\n1 1 1\n';
  const made = await api.post('/api/luts').send({ name: 'flat', text }).expect(201);
  expect((await api.get(`/api/luts/${(made.body as { id: string }).id}`).expect(200)).text).toBe(text);
  expect((await api.get('/api/luts').expect(200)).body).toEqual([expect.objectContaining({ name: 'flat', kind: 'curves', size: 2 })]);
  const bad = await api.post('/api/luts').send({ name: 'bad', text: 'LUT_3D_SIZE 2\n0 0\n' }).expect(422);
  expect((bad.body as { error: { message: string } }).error.message).toBe('line 2 of the LUT is not three numbers');
});

describe('motion that is made', () => madeMotionCases(() => api, data));
