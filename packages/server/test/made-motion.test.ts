import { execFileSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import path from 'node:path';
import type {
  CameraTrackRow,
  FoundOffset,
  MadeSource,
  MakingMotion,
  MotionTrial,
  Pass,
  SavedEncoding,
  ShotDetail,
  ShotId,
} from '@ivrex/contract';
import { fingerprintOf } from '@ivrex/contract';
import { MotionMakes } from '../src/services/motion-makes';
import { DEMO, serverBench } from './server-bench';

const FLOAT = path.join(DEMO, 'TC_040');

const bench = serverBench();
const folder = path.join(bench.data, 'media/marsh/TC_040');
let shot: ShotDetail;
const load = async () => (await bench.api.get(`/api/shots/${shot.shot.id}`).expect(200)).body as ShotDetail;
const url = (rest: string) => `/api/shots/${shot.shot.id}/${rest}`;
const passNamed = (name: string) => shot.passes.find((p) => p.name === name) as Pass;
const fromCamera = (part: object = {}): MadeSource =>
  ({
    kind: 'camera',
    camera: { from: 'headers', pass: passNamed('depth').id },
    surface: { kind: 'depth', pass: passNamed('depth').id, measured: 'auto' },
    velocity: null,
    ...part,
  }) as MadeSource;
const trial = async (source: unknown, frame: number, status = 200) =>
  (await bench.api.post(url('motion/make/try')).send({ source, frame }).expect(status)).body as MotionTrial & {
    error: { message: string };
  };
const finished = async () => {
  for (;;) {
    const status = (await bench.api.get(url('motion/make')).expect(200)).body as MakingMotion;
    if (status.state !== 'running') return status;
    await new Promise((next) => setTimeout(next, 200));
  }
};

beforeAll(async () => {
  mkdirSync(folder, { recursive: true });
  for (const frame of [1002, 1003, 1004])
    copyFileSync(path.join(FLOAT, `TC_040_float.${frame}.exr`), path.join(folder, `float.${frame}.exr`));
  const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
  shot = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
});

test('a shot without a motion pass says where motion can come from', () => {
  expect(shot.settings.elements[0].motion).toBeNull();
  expect(shot.findings.map((f) => f.message).join('\n')).toContain('have it made in step Motion');
  expect(passNamed('depth').facts.map((f) => f.name)).toContain('worldToNDC');
});

test('a frame is tried first: which way depth counts is found in the pictures, and nothing is written', async () => {
  const found = await trial(fromCamera(), 1003);
  expect(found).toMatchObject({ frame: 1003, depthKind: 'alongView', reached: 1, trusted: null, warnings: [] });
  expect(found.proof?.after).toBeLessThan(0.5 * (found.proof?.before ?? 0));
  const wrong = await trial(fromCamera({ surface: { kind: 'depth', pass: passNamed('depth').id, measured: 'fromEye' } }), 1003);
  expect(wrong.proof?.after).toBeGreaterThan(1.3 * (found.proof?.after ?? 0));
  expect((await trial(fromCamera(), 1004)).warnings[0]).toContain('carried on evenly');
  expect((await load()).passes.every((p) => !p.file.startsWith('(made)'))).toBe(true);
  expect(existsSync(path.join(bench.data, 'made', shot.shot.id))).toBe(false);
});

test('what can not be made is said', async () => {
  expect((await trial({ kind: 'camera' }, 1003, 400)).error.message).toContain('source');
  const rgb = passNamed('float').id;
  expect((await trial(fromCamera({ camera: { from: 'track', track: rgb } }), 1003, 404)).error.message).toContain('no longer there');
  expect((await trial({ kind: 'render', shot: shot.shot.id, offset: 0 }, 1003, 422)).error.message).toContain('agree on a reading');
  await trial(fromCamera(), 1050, 404);
});

test('a camera file is read, kept and used; one that is none is refused', async () => {
  const csv = ['frame,x,y,z,rx,ry,rz,horizontalView', ...[1001, 1002, 1003, 1004].map((f) => `${f},${(f - 1002) * 0.1},1.3,0,0,0,0,56`)];
  const give = (name: string, text: string, status: number) =>
    bench.api
      .post(url('cameras'))
      .send({ name, base64: Buffer.from(text).toString('base64') })
      .expect(status);
  const tracks = (await give('truck.csv', csv.join('\n'), 201)).body as CameraTrackRow[];
  expect(tracks).toMatchObject([{ name: 'truck.csv', firstFrame: 1001, lastFrame: 1004 }]);
  expect((await give('truck.csv', 'x,y\n1,2', 422)).body).toMatchObject({ error: { message: expect.stringContaining('line 2') } });
  const found = await trial(
    fromCamera({ camera: { from: 'track', track: tracks[0].id }, surface: { kind: 'card', distance: 4, frame: 1002 } }),
    1003,
  );
  // A tenth of a unit a frame before a card at 4: f / 4 / 10.
  expect(found.peakPx).toBeCloseTo((240 / Math.tan((28 * Math.PI) / 180) / 4) * 0.1, 3);
  expect((await bench.api.get(url('cameras')).expect(200)).body).toHaveLength(1);
});

test('made for all frames it is a pass of the shot and its motion, in one step that undo takes back', async () => {
  await bench.api.post(url('motion/make')).send({ source: fromCamera() }).expect(201);
  await bench.api.post(url('motion/make')).send({ source: fromCamera() }).expect(409);
  expect(await finished()).toMatchObject({ state: 'done', done: 3, total: 3, failed: [] });
  const after = await load();
  const made = after.passes.find((p) => p.file.startsWith('(made)/'));
  expect(made).toMatchObject({ file: '(made)/motion_from_camera/motion_from_camera.####.exr', frames: [1002, 1003, 1004] });
  expect(after.settings.elements[0]).toMatchObject({ motion: made?.id, encoding: { zero: 0, sets: [{ x: 'nextX' }, { x: 'prevX' }] } });
  expect(after.state.label).toBe('Motion made from the camera');
  // The shot's own folder holds what it held.
  expect(readdirSync(folder)).toHaveLength(3);
  const reading = await bench.api.post(url('motion/reading')).send({ frame: 1003 }).expect(200);
  expect(reading.body).toMatchObject({ encoding: { fullScale: { stored: 1, equals: 1, unit: 'px' } } });
  expect((reading.body as { confidence: number }).confidence).toBeGreaterThan(0.8);
  await bench.api.post(url('undo')).expect(200);
  expect((await load()).settings.elements[0].motion).toBeNull();
  await bench.api.post(url('redo')).expect(200);
});

describe('in the background', () => {
  const small = path.join(bench.data, 'media/marsh/TC_040_small'),
    source = { kind: 'pictures' } as const;
  let id: ShotId;
  const at = (rest: string) => `/api/shots/${id}/${rest}`;
  const loadSmall = async () => (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
  const look = async () => (await bench.api.get(at('motion/make')).expect(200)).body as MakingMotion;
  const until = async (holds: (status: MakingMotion) => boolean, ask: () => Promise<MakingMotion | null> = look) => {
    for (;;) {
      const status = await ask();
      if (status !== null && holds(status)) return status;
      await new Promise((next) => setTimeout(next, 20));
    }
  };
  const isOver = (status: MakingMotion) => status.state !== 'running';
  const made = () => path.join(bench.data, 'made', id);

  beforeAll(async () => {
    mkdirSync(small, { recursive: true });
    // A third of the size: following everything in the pictures takes its time.
    for (let frame = 1002; frame <= 1007; frame++)
      execFileSync('oiiotool', [
        path.join(FLOAT, `TC_040_float.${frame}.exr`),
        '--resize',
        '160x90',
        '-o',
        path.join(small, `small.${frame}.exr`),
      ]);
    ({ id } = (await bench.api.post('/api/shots').send({ folder: small }).expect(201)).body as { id: ShotId });
  });

  test('stopped in the middle it goes on where it was', async () => {
    await bench.api.post(at('motion/make')).send({ source }).expect(201);
    await until((status) => status.done > 0);
    await bench.api.post(at('motion/make/cancel')).expect(200);
    expect((await until(isOver)).state).toBe('cancelled');
    const hidden = readdirSync(made()).filter((name) => name.startsWith('.motion_from_pictures'));
    expect(hidden).toHaveLength(1);
    const kept = readdirSync(path.join(made(), hidden[0]));
    expect(kept.length).toBeGreaterThan(0);
    const stamps = kept.map((file) => statSync(path.join(made(), hidden[0], file)).mtimeMs);
    expect((await loadSmall()).passes.some((p) => p.file.includes('motion_from_pictures'))).toBe(false);
    // A server that starts now knows what came of it, and leaves alone what an artist stopped.
    const next = new MotionMakes(bench.services);
    expect(await next.look(id)).toMatchObject({ state: 'cancelled', source, total: 6 });
    await next.resume();
    expect((await look()).state).toBe('cancelled');
    await bench.api.post(at('motion/make')).send({ source }).expect(201);
    expect(await until(isOver)).toMatchObject({ state: 'done', done: 6 });
    expect(kept.map((file) => statSync(path.join(made(), 'motion_from_pictures', file)).mtimeMs)).toEqual(stamps);
    expect((await loadSmall()).passes.some((p) => p.channels.some((c) => c.name === 'trust'))).toBe(true);
  });

  test('what ran when the server died is gone on with by the next one', async () => {
    const { services } = bench;
    await services.database.query(`UPDATE shot_jobs SET status = status || '{"state": "running", "done": 1}' WHERE shot_id = $1`, [id]);
    const next = new MotionMakes(services);
    await next.resume();
    await expect(next.order(id, source)).rejects.toThrow('is being made');
    expect(await until(isOver, () => next.look(id))).toMatchObject({ state: 'done', done: 6, failed: [] });
    // What can't be gone on with has failed with its reason, and does not stand in the way of a new order.
    const gone = { kind: 'render', shot: '00000000-0000-4000-8000-000000000000', offset: 0 };
    await services.database.query(
      `UPDATE shot_jobs SET asked = $2, status = status || '{"state": "running"}' WHERE shot_id = $1 AND kind = 'make'`,
      [id, JSON.stringify(gone)],
    );
    await next.resume();
    expect(await look()).toMatchObject({
      state: 'failed',
      failed: [{ frame: 1002, message: 'there is no such shot; it may have been removed' }],
    });
  });

  test('a made pass that is removed is gone from the disk and from the shot, and undo can not bring it back', async () => {
    const name = 'motion_from_pictures';
    const before = await loadSmall();
    expect(before.passes.find((p) => p.id === before.settings.elements[0].motion)?.file).toContain(`(made)/${name}/`);
    const after = (await bench.api.delete(at(`motion/made/${name}`)).expect(200)).body as ShotDetail;
    expect(existsSync(path.join(made(), name))).toBe(false);
    expect(after.passes.some((p) => p.file.includes(name))).toBe(false);
    expect(after.settings.elements[0]).toMatchObject({ motion: null, encoding: null });
    expect(after.state.label).toBe('Made motion removed');
    await bench.api.delete(at('motion/made/..%2f..%2fmedia')).expect(400);
    const undone = (await bench.api.post(at('undo')).expect(200)).body as ShotDetail;
    expect(undone.passes.some((p) => p.id === undone.settings.elements[0].motion)).toBe(false);
  });
});

test('the motion of another render is borrowed, at another size and numbered otherwise', async () => {
  const half = path.join(bench.data, 'media/marsh/TC_040_again');
  mkdirSync(half, { recursive: true });
  for (const frame of [2, 3, 4]) copyFileSync(path.join(FLOAT, `TC_040_float.${1000 + frame}.exr`), path.join(half, `again.${frame}.exr`));
  const { id } = (await bench.api.post('/api/shots').send({ folder: half }).expect(201)).body as { id: string };
  const source = { kind: 'render', shot: shot.shot.id, offset: 1000 };
  const post = (what: string, body: object, status: number) =>
    bench.api.post(`/api/shots/${id}/motion/make${what}`).send(body).expect(status);
  const found = (await post('/offset', { shot: shot.shot.id }, 200)).body as FoundOffset;
  expect(found).toMatchObject({ frame: 3, offset: 1000, isClear: true });
  expect(found.tried.map((t) => t.offset).sort()).toEqual([1000, 1001, 999].sort());
  const right = (await post('/try', { source, frame: 3 }, 200)).body as MotionTrial;
  expect(right.proof?.after).toBe(found.tried[0].after);
  expect(right.proof?.after).toBeLessThan(0.5 * (right.proof?.before ?? 0));
  const late = (await post('/try', { source: { ...source, offset: 1001 }, frame: 3 }, 200)).body as MotionTrial;
  expect(late.proof?.after).toBeGreaterThan(1.2 * (right.proof?.after ?? 1));
  await post('', { source }, 201);
  let status: MakingMotion;
  do {
    await new Promise((next) => setTimeout(next, 100));
    status = (await bench.api.get(`/api/shots/${id}/motion/make`).expect(200)).body as MakingMotion;
  } while (status.state === 'running');
  expect(status).toMatchObject({ state: 'done', done: 3 });
  rmSync(half, { recursive: true });
});

test('kept encodings know their versions, who uses them, and which passes look alike', async () => {
  const { settings, passes } = await load();
  const [{ encoding, motion }] = settings.elements;
  const fingerprint = fingerprintOf(passes.find((p) => p.id === motion) as Pass);
  const save = async (note: string, print: string | null) =>
    (
      await bench.api
        .post('/api/encodings')
        .send({ name: 'Made vectors', document: { ...encoding, note }, fingerprint: print })
        .expect(201)
    ).body as SavedEncoding[];
  await save('first', fingerprint);
  // The renamed note is a new version; what the pass looked like stays known.
  const list = await save('better described', null);
  const kept = list.find((e) => e.name === 'Made vectors');
  expect(kept).toMatchObject({
    version: 2,
    fingerprint,
    document: { note: 'better described' },
    versions: [{ version: 2 }, { version: 1 }],
  });
  expect(kept?.usedBy.map((u) => u.shot)).toContain('TC_040');
  expect(fingerprint).toContain('nextX:float');
  const rest = (await bench.api.delete(`/api/encodings/${kept?.id}`).expect(200)).body as SavedEncoding[];
  expect(rest.some((e) => e.name === 'Made vectors')).toBe(false);
  await bench.api.delete(`/api/encodings/${kept?.id}`).expect(404);
  expect((await load()).settings.elements[0].encoding).toEqual(encoding);
});
