import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import {
  copyFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  truncateSync,
  utimesSync,
  writeFileSync,
} from 'node:fs';
import path from 'node:path';
import type { Delivery, DeliveryPlan, ShotDetail, ShotDocumentText, ShotId } from '@ivrex/contract';
import { viewColours } from '@ivrex/core';
import { loadNodeHost, loadPicture } from '@ivrex/media';
import { finishDelivery } from '../src/services/delivery-finish';
import type { Services } from '../src/services/services';
import { renderAt, workerOf } from './render';
import { until } from './start-application';
import { DEMO, FRAME, ROOT, serverBench } from './server-bench';

/** What is delivered, in which form, and what becomes of files that are there. The shot is the heron's, whose reading is agreed. */

const bench = serverBench();
let shotId: ShotId;
beforeAll(async () => {
  shotId = (await bench.heronShot()).shot.id;
}, 60000);
const root = path.join(bench.data, 'deliveries/heron');
const range = { firstFrame: 1010, lastFrame: 1011 };
const url = (rest: string) => `/api/shots/${shotId}/deliveries${rest}`;
const refused = async (order: object): Promise<string> =>
  ((await bench.api.post(url('')).send(order)).body as { error: { message: string } }).error.message;
const plan = async (order: object) => (await bench.api.post(url('/plan')).send(order).expect(200)).body as DeliveryPlan;

/** Orders, renders and finishes, as a worker would; what became of each frame. */
async function deliver(
  order: object,
  audits: Pick<Services['audits'], 'look'> = bench.services.audits,
): Promise<{ delivery: Delivery; came: string[] }> {
  const { services } = bench;
  const { id, frames } = (await bench.api.post(url('')).send(order).expect(201)).body as Delivery;
  const came: string[] = [];
  for (const { frame } of frames) came.push(await renderAt(services, id, frame));
  const { fontFile } = services.config,
    { matches, depths } = services;
  await finishDelivery({ ...(await workerOf(services)), fontFile, matches, depths, audits }, id, new AbortController().signal);
  const delivery = ((await bench.api.get(url('')).expect(200)).body as Delivery[]).find((d) => d.id === id);
  if (delivery === undefined) throw new Error('the delivery is gone');
  return { delivery, came };
}

const sum = (file: string) => createHash('sha256').update(readFileSync(file)).digest('hex');
const encodingOf = async () => ((await bench.api.get(`/api/shots/${shotId}`)).body as ShotDetail).settings.elements[0].encoding;

