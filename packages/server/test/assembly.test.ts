import { copyFileSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import {
  keepLinks,
  proposedElements,
  unpackRaster,
  withElements,
  type Delivery,
  type Element,
  type MotionReading,
  type Pass,
  type ShotDetail,
  type ShotSettings,
} from '@ivrex/contract';
import { comparePictures, halfToNumber, NEUTRAL_GRADE, proposeEncoding, type Encoding } from '@ivrex/core';
import { loadNodeHost, loadPicture, saveTiff8 } from '@ivrex/media';
import { renderAt } from './render';
import { DEMO, FRAME, ROOT, serverBench } from './server-bench';

const HERON = path.join(DEMO, 'TC_010');

const bench = serverBench();
const folder = path.join(bench.data, 'media/marsh/TC_010_together');
let shot: ShotDetail;
const url = (rest: string) => `/api/shots/${shot.shot.id}/${rest}`;
const passNamed = (name: string) => shot.passes.find((p) => p.name === name) as Pass;
const change = async (label: string, make: (settings: ShotSettings) => ShotSettings) => {
  const body = { settings: keepLinks(shot.settings, make(shot.settings)), label, basedOn: shot.state.sequence };
  shot = (await bench.api.put(url('settings')).send(body).expect(200)).body as ShotDetail;
};
const changeElement = (id: string, part: (e: Element) => Partial<Element>) =>
  change('Element', (s) => ({ ...s, elements: s.elements.map((e) => (e.id === id ? { ...e, ...part(e) } : e)) }));
const place = (id: string, part: Partial<Element['place']>) => changeElement(id, (e) => ({ place: { ...e.place, ...part } }));
const said = (response: { body: unknown }) => (response.body as { error: { message: string } }).error.message;
const picture = async (frame = 1008) => {
  const body = (
    await bench.api
      .get(url(`assembled/${frame}`))
      .responseType('blob')
      .expect(200)
  ).body as Buffer;
  const raster = unpackRaster(body.buffer.slice(body.byteOffset, body.byteOffset + body.length) as ArrayBuffer);
  return Float32Array.from(raster.planes[0] as Uint16Array, halfToNumber);
};
const whole = async () =>
  (
    await loadPicture(
      { file: path.join(HERON, 'TC_010_whole_ref.1008.exr'), part: 0, layer: '' },
      await loadNodeHost(path.join(ROOT, 'packages/kernels/build/kernels.wasm')),
    )
  ).rgba;

beforeAll(async () => {
  mkdirSync(folder, { recursive: true });
  for (const name of ['heron', 'shadow', 'plate', 'reeds'])
    for (const frame of [1007, 1008, 1009])
      copyFileSync(path.join(HERON, `TC_010_${name}.${frame}.exr`), path.join(folder, `TC_010_${name}.${frame}.exr`));
  const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
  shot = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
});

test('an element whose motion is not read is named', async () => {
  expect(said(await bench.api.get(url('assembled/1008')).expect(422))).toBe(
    'say how the motion of TC_010_heron is stored in step Motion first',
  );
});

test('shadow and reeds are proposed, each in its place; the shadow is read as the heron is, also later', async () => {
  const found = proposedElements(shot.settings, shot.passes);
  expect(found.map((e) => [e.name, e.readAs, e.place.shadow?.reads ?? null, e.place.fromPlate])).toEqual([
    ['TC_010_shadow', 'main', 'density', false],
    ['TC_010_reeds', null, null, true],
  ]);
  await change('Together', (s) => withElements(s, found));
  expect(shot.settings.assembly.order).toEqual(['tc-010-reeds', 'main', 'tc-010-shadow']);
  const { encoding } = proposeEncoding(passNamed('motion').channels) as { encoding: Encoding };
  await changeElement('main', () => ({ encoding }));
  expect(shot.settings.elements.map((e) => e.encoding !== null)).toEqual([true, true, false]);
  expect(proposedElements(shot.settings, shot.passes)).toEqual([]);
});

test('together they are the whole scene; two ids alike are refused', async () => {
  const { psnr } = comparePictures(await picture(), await whole(), FRAME.width, FRAME.height, null);
  expect(psnr).toBeGreaterThan(50);
  const twice = { ...shot.settings, elements: [...shot.settings.elements, shot.settings.elements[0]] };
  expect(
    said(await bench.api.put(url('settings')).send({ settings: twice, label: 'x', basedOn: shot.state.sequence }).expect(400)),
  ).toContain('two elements have the same id');
}, 60000);

test('opacity by keys, hiding, and a factor of the strength change what is seen', async () => {
  const truth = await whole();
  const against = async () => comparePictures(await picture(), truth, FRAME.width, FRAME.height, null).psnr;
  const before = await against();
  await place('tc-010-shadow', {
    opacityKeys: [
      { frame: 1007, value: 0, way: 'linear' },
      { frame: 1009, value: 1, way: 'linear' },
    ],
  });
  const half = await against();
  await place('tc-010-shadow', { opacityKeys: [], visible: false });
  const hidden = await against();
  expect(before).toBeGreaterThan(half);
  expect(half).toBeGreaterThan(hidden);
  await place('tc-010-shadow', { visible: true });
  await changeElement('main', () => ({ factor: 0.5 }));
  expect(await against()).toBeLessThan(before - 3);
  await changeElement('main', () => ({ factor: 1 }));
  expect(await against()).toBe(before);
}, 120000);

test('a grade before the blur is not one after it; a grade on all, corners and grain come last', async () => {
  const plain = await picture();
  const grade = { ...NEUTRAL_GRADE, contrast: 2, curves: { ...NEUTRAL_GRADE.curves } };
  await place('main', { grade });
  const before = await picture();
  await place('main', { gradeWhen: 'after' });
  const after = await picture();
  expect(comparePictures(before, after, FRAME.width, FRAME.height, null).psnr).toBeLessThan(60);
  await place('main', { grade: null, gradeWhen: 'before' });
  const again = await picture();
  expect(Buffer.from(again.buffer).equals(Buffer.from(plain.buffer))).toBe(true);
  await change('Finish', (s) => ({
    ...s,
    assembly: {
      ...s.assembly,
      vignette: { amount: 1, radius: 0, softness: 1 },
      grain: { floor: [0.01, 0.01, 0.01], slope: [0, 0, 0], sizePx: 0 },
    },
  }));
  const finished = await picture();
  expect(finished[0]).toBeCloseTo(0, 2);
  // Over the sky there is no CG, and so no grain but the plate's own: darker only.
  const sky = (30 * FRAME.width + 240) * 4;
  expect(finished[sky] / plain[sky]).toBeCloseTo(finished[sky + 1] / plain[sky + 1], 2);
  await change('Plain', (s) => ({ ...s, assembly: { ...s.assembly, vignette: null, grain: null } }));
}, 120000);

test('the reading of another element is its own', async () => {
  const { evidence } = (await bench.api.post(url('motion/reading?element=tc-010-shadow')).send({ frame: 1008 }).expect(200))
    .body as MotionReading;
  const heron = (await bench.api.post(url('motion/reading')).send({ frame: 1008 }).expect(200)).body as MotionReading;
  expect(evidence.points).not.toBe(heron.evidence.points);
  expect(said(await bench.api.post(url('motion/reading?element=A%20b')).send({ frame: 1008 }).expect(400))).toContain('element');
}, 120000);

test('the assembled picture and a lone element are delivered, whole, with what they were made with', async () => {
  const order = async (name: string, what: unknown) => {
    const options = { name, what: [what], firstFrame: 1008, lastFrame: 1008 };
    const made = (await bench.api.post(url('deliveries')).send(options).expect(201)).body as Delivery;
    await renderAt(bench.services, made.id, 1008);
    const host = await loadNodeHost(path.join(ROOT, 'packages/kernels/build/kernels.wasm'));
    return loadPicture({ file: path.join(made.folder, `${name}.1008.exr`), part: 0, layer: '' }, host);
  };
  const together = await order('together', { kind: 'assembled' });
  expect(comparePictures(together.rgba, await picture(), FRAME.width, FRAME.height, null).maxAbs).toBeLessThan(0.02);
  expect(String(together.attributes.get('ivrexBlur')?.value)).toMatch(/^TC_010_shadow: .*; TC_010_heron: .*; TC_010_reeds: as it is/);
  await place('main', { grade: { ...NEUTRAL_GRADE, exposure: 1, curves: { ...NEUTRAL_GRADE.curves } }, gradeWhen: 'after' });
  const lone = await order('lone', { kind: 'element', element: 'main' });
  await place('main', { grade: null });
  const plain = await order('plain', { kind: 'element', element: null });
  const at = plain.rgba.findIndex((v, i) => i % 4 === 0 && v > 0.2);
  expect(lone.rgba[at] / plain.rgba[at]).toBeCloseTo(2, 1);
  expect(lone.rgba[at + 3]).toBe(plain.rgba[at + 3]);
}, 120000);

test('a plate of another size is brought to the shot, as it is told', async () => {
  const small = new Float32Array(240 * 135 * 3).fill(0.5);
  await saveTiff8(path.join(folder, 'little_plate.tif'), small, { width: 240, height: 135, channels: 3 });
  await bench.api.post(url('look-again')).send({}).expect(200);
  shot = (await bench.api.get(`/api/shots/${shot.shot.id}`).expect(200)).body as ShotDetail;
  const little = shot.passes.find((p) => p.file.startsWith('little_plate')) as Pass;
  const cornerOf = async (fit: ShotSettings['assembly']['fit']) => {
    await change(fit, (s) => ({ ...s, assembly: { ...s.assembly, plate: little.id, fit } }));
    return (await picture())[0];
  };
  expect(await cornerOf('fit')).toBeCloseTo(0.214, 2);
  expect(await cornerOf('asIs')).toBe(0);
}, 60000);

test('a frame that a part does not have is said by its file', async () => {
  expect(said(await bench.api.get(url('assembled/1020')).expect(404))).toContain('frame 1020 is missing');
});
