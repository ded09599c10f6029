import { linkSync, mkdirSync, readdirSync, readFileSync } from 'node:fs';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import path from 'node:path';
import {
  newElement,
  proposedElements,
  shutterOfElement,
  withElements,
  type Element,
  type ShotDetail,
  type ShotSettings,
} from '@ivrex/contract';
import { halfToNumber, mixReach, shutterAt, type BlurPlan, type NeighbourPlan } from '@ivrex/core';
import { instantiateKernels } from '@ivrex/kernels';
import { frameElement } from '@ivrex/media';
import { STORED } from '../../../e2e/stored';
import { makeApp } from '../../server/src/http/app';
import { measuredBook } from '../../server/src/services/measured-depth';
import { DEMO, ROOT, serverBench } from '../../server/test/server-bench';
import { stampPasses } from '../src/api/raster-cache';
import { loadAround, loadInputs, loadNeighbour } from '../src/viewer/blur-inputs';
import { wantedBy } from '../src/viewer/blur-keys';
import { bandsOf } from '../src/workers/bands';
import { blurWork, type FrameInputs } from '../src/workers/blur-work';

/**
 * The page loads, decodes and blurs with its own code, the server with its own: both come out with the same bits, so that what is delivered is what
 * was looked at. The page's threads are called here without a browser.
 */

const bench = serverBench();
const WASM = path.join(ROOT, 'packages/kernels/build/kernels.wasm');
/** 1008 with its neighbours and theirs; motion may be numbered one later. */
const FRAMES = /\.10(06|07|08|09|10|11)\./;
let http: Server;
/** Every test has folders of its own. */
let shots = 0;
const fetchAnywhere = globalThis.fetch;

beforeAll(async () => {
  http = makeApp(bench.services).listen(0, '127.0.0.1');
  // Plans take longer than a server leaves an idle connection open: a request into one that is closing would be a neighbour that can't be read.
  http.keepAliveTimeout = 0;
  await new Promise((resolve) => http.once('listening', resolve));
  const origin = `http://127.0.0.1:${(http.address() as AddressInfo).port}`;
  globalThis.fetch = (url, init) => fetchAnywhere(typeof url === 'string' ? origin + url : url, init);
  await blurWork.start(await WebAssembly.compile(readFileSync(WASM)));
});
afterAll(async () => {
  globalThis.fetch = fetchAnywhere;
  http.closeAllConnections();
  await new Promise((resolve) => http.close(resolve));
});

/** A demo shot with its encoding, and with every element that it can have. */
async function demoShot(name: string): Promise<ShotDetail> {
  const folder = path.join(bench.data, 'media', `${name} ${++shots}`);
  for (const file of readdirSync(path.join(DEMO, name), { recursive: true }).map(String)) {
    if (!FRAMES.test(file)) continue;
    mkdirSync(path.dirname(path.join(folder, file)), { recursive: true });
    linkSync(path.join(DEMO, name, file), path.join(folder, file));
  }
  const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
  const shot = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail,
    [first, ...others] = shot.settings.elements;
  const motion = shot.passes.find((p) => p.id === first.motion)?.sequenceId ?? '';
  const read = {
    ...shot.settings,
    elements: [{ ...first, encoding: STORED[name] }, ...others],
    offsets: name === 'TC_020' ? { ...shot.settings.offsets, [motion]: 1 } : shot.settings.offsets,
  } as ShotSettings;
  const settings = withElements(read, proposedElements(read, shot.passes));
  const change = { settings, label: 'Reading', basedOn: shot.state.sequence };
  return (await bench.api.put(`/api/shots/${id}/settings`).send(change).expect(200)).body as ShotDetail;
}