describe('what is delivered', () => {
  test('any mix in one file, a layer each, valid to the reference library, with the facts in its header', async () => {
    const what = [
      { kind: 'assembled' },
      { kind: 'element', element: 'main' },
      { kind: 'motion', element: 'main', to: await encodingOf() },
      { kind: 'trust', element: null },
    ];
    const { delivery } = await deliver({ ...range, name: 'mix', what, version: 7 });
    expect(delivery).toMatchObject({ state: 'done', error: null });
    const header = spawnSync('exrheader', [path.join(root, 'mix/mix.1010.exr')], { encoding: 'utf8' });
    expect(header.status).toBe(0);
    for (const channel of ['A', 'R', 'main.G', 'main_motion.', 'main_trust.expected'])
      expect(header.stdout).toMatch(new RegExp(`^ {4}${channel.replace('.', '\\.')}`, 'm'));
    expect(header.stdout).toContain('ivrexShot (type string): "heron"');
    expect(header.stdout).toContain('ivrexVersion (type int): 7');
    expect(header.stdout).toMatch(/ivrexShutter \(type string\): "180 degrees/);
    expect(header.stdout).toContain('ivrexEncoding (type string)');
  }, 120000);

  test('the checksums are those of the files, as sha256sum reads them, and the shot lies beside as a document', () => {
    const checked = spawnSync('sha256sum', ['--check', '--strict', 'mix.sha256'], { cwd: path.join(root, 'mix'), encoding: 'utf8' });
    expect(checked.stdout).toBe('mix.1010.exr: OK\nmix.1011.exr: OK\n');
    const document = JSON.parse(readFileSync(path.join(root, 'mix/mix.shot.json'), 'utf8')) as {
      sequences: { folder: string }[];
      deliver: object;
    };
    expect(document.sequences[0].folder).toBe('../../../media/marsh/heron');
    expect(document.deliver).toMatchObject({ name: 'mix', version: 7 });
  });

  test('a trimmed data window holds the same picture in fewer pixels', async () => {
    const form = { kind: 'exr', type: 'half', compression: 'zip' };
    await deliver({ ...range, name: 'full', form });
    await deliver({ ...range, name: 'trim', form: { ...form, window: 'trimmed' } });
    const [full, trim] = ['full', 'trim'].map((name) => path.join(root, `${name}/${name}.1010.exr`));
    expect(spawnSync('oiiotool', ['--diff', '--fail', '0', full, trim]).status).toBe(0);
    const window = /dataWindow.*: \((\d+) (\d+)\) - \((\d+) (\d+)\)/.exec(spawnSync('exrheader', [trim], { encoding: 'utf8' }).stdout);
    const [x0, y0, x1, y1] = (window ?? []).slice(1).map(Number);
    expect((x1 - x0 + 1) * (y1 - y0 + 1)).toBeLessThan(0.6 * FRAME.width * FRAME.height);
  }, 60000);

  test('separate files need names that tell them apart', async () => {
    const what = [
      { kind: 'element', element: null },
      { kind: 'matte', element: null, objects: null },
    ];
    const order = { ...range, name: 'apart', what, form: { kind: 'png', depth: 'u16' } };
    expect(await refused(order)).toContain('the name needs {what}');
    await deliver({ ...order, pattern: '{shot}/{name}/{what}/{name}_{what}_v{version}.{frame}' });
    expect(readdirSync(path.join(root, 'apart')).sort()).toEqual([
      'apart_v001.png.sha256',
      'apart_v001.png.shot.json',
      'main',
      'main_matte',
    ]);
    const info = (file: string) => spawnSync('oiiotool', ['--info', '-v', path.join(root, 'apart', file)], { encoding: 'utf8' }).stdout;
    expect(info('main/apart_main_v001.1010.png')).toMatch(/480 x +270, 4 channel, uint16/);
    expect(info('main_matte/apart_main_matte_v001.1010.png')).toMatch(/480 x +270, 1 channel, uint16/);
  }, 60000);

  test('a frame that something is missing for is named beforehand; the others can be made', async () => {
    const folder = path.join(bench.data, 'media/marsh/wheels'),
      demo = path.join(DEMO, 'TC_020');
    mkdirSync(folder, { recursive: true });
    for (const frame of [1005, 1006, 1007]) {
      copyFileSync(path.join(demo, `beauty/TC_020_beauty.${frame}.exr`), path.join(folder, `beauty.${frame}.exr`));
      if (frame !== 1005) copyFileSync(path.join(demo, `motion/TC_020_motion.${frame}.png`), path.join(folder, `motion.${frame}.png`));
    }
    const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: ShotId };
    const { settings, state } = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
    const encoding = JSON.parse(readFileSync(path.join(ROOT, 'packages/demo/encodings/wheel-room.json'), 'utf8')) as object;
    const elements = [{ ...settings.elements[0], encoding }];
    await bench.api
      .put(`/api/shots/${id}/settings`)
      .send({ label: 'Reading', basedOn: state.sequence, settings: { ...settings, elements } })
      .expect(200);
    const asked = { firstFrame: 1005, lastFrame: 1007, name: 'wheels' };
    const { frames, failing, faults } = (await bench.api.post(`/api/shots/${id}/deliveries/plan`).send(asked).expect(200))
      .body as DeliveryPlan;
    expect([frames, faults]).toEqual([[1005, 1006, 1007], []]);
    expect(failing).toEqual([{ frame: 1005, message: expect.stringMatching(/^motion\.1005\.png: frame 1005 is missing/) }]);
  });

  test('what makes no sense is refused in a sentence', async () => {
    expect(
      await refused({
        ...range,
        name: 'm',
        what: [{ kind: 'trust', element: null }],
        form: { kind: 'movie', codec: 'h264', burnIn: true },
      }),
    ).toContain('a movie is for looking');
    expect(await refused({ ...range, name: 'm', pattern: '../{name}.{frame}' })).toContain('use letters, digits');
    expect(await refused({ ...range, name: 'm', pattern: '{shot}/{name}' })).toContain('needs {frame} once');
    expect(await refused({ ...range, name: 'm', what: [{ kind: 'element', element: 'otter' }] })).toContain('no element "otter"');
    expect(await refused({ firstFrame: 2000, lastFrame: 2001, name: 'm' })).toContain('there is no frame from 2000 to 2001');
    expect(await refused({ ...range, name: 'm', existing: 'versionUp' })).toContain('the name needs {version}');
  });
});

