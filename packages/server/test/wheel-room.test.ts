import { copyFileSync, cpSync, existsSync, rmSync, statSync, truncateSync } from 'node:fs';
import path from 'node:path';
import type { FolderListing, MotionAudit, MotionReading, MotionRemap, Pass, ShotDetail, ShotId } from '@ivrex/contract';
import { fingerprintOf, unpackRaster } from '@ivrex/contract';
import { proposeEncoding, rawPixels } from '@ivrex/core';
import { frameSources } from '@ivrex/media';
import { shotBook } from '../src/services/shot-documents';
import { MotionRemaps } from '../src/services/motion-remaps';
import { ShotWatch } from '../src/services/watch';
import { DEMO, serverBench } from './server-bench';

const bench = serverBench();
const folder = path.join(bench.data, 'media/wheels');
const WHEELS = path.join(DEMO, 'TC_020');
let wheels: ShotDetail;
const load = async () => (await bench.api.get(`/api/shots/${wheels.shot.id}`).expect(200)).body as ShotDetail;
const motionOf = ({ passes }: ShotDetail) => passes.find((p) => p.guess.role === 'motion') as Pass;
const change = async (settings: Partial<ShotDetail['settings']>, label = 'changed') => {
  const now = await load();
  const body = { settings: { ...now.settings, ...settings }, label, basedOn: now.state.sequence };
  return (await bench.api.put(`/api/shots/${now.shot.id}/settings`).send(body).expect(200)).body as ShotDetail;
};