async function byPage(detail: ShotDetail, element: Element, frame: number): Promise<Uint16Array> {
  stampPasses(detail);
  const { path: way, hidden, samples } = detail.settings,
    plan = shutterOfElement(detail.settings, element),
    shutter = shutterAt(plan, frame);
  const loaded = await loadInputs(detail, element, frame),
    { notes, ...around } = await loadAround(detail, element, frame, loaded);
  expect(notes).toEqual([]);
  const wanted = wantedBy(detail.settings, plan, frame),
    asked = { path: way, hidden, reachFrames: mixReach(wanted, shutter) };
  const planOf = (inputs: Omit<FrameInputs, keyof typeof asked>): BlurPlan => {
    const prepared = blurWork.prepare({ ...inputs, ...asked }, 1, []);
    if (!prepared.ok) throw new Error(prepared.error.message);
    return prepared.value.plan;
  };
  const own = planOf({ ...loaded, ...around }),
    neighbours: NeighbourPlan[] = [];
  for (const at of wanted.at) {
    const inputs = await loadNeighbour(detail, element, frame, at, around);
    expect(inputs?.notes).toEqual([]);
    if (inputs !== null) neighbours.push({ at, plan: planOf(inputs) });
  }
  expect(neighbours).toHaveLength(2);
  const mixed = await blurWork.mix(own, wanted, neighbours, shutter),
    out = new Uint16Array(loaded.width * loaded.height * 4);
  expect(mixed.mix).not.toBeNull();
  blurWork.renderMixed(mixed, { shutter, quality: 'final', samples }, bandsOf({ y0: 0, y1: loaded.height }, loaded.height), out);
  return out;
}

async function byServer(detail: ShotDetail, element: Element, frame: number): Promise<Uint16Array> {
  const book = await measuredBook(bench.services, detail.shot.id),
    made = frameElement(book, book.settings.elements.find((e) => e.id === element.id) ?? element, frame);
  if (made.from.kind !== 'moving') throw new Error(`${element.name} does not move`);
  const { rgba, report } = await bench.services.pool.blur(made.from.frame);
  expect(report).toMatchObject({ mixed: ['before', 'after'], warnings: [] });
  const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync(WASM))),
    out = new Uint16Array(rgba.length);
  kernels.floatToHalf(rgba, out);
  return out;
}

test.each(['TC_010', 'TC_020', 'TC_030'])(
  '%s: every element that moves is the same in the page and on the server, bit by bit',
  async (name) => {
    const detail = await demoShot(name);
    const moving = detail.settings.elements.filter((e) => e.motion !== null && e.encoding !== null && !e.place.fromPlate);
    expect(moving.length).toBeGreaterThan(0);
    for (const element of moving) {
      const [page, server] = [await byPage(detail, element, 1008), await byServer(detail, element, 1008)];
      let different = 0;
      for (let i = 0; i < page.length; i++) if (page[i] !== server[i]) different++;
      expect([element.name, different]).toEqual([element.name, 0]);
    }
  },
  240000,
);

test('light that is blurred apart is taken out, blurred and added alike', async () => {
  const read = await demoShot('TC_010'),
    [heron, ...others] = read.settings.elements;
  // A light pass that is all of the picture, going another way: nothing is left of the surface.
  const shine = newElement(read.settings.elements, {
    name: 'shine',
    beauty: heron.beauty,
    motion: heron.motion,
    encoding: heron.encoding && { ...heron.encoding, axes: { ...heron.encoding.axes, x: 'left' } },
    lightOf: heron.id,
  });
  const change = { settings: { ...read.settings, elements: [heron, ...others, shine] }, label: 'Light pass', basedOn: read.state.sequence };
  const detail = (await bench.api.put(`/api/shots/${read.shot.id}/settings`).send(change).expect(200)).body as ShotDetail;
  const surface = await byPage(detail, heron, 1008),
    light = await byPage(detail, shine, 1008),
    sum = blurWork.sum(surface, [{ halves: light, factor: 1 }]);
  const server = await byServer(detail, heron, 1008);
  let most = 0,
    lit = 0;
  for (let i = 0; i < sum.length; i++) {
    const [a, b] = [halfToNumber(sum[i]), halfToNumber(server[i])];
    // The page's parts are halves before they are added.
    most = Math.max(most, Math.abs(a - b) / Math.max(0.05, Math.abs(b)));
    if (i % 4 < 3 && b > 0.05) lit++;
  }
  expect(lit).toBeGreaterThan(5000);
  expect(most).toBeLessThan(3e-3);
  // Alpha is the surface's: light covers nothing.
  let left = 0,
    changed = 0;
  for (let i = 0; i < sum.length; i += 4) {
    left = Math.max(left, Math.abs(halfToNumber(surface[i])));
    if (sum[i + 3] !== surface[i + 3]) changed++;
  }
  expect([left < 0.01, changed]).toEqual([true, 0]);
}, 240000);