describe('what is there already', () => {
  const order = { ...range, name: 'again' };
  const file = (frame: number) => path.join(root, `again/again.${frame}.exr`);

  test('is kept while inputs and settings are the same, and said beforehand', async () => {
    expect((await plan(order)).kept).toBe(0);
    expect((await deliver(order)).came).toEqual(['made', 'made']);
    expect(await plan(order)).toMatchObject({ kept: 2, frames: [1010, 1011], bytes: 0, measured: true });
    expect((await deliver(order)).came).toEqual(['kept', 'kept']);
  }, 60000);

  test('is made anew where the file was damaged or a source changed, and comes out bit by bit the same', async () => {
    const before = [sum(file(1010)), sum(file(1011))];
    truncateSync(file(1010), 1000);
    expect((await deliver(order)).came).toEqual(['made', 'kept']);
    // A source that is only touched still holds the same.
    const source = path.join(bench.data, 'media/marsh/heron/heron.1011.exr');
    utimesSync(source, new Date(), new Date());
    expect((await deliver(order)).came).toEqual(['kept', 'kept']);
    expect((await deliver({ ...order, existing: 'replace' })).came).toEqual(['made', 'made']);
    expect([sum(file(1010)), sum(file(1011))]).toEqual(before);
  }, 60000);

  test('a part of it, and a movie of the same name, leave the checksums of the rest', async () => {
    await deliver({ ...order, firstFrame: 1011 });
    await deliver({ ...order, form: { kind: 'movie', codec: 'mjpeg', burnIn: false } });
    const check = (list: string) =>
      spawnSync('sha256sum', ['--check', '--strict', list], { cwd: path.join(root, 'again'), encoding: 'utf8' });
    expect(check('again.sha256').stdout).toBe('again.1010.exr: OK\nagain.1011.exr: OK\n');
    expect(check('again.mov.sha256').stdout).toBe('again.mov: OK\n');
  }, 60000);

  test('the report beside is that of what was delivered', async () => {
    const { services } = bench;
    // Of speeds it shows what is known: the worker does not set out to measure.
    const known = { look: (...asked: Parameters<Services['audits']['known']>) => services.audits.known(...asked) };
    await until('the speeds to be measured', async () => (await services.audits.look(shotId))?.state === 'done', 180);
    const { delivery } = await deliver({ ...order, report: true }, known);
    const file = path.join(root, 'again/again.report.html');
    expect(delivery.extras).toContain(file);
    expect(readFileSync(file, 'utf8')).toMatch(/<h1>heron<\/h1>[^]*180 degrees[^]*Speed over the shot/);
  }, 120000);

  test('is left alone, whatever is in it, or counted up', async () => {
    writeFileSync(file(1010), 'by hand');
    expect((await deliver({ ...order, existing: 'keep' })).came).toEqual(['kept', 'kept']);
    expect(readFileSync(file(1010), 'utf8')).toBe('by hand');
    const up = { ...order, existing: 'versionUp', pattern: '{shot}/{name}_v{version}/{name}.{frame}' };
    expect((await plan(up)).version).toBe(1);
    await deliver(up);
    expect((await plan(up)).version).toBe(2);
    expect((await deliver(up)).delivery.options.version).toBe(2);
    expect(existsSync(path.join(root, 'again_v002/again.1010.exr'))).toBe(true);
  }, 60000);

  test('is not followed out of the folder of deliveries by a link', async () => {
    const outside = path.join(bench.data, 'outside');
    for (const folder of [outside, root]) mkdirSync(folder, { recursive: true });
    symlinkSync(outside, path.join(root, 'linked'));
    const { delivery } = await deliver({ ...range, name: 'linked' });
    expect(delivery).toMatchObject({
      state: 'failed',
      frames: [{ attempt: 1, error: expect.stringContaining('a link leads out of') as string }, {}],
    });
    expect(readdirSync(outside)).toEqual([]);
  });

  test('is not written by two deliveries at one time', async () => {
    const twice = { ...range, name: 'twice' };
    const { id } = (await bench.api.post(url('')).send(twice).expect(201)).body as Delivery;
    expect((await bench.api.post(url('')).send(twice).expect(409)).body).toMatchObject({
      error: { message: expect.stringContaining('another delivery is writing the files of "twice"') as string },
    });
    await bench.api.post(`/api/deliveries/${id}/cancel`).send({}).expect(200);
    const next = (await bench.api.post(url('')).send(twice).expect(201)).body as Delivery;
    expect((await bench.api.post(`/api/deliveries/${id}/resume`).send({}).expect(409)).body).toMatchObject({ error: { code: 'conflict' } });
    await bench.api.post(`/api/deliveries/${next.id}/cancel`).send({}).expect(200);
  });
});

