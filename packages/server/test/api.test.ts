import { copyFileSync, existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { Delivery, DeliveryId, ShotDetail, ShotId, Upload } from '@ivrex/contract';
import { unpackRaster } from '@ivrex/contract';
import { proposeEncoding } from '@ivrex/core';
import { readConfig } from '../src/config/config';
import { migrate } from '../src/db/migrate';
import { freeLostFrames } from '../src/db/queries/free-lost-frames';
import { listDeliveries } from '../src/db/queries/list-deliveries';
import { settleDeliveries } from '../src/db/queries/settle-deliveries';
import { renderAt, comeTime } from './render';
import { DEMO, FRAME, ROOT, serverBench } from './server-bench';

const HERON = path.join(DEMO, 'TC_010');
const bench = serverBench();
const shotFolder = path.join(bench.data, 'media/marsh/heron');

beforeAll(() => {
  mkdirSync(shotFolder, { recursive: true });
  for (const frame of [1010, 1011, 1012, 1014])
    copyFileSync(path.join(HERON, `TC_010_heron.${frame}.exr`), path.join(shotFolder, `heron.${frame}.exr`));
  truncateSync(path.join(shotFolder, 'heron.1012.exr'), 30000);
  writeFileSync(path.join(shotFolder, 'notes.exr'), 'low tide at six');
  copyFileSync(path.join(ROOT, 'packages/core/test/fixtures/layers-zips.exr'), path.join(shotFolder, 'small.exr'));
});

let detail: ShotDetail;
const shotId = () => detail.shot.id;
const get = async (): Promise<ShotDetail> => (await bench.api.get(`/api/shots/${shotId()}`).expect(200)).body as ShotDetail;

test('migrations run once, also when two processes start together', async () => {
  const again = await Promise.all([
    migrate(bench.database, bench.services.config.migrationsFolder),
    migrate(bench.database, bench.services.config.migrationsFolder),
  ]);
  expect(again).toEqual([[], []]);
});

test('a folder becomes a shot whose passes have roles, and whose faults are sentences', async () => {
  const made = await bench.api.post('/api/shots').send({ folder: shotFolder }).expect(201);
  detail = (await bench.api.get(`/api/shots/${(made.body as { id: ShotId }).id}`).expect(200)).body as ShotDetail;
  expect(detail.shot).toMatchObject({ name: 'heron', firstFrame: 1010, lastFrame: 1014, ...FRAME, fps: 24 });
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
  expect(text).toMatch(/small\.exr is 37 x 21, the beauty 480 x 270/);
});

test('the same folder again is the same shot, and what was decided stays', async () => {
  const before = await get();
  const made = await bench.api.post('/api/shots').send({ folder: shotFolder }).expect(201);
  expect((made.body as { id: string }).id).toBe(before.shot.id);
  expect((await get()).state).toEqual(before.state);
});

test.each([
  ['/etc', 403, 'forbidden'],
  ['/nowhere/at/all', 404, 'missingFile'],
])('the folder %s is refused with %i', async (folder, status, code) => {
  const reply = await bench.api.post('/api/shots').send({ folder }).expect(status);
  expect((reply.body as { error: { code: string; requestId: string } }).error).toMatchObject({
    code,
    requestId: expect.any(String) as string,
  });
});

test('a link out of the media folders is not followed', async () => {
  symlinkSync('/etc', path.join(bench.data, 'media/escape'));
  await bench.api
    .post('/api/shots')
    .send({ folder: path.join(bench.data, 'media/escape') })
    .expect(403);
});

test('pixels arrive as stored, and are not sent twice', async () => {
  const motion = detail.passes.find((p) => p.name === 'motion');
  const reply = await bench.api.get(`/api/passes/${motion?.id}/frames/1010?form=planes`).responseType('blob').expect(200);
  const body = reply.body as Buffer;
  const raster = unpackRaster(body.buffer.slice(body.byteOffset, body.byteOffset + body.length) as ArrayBuffer);
  expect(raster.header).toEqual({ ...FRAME, format: 'planes32f', names: ['nextX', 'nextY', 'prevX', 'prevY'] });
  expect((raster.planes[0] as Float32Array).reduce((a, b) => Math.max(a, b), 0)).toBeGreaterThan(20);
  await bench.api.get(`/api/passes/${motion?.id}/frames/1010?form=planes`).set('If-None-Match', String(reply.headers.etag)).expect(304);
});

test('a missing and a truncated frame are sentences', async () => {
  const beauty = detail.passes.find((p) => p.name === 'heron')?.id;
  expect((await bench.api.get(`/api/passes/${beauty}/frames/1013?form=picture`).expect(404)).body).toMatchObject({
    error: { code: 'missingFrame', message: 'frame 1013 is missing' },
  });
  expect((await bench.api.get(`/api/passes/${beauty}/frames/1012?form=picture`).expect(422)).body).toMatchObject({
    error: { code: 'truncated' },
  });
  await bench.api.get(`/api/passes/${beauty}/frames/x?form=picture`).expect(400);
});

test('changes are kept as states; undo and redo walk through them; an old base is a conflict', async () => {
  detail = await get();
  const change = (angle: number, basedOn: number) =>
    bench.api.put(`/api/shots/${shotId()}/settings`).send({
      label: `Shutter ${angle}`,
      basedOn,
      settings: { ...detail.settings, shutter: { opens: 0, closes: angle / 360, strength: 1 } },
    });
  await change(90, 1).expect(200);
  await change(270, 2).expect(200);
  expect((await change(45, 2).expect(409)).body).toMatchObject({ error: { code: 'conflict' } });
  const undone = (await bench.api.post(`/api/shots/${shotId()}/undo`).send({}).expect(200)).body as ShotDetail;
  expect([undone.settings.shutter.closes, undone.state]).toEqual([
    0.25,
    { sequence: 2, label: 'Shutter 90', undo: 'Shutter 90', redo: 'Shutter 270' },
  ]);
  const redone = (await bench.api.post(`/api/shots/${shotId()}/redo`).send({}).expect(200)).body as ShotDetail;
  expect(redone.settings.shutter.closes).toBe(0.75);
  for (let i = 0; i < 5; i++) await bench.api.post(`/api/shots/${shotId()}/undo`).send({}).expect(200);
  expect((await get()).state).toMatchObject({ sequence: 1, undo: null, redo: 'Shutter 90' });
});

test('settings that make no sense never reach the database', async () => {
  detail = await get();
  const bad = (settings: unknown) =>
    bench.api.put(`/api/shots/${shotId()}/settings`).send({ label: 'x', basedOn: 1, settings }).expect(400);
  expect((await bad({ ...detail.settings, shutter: { opens: 0.5, closes: 0, strength: 1 } })).body).toMatchObject({
    error: { message: 'settings.shutter.closes: the shutter must not close before it opens' },
  });
  await bad({ ...detail.settings, extra: 1 });
  await bench.api.put(`/api/shots/${shotId()}/settings`).set('Content-Type', 'application/json').send('{ no').expect(400);
});

test('a reading kept under a known name is its next version', async () => {
  const encoding = proposeEncoding(detail.passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding;
  await bench.api.post('/api/encodings').send({ name: 'Marsh', document: encoding }).expect(201);
  const list = (await bench.api.post('/api/encodings').send({ name: 'Marsh', document: encoding }).expect(201)).body as {
    name: string;
    version: number;
  }[];
  expect(list.map((e) => [e.name, e.version])).toEqual([['Marsh', 2]]);
});

describe('deliveries', () => {
  const options = { name: 'blurred', firstFrame: 1010, lastFrame: 1014 };
  let id: DeliveryId;
  const folder = () => path.join(bench.data, 'deliveries/heron/blurred');
  const states = async () => (await listDeliveries(bench.database, { id }))[0].frames.map((f) => f.state).join(' ');
  const order = async (more: object = {}) =>
    (
      (
        await bench.api
          .post(`/api/shots/${shotId()}/deliveries`)
          .send({ ...options, ...more })
          .expect(201)
      ).body as { id: DeliveryId }
    ).id;
  const render = (frame: number, signal?: AbortSignal) => renderAt(bench.services, id, frame, signal);

  test('need an agreed reading first', async () => {
    expect((await bench.api.post(`/api/shots/${shotId()}/deliveries`).send(options).expect(422)).body).toMatchObject({
      error: { message: 'say how the motion of heron is stored in step Motion first' },
    });
  });
  test("write every frame that can be read, try the one that can't three times, name it, and leave no half file", async () => {
    detail = await get();
    const encoding = proposeEncoding(detail.passes.find((p) => p.name === 'motion')?.channels ?? [])?.encoding ?? null;
    const settings = { ...detail.settings, elements: [{ ...detail.settings.elements[0], encoding }] };
    await bench.api.put(`/api/shots/${shotId()}/settings`).send({ label: 'Reading', basedOn: detail.state.sequence, settings }).expect(200);
    id = await order();
    expect(bench.sent.at(-1)).toEqual({ id, frames: [1010, 1011, 1012, 1014] });
    const { rows } = await bench.database.query<{ before: Date }>('SELECT now() AS before');
    for (const frame of [1010, 1011, 1012, 1014]) await render(frame);
    expect(await states()).toBe('done done waiting done');
    // What failed waits two seconds before it is tried again, and nobody takes it before its time has come.
    const waits = await bench.database.query(
      `SELECT FROM delivery_frames WHERE frame = 1012 AND retry_at > $1::timestamptz + interval '2 seconds'`,
      [rows[0].before],
    );
    expect(waits.rowCount).toBe(1);
    await bench.database.query(`UPDATE delivery_frames SET retry_at = now() + interval '1 hour' WHERE frame = 1012`);
    expect(await render(1012)).toBe('not mine');
    for (let n = 2; n <= 3; n++) {
      await comeTime(bench.services);
      expect(await render(1012)).toBe('failed');
    }
    expect(await states()).toBe('done done failed done');
    const [reply] = (await bench.api.get(`/api/shots/${shotId()}/deliveries`).expect(200)).body as Delivery[];
    expect(reply.state).toBe('failed');
    expect(reply.frames[2]).toMatchObject({
      attempt: 3,
      error: expect.stringMatching(/heron\.1012\.exr: the picture is incomplete/) as string,
    });
    expect(readdirSync(folder()).sort()).toEqual(['blurred.1010.exr', 'blurred.1011.exr', 'blurred.1014.exr']);
  });
  test('a frame is taken once, however many ask for it', async () => {
    await bench.api.post(`/api/deliveries/${id}/resume`).send({}).expect(200);
    expect((await Promise.all([render(1012), render(1012), render(1010)])).sort()).toEqual(['failed', 'not mine', 'not mine']);
  });
  test('what a worker that died had under way waits again; what took three with it is given up', async () => {
    const die = () =>
      bench.database.query(
        `UPDATE delivery_frames SET state = 'running', worker = gen_random_uuid(), attempt = attempt + 1 WHERE delivery_id = $1 AND frame = 1012`,
        [id],
      );
    await bench.api.post(`/api/deliveries/${id}/resume`).send({}).expect(200);
    await die();
    expect(await freeLostFrames(bench.database)).toBe(1);
    expect(await states()).toBe('done done waiting done');
    await bench.database.query(`UPDATE delivery_frames SET attempt = 2 WHERE frame = 1012`);
    await die();
    await freeLostFrames(bench.database);
    await settleDeliveries(bench.database, null);
    expect((await listDeliveries(bench.database, { id }))[0].frames[2]).toMatchObject({
      state: 'failed',
      error: expect.stringContaining('each of 3 times') as string,
    });
  });
  test('the missing frame is rendered once its file is whole', async () => {
    copyFileSync(path.join(HERON, 'TC_010_heron.1012.exr'), path.join(shotFolder, 'heron.1012.exr'));
    await bench.api.post(`/api/deliveries/${id}/resume`).send({}).expect(200);
    expect(await render(1012)).toBe('made');
    expect((await listDeliveries(bench.database, { id }))[0].state).toBe('finishing');
  });
  test('a cancelled delivery renders nothing more', async () => {
    id = await order({ name: 'second' });
    expect((await bench.api.post(`/api/deliveries/${id}/cancel`).send({}).expect(200)).body).toMatchObject({ state: 'cancelled' });
    expect(await render(1010)).toBe('not mine');
    expect(existsSync(path.join(bench.data, 'deliveries/heron/second'))).toBe(false);
    id = await order({ name: 'third' });
    const stop = new AbortController();
    const rendering = render(1010, stop.signal);
    stop.abort();
    await rendering;
    expect((await listDeliveries(bench.database, { id }))[0].frames[0]).toMatchObject({ state: 'waiting', attempt: 0, error: null });
    expect(existsSync(path.join(bench.data, 'deliveries/heron/third'))).toBe(false);
  });
});

describe('what a browser elsewhere may not do', () => {
  test('a foreign Host or Origin is refused', async () => {
    await bench.api.get('/api/shots').set('Host', 'marsh.example').expect(403);
    await bench.api.get('/api/shots').set('Origin', 'http://marsh.example').expect(403);
  });
  test('pages are isolated and say what they may load', async () => {
    const { headers } = await bench.api.get('/api/health').expect(200);
    expect(headers['cross-origin-opener-policy']).toBe('same-origin');
    expect(headers['cross-origin-embedder-policy']).toBe('require-corp');
    expect(headers['content-security-policy']).toContain("script-src 'self' 'wasm-unsafe-eval'");
  });
  test('an unknown address is a sentence, not a page', async () => {
    expect((await bench.api.get('/api/none').expect(404)).body).toMatchObject({ error: { code: 'notFound' } });
    expect((await bench.api.get('/api/shots/none').expect(404)).body).toMatchObject({
      error: { code: 'notFound', message: 'no shot has this address' },
    });
  });
});

test('settings of the process are checked by name', () => {
  expect(() =>
    readConfig({ IVREX_DATABASE_URL: 'postgresql://x', IVREX_ROOT: '/r', IVREX_DATA: '/d', IVREX_THREADS: '2', IVREX_HOST: 'marsh' }),
  ).toThrow('IVREX_HOST');
  expect(() => readConfig({})).toThrow('IVREX_DATABASE_URL');
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
    upload = (await bench.api.post('/api/uploads').send({ name: 'dropped/../heron' }).expect(201)).body as Upload;
  });

  test('a file that breaks off goes on where it stopped, and the folder becomes a shot', async () => {
    const bytes = readFileSync(frame);
    const made = await bench.api
      .post('/api/upload-files')
      .set({
        ...tus,
        'Upload-Length': String(bytes.length),
        'Upload-Metadata': metadata({ upload: upload.id, path: 'beauty/heron.1010.exr' }),
      })
      .expect(201);
    const place = made.headers.location;
    const patch = (from: number, part: Buffer) =>
      bench.api
        .patch(place)
        .set({ ...tus, 'Upload-Offset': String(from), 'Content-Type': 'application/offset+octet-stream' })
        .send(part);
    await patch(0, bytes.subarray(0, 50000)).expect(204);
    // Nothing of it is visible before it is whole.
    expect(((await bench.api.get(`/api/uploads/${upload.id}`).expect(200)).body as Upload).files).toEqual([]);
    const head = await bench.api.head(place).set(tus).expect(200);
    expect(head.headers['upload-offset']).toBe('50000');
    await patch(10, bytes.subarray(10)).expect(409);
    await patch(50000, bytes.subarray(50000)).expect(204);
    const there = (await bench.api.get(`/api/uploads/${upload.id}`).expect(200)).body as Upload;
    expect(there.files).toEqual([{ path: 'beauty/heron.1010.exr', bytes: bytes.length }]);
    const shot = await bench.api.post(`/api/uploads/${upload.id}/shot`).send({}).expect(201);
    const detail = (await bench.api.get(`/api/shots/${(shot.body as { id: string }).id}`).expect(200)).body as ShotDetail;
    expect(detail.shot.name).toBe('dropped_.._heron');
    expect(detail.passes.map((p) => p.guess.role)).toContain('beauty');
    expect(readFileSync(path.join(detail.shot.folder, 'beauty/heron.1010.exr')).equals(bytes)).toBe(true);
  });

  test.each(['../outside.exr', '/etc/passwd', 'a/../../b.exr', ''])('the path "%s" is refused before a byte is sent', async (where) => {
    await bench.api
      .post('/api/upload-files')
      .set({ ...tus, 'Upload-Length': '4', 'Upload-Metadata': metadata({ upload: upload.id, path: where }) })
      .expect(403);
  });

  test('a file of no known upload is refused', async () => {
    const id = '00000000-0000-4000-8000-000000000000';
    await bench.api
      .post('/api/upload-files')
      .set({ ...tus, 'Upload-Length': '4', 'Upload-Metadata': metadata({ upload: id, path: 'a.exr' }) })
      .expect(404);
  });
});

test('a LUT is kept as it was given; one that is none is refused with its line', async () => {
  const text = 'TITLE "flat"\nLUT_1D_SIZE 2\n0 0 0\n1 1 1\n';
  const made = await bench.api.post('/api/luts').send({ name: 'flat', text }).expect(201);
  expect((await bench.api.get(`/api/luts/${(made.body as { id: string }).id}`).expect(200)).text).toBe(text);
  expect((await bench.api.get('/api/luts').expect(200)).body).toEqual([expect.objectContaining({ name: 'flat', kind: 'curves', size: 2 })]);
  const bad = await bench.api.post('/api/luts').send({ name: 'bad', text: 'LUT_3D_SIZE 2\n0 0\n' }).expect(422);
  expect((bad.body as { error: { message: string } }).error.message).toBe('line 2 of the LUT is not three numbers');
});
