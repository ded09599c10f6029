import { copyFileSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import {
  shotReportSchema,
  unpackRaster,
  type MatchReport,
  type Pass,
  type ShotDetail,
  type ShotStates,
  type StreakReport,
  type TrustReport,
} from '@ivrex/contract';
import { proposeEncoding, TRUST_CAUSES, type Encoding } from '@ivrex/core';
import type request from 'supertest';
import { parseSeconds } from '../src/services/matches';
import { DEMO, FRAME, serverBench } from './server-bench';

const HERON = path.join(DEMO, 'TC_010');

const bench = serverBench();
const folder = path.join(bench.data, 'media/marsh/TC_010');
let shot: ShotDetail;
const url = (rest: string) => `/api/shots/${shot.shot.id}/${rest}`;
const passNamed = (name: string) => shot.passes.find((p) => p.name === name) as Pass;
const change = async (label: string, part: Partial<ShotDetail['settings']>) => {
  const body = { settings: { ...shot.settings, ...part }, label, basedOn: shot.state.sequence };
  shot = (await bench.api.put(url('settings')).send(body).expect(200)).body as ShotDetail;
};
const said = (response: { body: unknown }) => (response.body as { error: { message: string } }).error.message;
const order = { reference: '', frames: null, locks: { opens: null, closes: null, strength: 1 } };

beforeAll(async () => {
  mkdirSync(folder, { recursive: true });
  const copy = (name: string, frames: readonly number[]) => {
    for (const frame of frames) copyFileSync(path.join(HERON, `${name}.${frame}.exr`), path.join(folder, `${name}.${frame}.exr`));
  };
  copy('TC_010_heron', [1005, 1006, 1007]);
  copy('TC_010_heron_ref', [1006, 1014]);
  copy('TC_010_plate', [1011, 1012, 1013]);
  const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
  shot = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
  order.reference = passNamed('TC_010_heron_ref').id;
});

test('without an encoding there is nothing to match, and that is said', async () => {
  expect(said(await bench.api.post(url('match')).send(order).expect(422))).toContain('step Motion');
  const [element, ...others] = shot.settings.elements;
  const { channels } = passNamed('motion');
  const { encoding } = proposeEncoding(channels) as { encoding: Encoding };
  await change('Reading', { elements: [{ ...element, encoding }, ...others] });
});

test('the shutter of a grainy reference is found, kept, and given again', async () => {
  expect((await bench.api.get(url('match')).expect(200)).body).toBeNull();
  const { match, reference } = (await bench.api.post(url('match')).send(order).expect(200)).body as MatchReport;
  expect(Math.abs(360 * (match.closes - match.opens) - 144)).toBeLessThan(8);
  expect(Math.abs(match.opens)).toBeLessThan(0.05);
  expect(match.frames.map((f) => f.frame)).toEqual([1006]);
  expect(((await bench.api.get(url('match')).expect(200)).body as MatchReport).match).toEqual(match);
  expect(reference).toBe(order.reference);
}, 60000);

test('orders that make no sense are refused in words', async () => {
  const wrong = { ...order, locks: { ...order.locks, opens: 0.5, closes: 0.1 } };
  expect(said(await bench.api.post(url('match')).send(wrong).expect(400))).toContain('the shutter must close after it opens');
  expect(
    said(
      await bench.api
        .post(url('match'))
        .send({ ...order, frames: [1014] })
        .expect(404),
    ),
  ).toContain('no frame in common');
});

test('streaks of the plate are found by themselves and along a drawn line', async () => {
  const plate = passNamed('TC_010_plate').id;
  const found = (await bench.api.post(url('match/streaks')).send({ plate, frame: 1012 }).expect(200)).body as StreakReport;
  expect(Math.abs((found.combined?.angleDeg ?? 0) - 180)).toBeLessThan(18);
  const [first] = found.streaks;
  if (first === undefined || 'refused' in first) throw new Error('no streak');
  const lines = [
    { from: first.from, to: first.to },
    { from: { x: 5, y: 5 }, to: { x: 40, y: 5 } },
  ];
  const drawn = (await bench.api.post(url('match/streaks')).send({ plate, frame: 1012, lines }).expect(200)).body as StreakReport;
  expect(drawn.streaks.map((s) => 'refused' in s)).toEqual([false, true]);
  await bench.api.post(url('match/streaks')).send({ plate, frame: 1001 }).expect(404);
}, 60000);

test('where a frame can’t be trusted is a map with a verdict and what a render would cost', async () => {
  const report = (await bench.api.post(url('trust')).send({ frame: 1006 }).expect(200)).body as TrustReport;
  expect(report.verdict.touched).toBeGreaterThan(2500);
  expect(report.verdict.causes.map((c) => c.cause)).toContain('disagreement');
  expect(report.cost).toEqual({ frames: 3, sharpSeconds: 312, blurredSeconds: 870, isMeasured: true });
  const { body } = (await bench.api.get(`/api/trust-maps/${report.map}`).buffer(true).parse(bytesOf).expect(200)) as { body: Buffer };
  const { header, planes } = unpackRaster(new Uint8Array(body).buffer);
  expect(header).toMatchObject({ ...FRAME, names: ['expected', ...TRUST_CAUSES] });
  expect(Math.max(...planes[0].filter((_, i) => i % 97 === 0))).toBeGreaterThan(0);
  await bench.api.get(`/api/trust-maps/${'0'.repeat(64)}`).expect(404);
  expect(said(await bench.api.post(url('trust')).send({ frame: 1001 }).expect(404))).toContain('1001');
}, 60000);

test('render times of headers are seconds or clock times', () => {
  expect(['312', '312.5', '5:12', '1:00:01', 'long', '', '1:2:3:4', '-3'].map(parseSeconds)).toEqual([
    312,
    312.5,
    312,
    3601,
    null,
    null,
    null,
    null,
  ]);
});

test('the report is a page of its own, a document, and a PDF', async () => {
  const page = await bench.api.get(url('report.html?frame=1006')).expect(200);
  expect(page.headers['content-security-policy']).toContain("default-src 'none'");
  expect(page.text).toContain('<h1>TC_010</h1>');
  expect(page.text.match(/data:image\/png;base64/g)).toHaveLength(4);
  expect(page.text).toContain('Matched to TC_010_heron_ref');
  const { body } = (await bench.api.get(url('report.json?frame=1006')).expect(200)) as { body: unknown };
  const report = shotReportSchema.parse(body);
  const [frame] = report.frames;
  expect(frame).toMatchObject({ frame: 1006, reference: 'TC_010_heron_ref', trust: { touched: expect.any(Number) as number } });
  // The shutter is not the reference's yet: the blur is nearer than the sharp picture, and not near.
  expect(frame.figures?.psnr).toBeGreaterThan(frame.before?.psnr ?? Infinity);
  const pdf = (await bench.api.get(url('report.pdf?frame=1006')).buffer(true).parse(bytesOf).expect(200)) as { body: Buffer };
  expect(pdf.body.subarray(0, 5).toString()).toBe('%PDF-');
  await bench.api.get(url('report.doc?frame=1006')).expect(400);
  await bench.api.get(url('report.json?frame=1001')).expect(404);
}, 90000);

describe('states', () => {
  const states = async () => (await bench.api.get(url('states')).expect(200)).body as ShotStates;
  const wide = { opens: -0.5, closes: 0.5, strength: 1, floorPx: null, ceilingPx: null, keys: [] };

  test('what is set gets a name; it survives undoing and changing something else', async () => {
    await bench.api.post(url('states')).send({ name: 'as it came' }).expect(201);
    expect(said(await bench.api.post(url('states')).send({ name: 'as it came' }).expect(409))).toContain('already');
    await bench.api.post(url('states')).send({ name: '  ' }).expect(400);
    await change('Wide', { shutter: wide });
    await bench.api.post(url('states')).send({ name: 'wide' }).expect(201);
    shot = (await bench.api.post(url('undo')).send({}).expect(200)).body as ShotDetail;
    await change('Path', { path: 'straight' });
    const { named, history } = await states();
    expect(named.map((s) => [s.name, s.isNow])).toEqual([
      ['as it came', false],
      ['wide', false],
    ]);
    expect(history.map((s) => s.label)).not.toContain('Wide');
    expect(history[0]).toMatchObject({ label: 'Path', current: true });
  });
  test('returning is a change that can be taken back; any earlier change can be gone to', async () => {
    const [, second] = (await states()).named;
    shot = (
      await bench.api
        .post(url(`states/${second.id}/return`))
        .send({})
        .expect(200)
    ).body as ShotDetail;
    expect(shot.settings.shutter).toMatchObject({ opens: -0.5, closes: 0.5 });
    expect(shot.state.undo).toBe('Back to "wide"');
    expect((await states()).named[1].isNow).toBe(true);
    shot = (await bench.api.post(url('history/1')).send({}).expect(200)).body as ShotDetail;
    expect(shot.state).toMatchObject({ sequence: 1, undo: null });
    shot = (await bench.api.post(url('history/999')).send({}).expect(200)).body as ShotDetail;
    expect(shot.state.sequence).toBe(1);
    const last = (await states()).history[0].sequence;
    shot = (
      await bench.api
        .post(url(`history/${last}`))
        .send({})
        .expect(200)
    ).body as ShotDetail;
    expect(shot.settings.shutter.opens).toBe(-0.5);
  });
  test('a frame can be blurred under a named state while another one is set', async () => {
    const [first, second] = (await states()).named;
    const load = async (id: string) =>
      (
        (await bench.api
          .get(url(`states/${id}/blurred/1006`))
          .buffer(true)
          .parse(bytesOf)
          .expect(200)) as { body: Buffer }
      ).body;
    const a = unpackRaster(new Uint8Array(await load(first.id)).buffer),
      b = unpackRaster(new Uint8Array(await load(second.id)).buffer);
    expect(a.header).toEqual({ ...FRAME, format: 'rgba16f', names: ['rgba'] });
    expect(Buffer.from(a.planes[0].buffer).equals(Buffer.from(b.planes[0].buffer))).toBe(false);
  }, 60000);
  test('a forgotten state is gone', async () => {
    const [first] = (await states()).named;
    const left = (await bench.api.delete(url(`states/${first.id}`)).expect(200)).body as ShotStates;
    expect(left.named.map((s) => s.name)).toEqual(['wide']);
    expect(
      said(
        await bench.api
          .post(url(`states/${first.id}/return`))
          .send({})
          .expect(404),
      ),
    ).toContain('no such state');
  });
});

function bytesOf(response: request.Response, done: (error: Error | null, body: Buffer) => void): void {
  const parts: Buffer[] = [];
  const stream = response as unknown as NodeJS.ReadableStream;
  stream.on('data', (part: Buffer) => parts.push(part));
  stream.on('end', () => done(null, Buffer.concat(parts)));
}