beforeAll(async () => {
  cpSync(WHEELS, folder, { recursive: true, filter: (file) => !/\.(\d+)\./.test(file) || /\.10(0[1-8]|1[89])\./.test(file) });
  const made = await bench.api.post('/api/shots').send({ folder }).expect(201);
  wheels = (await bench.api.get(`/api/shots/${(made.body as { id: ShotId }).id}`).expect(200)).body as ShotDetail;
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
  expect(text).toMatch(/beauty\/TC_020_beauty\.####\.exr, frame 1019: the picture is incomplete: \d+ of 9 blocks/);
  expect(text).toContain('frames 1009 to 1017 are missing');
});

test('an offset moves the files under the frames; undo moves them back', async () => {
  const motion = wheels.passes.find((p) => p.guess.role === 'motion');
  const at = async (frame: number) => {
    const reply = await bench.api
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
  await bench.api.post(`/api/shots/${wheels.shot.id}/undo`).expect(200);
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
  const { sources } = frameSources(await shotBook(bench.services.database, wheels.shot.id, ordered), 1004);
  expect(sources.motion.file).toMatch(/TC_020_motion\.1005\.png$/);
  expect(sources.beauty.file).toMatch(/TC_020_beauty\.1004\.exr$/);
  expect(sources.beauty.reading).toEqual({ curve: 'power22', alpha: { kind: 'straight' } });
});

test('the motion is read from the pictures: curve, scale, axes and the file numbers; asked again it is there at once', async () => {
  const ask = async (body: object) =>
    (await bench.api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send(body).expect(200)).body as MotionReading;
  // Where wheels turn evenly the file beside looks much like this one; here their speed changes.
  const question = { frame: 1002 };
  const reading = await ask(question);
  expect(reading).toMatchObject({
    frame: 1002,
    frameOffset: 1,
    encoding: {
      transfer: { kind: 'power', exponent: 2.2 },
      zero: 0.5,
      fullScale: { equals: 16, unit: 'px' },
      axes: { x: 'right', y: 'up' },
      sets: [{ x: 'R', y: 'G' }],
    },
  });
  expect(reading.confidence).toBeGreaterThan(0.85);
  expect(reading.symptoms.map((s) => s.code)).toEqual(expect.arrayContaining(['curveOnData', 'frameOff']));
  const { residual } = reading.evidence;
  // At the steepest points of a picture of this size every tooth is one pixel wide: of the whole size a third is left.
  expect(residual && residual.after < 0.6 * residual.before).toBe(true);
  const { rows } = await bench.services.database.query('SELECT count(*)::int AS n FROM motion_readings');
  expect(await ask(question)).toEqual(reading);
  expect((await bench.services.database.query('SELECT count(*)::int AS n FROM motion_readings')).rows).toEqual(rows);
  await bench.api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send({ frame: 'noon' }).expect(400);
  // Saved, it counts in favour of itself for passes like this one.
  const saved = { name: 'Wheel room vectors', document: reading.encoding, fingerprint: fingerprintOf(motionOf(wheels)) };
  await bench.api.post('/api/encodings').send(saved).expect(201);
  expect([reading.evidence.isKnown, (await ask(question)).evidence.isKnown]).toEqual([false, true]);
});

test('all frames are audited in the background, kept, and stopped on request', async () => {
  const reading = (await bench.api.post(`/api/shots/${wheels.shot.id}/motion/reading`).send({ frame: null, thorough: true }))
    .body as MotionReading;
  const motion = wheels.passes.find((p) => p.guess.role === 'motion');
  const audit = async () => (await bench.api.get(`/api/shots/${wheels.shot.id}/motion/audit`).expect(200)).body as MotionAudit | null;
  expect(await audit()).toBeNull();
  const { settings } = await load();
  const decided = {
    elements: [{ ...settings.elements[0], encoding: reading.encoding }],
    offsets: { ...settings.offsets, [motion?.sequenceId ?? '']: 1 },
  };
  await change(decided, 'Reading taken');
  await audit();
  const stopped = (await bench.api.post(`/api/shots/${wheels.shot.id}/motion/audit/cancel`).expect(200)).body as MotionAudit;
  expect(stopped.state).toBe('cancelled');
  await bench.api.post(`/api/shots/${wheels.shot.id}/motion/audit/resume`).expect(200);
  let result = await audit();
  while (result?.state === 'running') {
    await new Promise((next) => setTimeout(next, 200));
    result = await audit();
  }
  expect(result).toMatchObject({ state: 'done', failed: [] });
  expect(result?.frames.length).toBe(result?.total);
  // None of the frames that were copied here clips; the pendulum is fastest as it swings through.
  expect(result?.frames.every((f) => f.clipped === 0 && f.peakPx > 2.5 && f.peakPx < 20)).toBe(true);

  // The same reading, written anew with a range that is large enough.
  const to = { ...rawPixels('R', 'G'), zero: 0.5, fullScale: { stored: 1, equals: 40, unit: 'px' } };
  const remap = `/api/shots/${wheels.shot.id}/motion/remap`;
  await bench.api.post(remap).send({ name: '../out', to, type: 'u16', format: 'png' }).expect(400);
  await bench.api.post(remap).send({ name: 'motion_40px', to, type: 'u16', format: 'png' }).expect(201);
  await bench.api.post(remap).send({ name: 'motion_40px', to, type: 'u16', format: 'png' }).expect(409);
  let written = (await bench.api.get(remap).expect(200)).body as MotionRemap;
  while (written.state === 'running') {
    await new Promise((next) => setTimeout(next, 200));
    written = (await bench.api.get(remap).expect(200)).body as MotionRemap;
  }
  expect(written).toMatchObject({ state: 'done', done: result?.total, clippedPixels: 0, failed: [] });
  expect(written.maxErrorPx).toBeLessThanOrEqual(written.predictedErrorPx + 1e-5);
  const fileAt = (frame: number) => written.pattern.replace('####', String(frame));
  expect(existsSync(fileAt(1004))).toBe(true);
  // As if the server had died before this frame: the next one writes it, and what was written stays.
  const { database } = bench.services;
  rmSync(fileAt(1004));
  const stamp = statSync(fileAt(1003)).mtimeMs;
  await database.query(
    `UPDATE shot_jobs SET written = array_remove(written, 1004), status = status || '{"state": "running", "done": 5}'
       WHERE shot_id = $1 AND kind = 'remap'`,
    [wheels.shot.id],
  );
  const next = new MotionRemaps(bench.services);
  await next.resume();
  while ((await next.look(wheels.shot.id))?.state === 'running') await new Promise((resolve) => setTimeout(resolve, 100));
  expect(await next.look(wheels.shot.id)).toMatchObject({ state: 'done', done: 6, clippedPixels: 0, maxErrorPx: written.maxErrorPx });
  expect([existsSync(fileAt(1004)), statSync(fileAt(1003)).mtimeMs]).toEqual([true, stamp]);
  // What no format can hold is said frame by frame, and the pass is still there.
  await bench.api.post(remap).send({ name: 'motion_half', to, type: 'half', format: 'png' }).expect(201);
  do {
    await new Promise((next) => setTimeout(next, 100));
    written = (await bench.api.get(remap).expect(200)).body as MotionRemap;
  } while (written.state === 'running');
  expect(written.failed[0].message).toContain('PNG holds whole numbers');
  await bench.api.post(`/api/shots/${wheels.shot.id}/undo`).expect(200);
});

test("a reading can be tried without being kept, and is part of the picture's tag", async () => {
  const plate = wheels.passes.find((p) => p.guess.role === 'plate');
  const url = `/api/passes/${plate?.id}/frames/1003?form=picture&every=16`;
  const usual = await bench.api.get(url).expect(200);
  const tried = await bench.api
    .get(`${url}&reading=${encodeURIComponent(JSON.stringify({ curve: 'linear', alpha: { kind: 'none' } }))}`)
    .expect(200);
  expect(tried.headers.etag).not.toBe(usual.headers.etag);
  for (const bad of ['{"curve":"purple"}', '{"curve":', 'null'])
    await bench.api.get(`${url}&reading=${encodeURIComponent(bad)}`).expect(400);
});

test('alpha can be borrowed from a matte', async () => {
  const plate = wheels.passes.find((p) => p.guess.role === 'plate'),
    matte = wheels.passes.find((p) => p.name.includes('escape_wheel'));
  const reading = { curve: 'srgb', alpha: { kind: 'borrowed', pass: matte?.id, premultiplied: false } };
  const url = `/api/passes/${plate?.id}/frames/1003?form=picture&every=4&reading=${encodeURIComponent(JSON.stringify(reading))}`;
  const reply = await bench.api
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
  const reply = await bench.api.get(`/api/passes/${objects?.id}/manifest`).expect(200);
  expect((reply.body as { objects: { name: string }[] }).objects.map((o) => o.name)).toContain('escape wheel');
  await bench.api.get(`/api/passes/${wheels.passes.find((p) => p.guess.role === 'plate')?.id}/manifest`).expect(422);
});

test('frames that arrive are noticed while somebody looks, those that are whole count', async () => {
  const watch = new ShotWatch(bench.services);
  expect(await watch.round()).toEqual([]);
  watch.see(wheels.shot.id);
  expect(await watch.round()).toEqual([]);
  const arriving = path.join(folder, 'beauty/TC_020_beauty.1009.exr');
  copyFileSync(path.join(WHEELS, 'beauty/TC_020_beauty.1009.exr'), arriving);
  truncateSync(arriving, 30000);
  expect(await watch.round()).toEqual([wheels.shot.id]);
  expect((await load()).findings.some((f) => f.frame === 1009 && f.severity === 'error')).toBe(true);
  copyFileSync(path.join(WHEELS, 'beauty/TC_020_beauty.1009.exr'), arriving);
  expect(await watch.round()).toEqual([wheels.shot.id]);
  const now = await load();
  expect(now.findings.some((f) => f.frame === 1009 && f.severity === 'error')).toBe(false);
  expect(now.passes.find((p) => p.guess.role === 'beauty')?.frames).toContain(1009);
});

test("the server's folders can be browsed, and nothing beside them", async () => {
  const top = (await bench.api.get('/api/folders').expect(200)).body as FolderListing;
  expect(top.folders.map((f) => f.name)).toContain(path.join(bench.data, 'media'));
  const inside = (await bench.api.get(`/api/folders?folder=${encodeURIComponent(folder)}`).expect(200)).body as FolderListing;
  expect(inside.folders.map((f) => f.name)).toEqual(['beauty', 'depth', 'mattes', 'motion', 'objects', 'plate', 'reference']);
  const beauty = (await bench.api.get(`/api/folders?folder=${encodeURIComponent(path.join(folder, 'beauty'))}`).expect(200))
    .body as FolderListing;
  expect(beauty.sequences).toEqual([{ name: 'TC_020_beauty.####.exr', frames: 11, missing: 8 }]);
  await bench.api.get('/api/folders?folder=/etc').expect(403);
});