describe('the shot as a document', () => {
  const order = { ...range, name: 'farm', existing: 'changed' };
  const read = async () =>
    (await bench.api.post(`/api/shots/${shotId}/document`).send({ deliver: order }).expect(200)).body as ShotDocumentText;

  test('is rendered by the command line without database, frame by frame the same as here', async () => {
    const document = await read(),
      media = path.join(bench.data, 'media/marsh/heron');
    expect(document.sequences.map((s) => s.folder)).toEqual(document.sequences.map(() => '.'));
    const file = path.join(media, 'heron.shot.json'),
      out = path.join(bench.data, 'farm');
    writeFileSync(file, JSON.stringify(document));
    const ivrex = (...args: string[]) => spawnSync('./ivrex', ['render', file, '--out', out, ...args], { cwd: ROOT, encoding: 'utf8' });
    const first = ivrex('--from', '1010', '--chunk', '1', '--log', 'openjd');
    expect([first.status, first.stdout]).toEqual([
      0,
      expect.stringMatching(/^openjd_progress: 100.0\nopenjd_status: frame 1010 made in [\d.]+ s\n$/),
    ]);
    const rest = ivrex('--log', 'lines', '--json');
    expect(rest.stderr).toMatch(/frame 1010 kept, 1 of 2\n.*frame 1011 made in [\d.]+ s, 2 of 2/);
    expect(JSON.parse(rest.stdout)).toMatchObject({ frames: 2, made: 1, kept: 1 });
    await deliver(order);
    for (const frame of [1010, 1011])
      expect(sum(path.join(out, `heron/farm/farm.${frame}.exr`))).toBe(sum(path.join(root, `farm/farm.${frame}.exr`)));
    expect(readFileSync(path.join(out, 'heron/farm/farm.sha256'), 'utf8')).toBe(readFileSync(path.join(root, 'farm/farm.sha256'), 'utf8'));
    rmSync(file);
    expect(ivrex().status).toBe(1);
    expect(ivrex('--finish', '--frames', '1010').status).toBe(2);
  }, 120000);

  test('comes with a job for farms: a task for every few frames, then the last part', async () => {
    const job = (
      await bench.api
        .post(`/api/shots/${shotId}/job-template`)
        .send({ ...order, lastFrame: 1014 })
        .expect(200)
    ).body as {
      specificationVersion: string;
      steps: {
        name: string;
        parameterSpace?: { taskParameterDefinitions: object[] };
        dependencies?: object[];
        script: { actions: { onRun: { args: string[] } } };
      }[];
    };
    expect(job.specificationVersion).toBe('jobtemplate-2023-09');
    const [frames, last] = job.steps;
    expect(frames.parameterSpace?.taskParameterDefinitions).toEqual([{ name: 'First', type: 'INT', range: '1010' }]);
    expect(frames.script.actions.onRun.args.slice(-4)).toEqual(['--from', '{{Task.Param.First}}', '--chunk', '4']);
    expect(last).toMatchObject({ dependencies: [{ dependsOn: 'Frames' }] });
  });

  test('gives its settings to a shot with the same passes, and says which are missing', async () => {
    const document = await read();
    const before = ((await bench.api.get(`/api/shots/${shotId}`)).body as ShotDetail).settings;
    // As another database has it: every id is another one.
    const elsewhere = JSON.parse(
      JSON.stringify(document).replace(/[0-9a-f]{8}(-[0-9a-f]{4}){3}-/g, '00000000-0000-4000-8000-'),
    ) as ShotDocumentText;
    const changed = { ...elsewhere, settings: { ...elsewhere.settings, samples: 33 } };
    const taken = (await bench.api.post(`/api/shots/${shotId}/take-over`).send(changed).expect(200)).body as ShotDetail;
    expect(taken.settings).toEqual({ ...before, samples: 33 });
    await bench.api.post(`/api/shots/${shotId}/undo`).send({}).expect(200);
    const other = { ...elsewhere, sequences: elsewhere.sequences.map((s) => ({ ...s, name: `otter_${s.name}` })) };
    expect((await bench.api.post(`/api/shots/${shotId}/take-over`).send(other).expect(422)).body).toMatchObject({
      error: { message: expect.stringMatching(/other passes: otter_heron\.####\.exr/) as string },
    });
  });
});

describe('ranges', () => {
  test('a worker that calls the folders otherwise makes the same files where it sees them, and all know of them', async () => {
    const { services } = bench,
      there = path.join(bench.data, 'volumes');
    cpSync(path.join(bench.data, 'media/marsh'), path.join(there, 'marsh'), { recursive: true });
    const { id } = (
      await bench.api
        .post(url(''))
        .send({ ...range, name: 'mapped' })
        .expect(201)
    ).body as Delivery;
    const mappings = [
      { from: path.join(bench.data, 'media'), to: there },
      { from: path.join(bench.data, 'deliveries'), to: path.join(there, 'out') },
    ];
    const { signal } = new AbortController();
    for (const frame of [1010, 1011]) expect(await renderAt(services, id, frame, signal, mappings)).toBe('made');
    expect(existsSync(path.join(root, 'mapped'))).toBe(false);
    for (const frame of [1010, 1011])
      expect(sum(path.join(there, `out/heron/mapped/mapped.${frame}.exr`))).toBe(sum(path.join(root, `full/full.${frame}.exr`)));
    cpSync(path.join(there, 'out/heron/mapped'), path.join(root, 'mapped'), { recursive: true });
    await bench.api.post(`/api/deliveries/${id}/cancel`).send({}).expect(200);
    expect((await deliver({ ...range, name: 'mapped' })).came).toEqual(['kept', 'kept']);
  }, 60000);

  test('every so manyth frame, with handles where the shot has them; gaps are said', async () => {
    expect((await plan({ name: 'r', firstFrame: 1011, lastFrame: 1013, handles: 1 })).frames).toEqual([1010, 1011, 1012, 1014]);
    const thin = await plan({ name: 'r', firstFrame: 1010, lastFrame: 1014, every: 2 });
    expect([thin.frames, thin.missing]).toEqual([[1010, 1012, 1014], []]);
    expect((await plan({ name: 'r', firstFrame: 1010, lastFrame: 1014 })).missing).toEqual([1013]);
  });

  test('a delivery that is paused goes on where it was', async () => {
    const { services } = bench;
    const { id } = (
      await bench.api
        .post(url(''))
        .send({ ...range, name: 'paused' })
        .expect(201)
    ).body as Delivery;
    expect(await renderAt(services, id, 1010)).toBe('made');
    await bench.api.post(`/api/deliveries/${id}/pause`).send({}).expect(200);
    expect(await renderAt(services, id, 1011)).toBe('not mine');
    expect((await bench.api.post(`/api/deliveries/${id}/resume`).send({}).expect(200)).body).toMatchObject({ state: 'running' });
    expect(await renderAt(services, id, 1011)).toBe('made');
    await bench.api.put(`/api/deliveries/${id}/priority`).send({ priority: 'top' }).expect(400);
    await bench.api.put(`/api/deliveries/${id}/priority`).send({ priority: 'high' }).expect(200);
  }, 60000);
});

describe('movies', () => {
  interface Stream {
    readonly codec_name: string;
    readonly nb_read_frames: string;
    readonly pix_fmt: string;
    readonly r_frame_rate: string;
  }
  const probe = (movie: string) =>
    (
      JSON.parse(
        spawnSync('ffprobe', ['-v', 'error', '-count_frames', '-show_streams', '-of', 'json', movie], { encoding: 'utf8' }).stdout,
      ) as { streams: Stream[] }
    ).streams[0];

  const SIZE = FRAME.width * FRAME.height * 3;
  /** As ffmpeg decodes it, 8 bits. */
  function framesOf(movie: string): Buffer[] {
    const args = ['-v', 'error', '-i', movie, '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'];
    const { stdout } = spawnSync('ffmpeg', args, { maxBuffer: 2 ** 27 });
    return [0, 1].map((i) => stdout.subarray(i * SIZE, (i + 1) * SIZE));
  }
  /** Mean difference in 8-bit steps inside these rows and columns. */
  function meanSteps(a: Uint8Array, b: Uint8Array, top: number, bottom: number, left = 0, right: number = FRAME.width): number {
    let sum = 0;
    for (let y = top; y < bottom; y++)
      for (let i = (y * FRAME.width + left) * 3; i < (y * FRAME.width + right) * 3; i++) sum += Math.abs(a[i] - b[i]);
    return sum / ((bottom - top) * (right - left) * 3);
  }
  /** The delivered OpenEXR frame over black, with the sRGB curve. */
  async function expectedAt(frame: number): Promise<Uint8Array> {
    const host = await loadNodeHost(bench.services.config.kernelsWasm);
    const { rgba } = await loadPicture({ file: path.join(root, `full/full.${frame}.exr`), part: 0, layer: '' }, host);
    return Uint8Array.from(viewColours(rgba, 'srgb'), (v) => Math.round(v * 255));
  }

  test.each([
    ['h264', 'mp4', 'yuv420p', 'h264'],
    ['prores', 'mov', 'yuv422p10le', 'prores'],
    ['mjpeg', 'mov', 'yuvj422p', 'mjpeg'],
  ])(
    '%s: every frame once, as it looks through the display transform',
    async (codec, extension, pixels, name) => {
      const order = { ...range, name: `look_${codec}`, form: { kind: 'movie', codec, burnIn: false } };
      const { delivery } = await deliver(order);
      expect(delivery).toMatchObject({ state: 'done', error: null });
      const folder = path.join(root, `look_${codec}`),
        movie = path.join(folder, `look_${codec}.${extension}`);
      expect(readdirSync(folder).sort()).toEqual(['', '.sha256', '.shot.json'].map((beside) => `look_${codec}.${extension}${beside}`));
      expect(probe(movie)).toMatchObject({ codec_name: name, nb_read_frames: '2', pix_fmt: pixels, r_frame_rate: '24/1' });
      const seen = framesOf(movie);
      for (const [i, frame] of [1010, 1011].entries()) {
        const expected = await expectedAt(frame);
        expect(meanSteps(seen[i], expected, 0, FRAME.height)).toBeLessThan(1.2);
        // No other frame comes as close.
        expect(meanSteps(seen[1 - i], expected, 0, FRAME.height)).toBeGreaterThan(2 * meanSteps(seen[i], expected, 0, FRAME.height));
      }
    },
    120000,
  );

  test('made again of the same nothing is rendered; burnt-in words and the number of each frame stand in the picture', async () => {
    const order = { ...range, name: 'look_h264', form: { kind: 'movie', codec: 'h264', burnIn: false } };
    expect((await deliver(order)).came).toEqual(['kept', 'kept']);
    const burnt = await deliver({ ...order, name: 'burnt', form: { ...order.form, burnIn: true } });
    expect(burnt.delivery).toMatchObject({ state: 'done', error: null });
    expect(burnt.came).toEqual(['made', 'made']);
    const [plain, words] = ['look_h264', 'burnt'].map((name) => framesOf(path.join(root, `${name}/${name}.mp4`)));
    for (const i of [0, 1]) {
      expect(meanSteps(words[i], plain[i], 0, 220)).toBeLessThan(0.5);
      expect(meanSteps(words[i], plain[i], 250, 270, 0, 240)).toBeGreaterThan(5);
      expect(meanSteps(words[i], plain[i], 250, 270, 440, 480)).toBeGreaterThan(5);
    }
    // The number is that of the frame, the rest stays.
    expect(meanSteps(words[0], words[1], 250, 270, 440, 480)).toBeGreaterThan(1);
    expect(meanSteps(words[0], words[1], 250, 270, 0, 240)).toBeLessThan(0.5);
  }, 60000);

  test('a lone element has its own shutter burnt in; another rate makes the movie anew', async () => {
    const shot = (await bench.api.get(`/api/shots/${shotId}`).expect(200)).body as ShotDetail,
      [main] = shot.settings.elements;
    const save = async (settings: Partial<ShotDetail['settings']>) => {
      const { state } = (await bench.api.get(`/api/shots/${shotId}`).expect(200)).body as ShotDetail;
      const change = { label: 'Second', basedOn: state.sequence, settings: { ...shot.settings, ...settings } };
      await bench.api.put(`/api/shots/${shotId}/settings`).send(change).expect(200);
    };
    const elements = [
      main,
      { ...main, id: 'second', name: 'second', shutter: { ...shot.settings.shutter, opens: -0.1, closes: 0.1 } },
    ] as typeof shot.settings.elements;
    await save({ elements });
    const order = { ...range, form: { kind: 'movie', codec: 'mjpeg', burnIn: true } };
    const alone = { ...order, name: 'alone', what: [{ kind: 'element', element: 'second' }] };
    await deliver({ ...order, name: 'main' });
    expect((await deliver(alone)).came).toEqual(['made', 'made']);
    const movie = path.join(root, 'alone/alone.mov');
    const [mine, others] = [framesOf(movie)[0], framesOf(path.join(root, 'main/main.mov'))[0]];
    expect(meanSteps(mine, others, 250, 270, 0, 240)).toBeGreaterThan(2);
    expect((await deliver(alone)).came).toEqual(['kept', 'kept']);
    await save({ elements, fps: 25 });
    expect((await deliver(alone)).came).toEqual(['made', 'made']);
    expect(probe(movie).r_frame_rate).toBe('25/1');
    await save({});
  }, 60000);
});
