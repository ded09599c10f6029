import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, readdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { BUILT, centred, HERON, HERON_ENCODING, HERONS, inputs, ivrex, json, ROOT, scratch, startIvrex } from './run-ivrex';

const FIXTURES = path.join(ROOT, 'packages/core/test/fixtures');

beforeAll(() => {
  if (!existsSync(HERONS)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
});

describe('probe', () => {
  test('a sequence as JSON: counts, windows, layers, types, attributes', async () => {
    const result = startIvrex('probe', HERON, '--stats', '--json'),
      facts = json(result) as never as {
        files: number;
        frames: number[];
        missing: number[];
        warnings: string[];
        parts: {
          width: number;
          dataWindow: number[];
          compression: string;
          layers: { name: string; channels: { name: string; type: string; min: number; nan: number }[] }[];
          attributes: Record<string, unknown>;
        }[];
      };
    expect(result.status).toBe(0);
    expect(result.stderr).toBe('');
    expect([facts.files, facts.frames, facts.missing, facts.warnings]).toEqual([24, [1001, 1024], [], []]);
    const [part] = facts.parts;
    expect([part.width, part.dataWindow, part.compression]).toEqual([480, [0, 0, 479, 269], 'zip']);
    expect(part.layers.map((l) => [l.name, l.channels.map((c) => `${c.name}:${c.type}`).join(' ')])).toEqual([
      ['', 'A:half B:half G:half R:half'],
      ['depth', 'Z:half'],
      ['id', 'object:uint'],
      ['motion', 'nextX:half nextY:half prevX:half prevY:half'],
    ]);
    expect(part.attributes.framesPerSecond).toEqual({ type: 'rational', value: [24, 1] });
    expect(part.layers[0].channels[0]).toMatchObject({ min: 0, nan: 0 });
  });
  test("the statistics are those that the reference library's tool finds", async () => {
    const stats = execFileSync('oiiotool', ['--stats', path.join(FIXTURES, 'float-zip.exr')], { encoding: 'utf8' });
    const means = (/Stats Avg: ([^(]*)/.exec(stats)?.[1] ?? '').trim().split(/\s+/).map(Number);
    const facts = json(await ivrex('probe', path.join(FIXTURES, 'float-zip.exr'), '--stats', '--json')) as never as {
      parts: { layers: { channels: { name: string; mean: number }[] }[] }[];
    };
    const ours = new Map(facts.parts[0].layers[0].channels.map((c) => [c.name, c.mean]));
    ['R', 'G', 'B', 'A'].forEach((name, i) =>
      expect(Math.abs((ours.get(name) ?? NaN) - means[i])).toBeLessThan(2e-5 * Math.max(1, Math.abs(means[i]))),
    );
  });
  test("what can't be read is one line on stderr, exit 1, and nothing on stdout", async () => {
    const folder = scratch(),
      text = path.join(folder, 'notes.exr');
    writeFileSync(text, 'the heron comes at dusk\n');
    expect(startIvrex('probe', text, '--json')).toEqual(
      expect.objectContaining({
        status: 1,
        stdout: '',
        stderr: expect.stringMatching(/^ivrex: .*notes\.exr: this is not an OpenEXR, TIFF, PNG, JPEG or DPX picture.*\n$/) as string,
      }),
    );
    expect(await ivrex('probe', path.join(folder, 'none.####.exr'))).toEqual(
      expect.objectContaining({ status: 1, stdout: '', stderr: expect.stringContaining('no file matches') as string }),
    );
  });
  test('a wrong call is exit 2', async () => {
    expect(startIvrex('prob', HERON)).toMatchObject({ status: 2, stdout: '', stderr: expect.stringMatching(/^ivrex: .*\n$/) as string });
    for (const args of [
      ['probe'],
      ['prob', HERON],
      ['probe', HERON, '--frames', 'x'],
      ['blur', ...inputs(), '--out', 'x.exr'],
      ['blur', ...inputs(), '--out', 'x.####.exr', '--angle', '180'],
      ['blur', ...inputs(), '--out', 'x.####.exr', ...centred, '--threads', '0'],
    ]) {
      const result = await ivrex(...args);
      expect([args.join(' '), result.status, result.stdout]).toEqual([args.join(' '), 2, '']);
    }
  });
});

describe('compare', () => {
  const sharp = path.join(HERONS, 'TC_010_heron.1012.exr'),
    truth = path.join(HERONS, 'TC_010_heron_blur180.1012.exr');
  test('a picture with itself', async () => {
    expect(json(await ivrex('compare', sharp, sharp, '--json'))).toMatchObject({ psnr: null, equal: true, maxAbs: 0, meanAbs: 0, ssim: 1 });
  });
  test("agrees with the reference library's tool on mean and largest difference", async () => {
    const ours = json(await ivrex('compare', sharp, truth, '--sharp', sharp, '--json'));
    const only = path.join(scratch(), 'colour.exr');
    execFileSync('oiiotool', [sharp, '--ch', 'R,G,B,A', '-d', 'half', '-o', only]);
    const theirs = spawnSync('idiff', ['-fail', '0', '-warn', '0', only, truth], { encoding: 'utf8' }).stdout;
    expect(ours.meanAbs as number).toBeCloseTo(Number(/Mean error = ([\d.e+-]+)/.exec(theirs)?.[1]), 5);
    expect(ours.maxAbs as number).toBeCloseTo(Number(/Max error  = ([\d.e+-]+)/.exec(theirs)?.[1]), 4);
    expect(ours.maskedPsnr as number).toBeLessThan(ours.psnr as number);
  });
  test('different sizes are exit 1', async () => {
    expect(await ivrex('compare', sharp, path.join(FIXTURES, 'half-zip.exr'))).toEqual(
      expect.objectContaining({ status: 1, stdout: '', stderr: expect.stringContaining('37 x 21') as string }),
    );
  });
});

describe('blur', () => {
  /** By size and frame: dB of masked PSNR, 1 below what is measured. */
  const GOALS: readonly (readonly [string, Readonly<Record<number, number>>])[] = [
    ['golden', { 1008: 43.2 }],
    ['small', { 1004: 35.7, 1008: 38.3, 1012: 39.5, 1016: 39.1, 1020: 37 }],
  ];
  test.each(GOALS)('TC_010 (%s) under 180 degrees centred is as near to the true blur as it was', async (size, goals) => {
    const folder = path.join(ROOT, '.cache/demo', size, 'TC_010'),
      heron = path.join(folder, 'TC_010_heron.####.exr'),
      out = path.join(scratch(), 'b.####.exr');
    for (const [frame, goal] of Object.entries(goals)) {
      expect(await ivrex('blur', ...inputs(heron), ...centred, '--out', out, '--frames', frame)).toMatchObject({ status: 0 });
      const truth = path.join(folder, `TC_010_heron_blur180.${frame}.exr`),
        result = json(await ivrex('compare', out.replace('####', frame), truth, '--sharp', heron.replace('####', frame), '--json'));
      process.stdout.write(`TC_010 ${size} ${frame}: ${(result.maskedPsnr as number).toFixed(2)} dB\n`);
      expect(result.maskedPsnr as number).toBeGreaterThanOrEqual(goal);
    }
  });
  test('told to stop it ends, and leaves whole frames only', async () => {
    const folder = scratch();
    const started = spawn(process.execPath, [BUILT, 'blur', ...inputs(), ...centred, '--out', path.join(folder, 'b.####.exr')]);
    const ended = new Promise<number | null>((resolve) => started.once('exit', resolve));
    let said = '';
    started.stderr.on('data', (data: Buffer) => (said += data.toString()));
    while (!readdirSync(folder).some((name) => name.endsWith('.exr'))) await new Promise((next) => setTimeout(next, 20));
    started.kill('SIGINT');
    expect([await ended, said]).toEqual([1, expect.stringContaining('cancelled') as string]);
    const names = readdirSync(folder);
    expect(names.length).toBeLessThan(24);
    expect(names.filter((name) => !/^b\.\d{4}\.exr$/.test(name))).toEqual([]);
  });
  test('the result does not depend on the number of threads', async () => {
    const folder = scratch();
    for (const threads of ['1', '3'])
      expect(
        await ivrex(
          'blur',
          ...inputs(),
          ...centred,
          '--out',
          path.join(folder, `${threads}.####.exr`),
          '--frames',
          '1010',
          '--threads',
          threads,
          '--quality',
          'draft',
        ),
      ).toMatchObject({ status: 0 });
    expect(readFileSync(path.join(folder, '1.1010.exr')).equals(readFileSync(path.join(folder, '3.1010.exr')))).toBe(true);
  });
  test('neighbouring frames outside --frames are used, unless hidden areas are off; a background that is missing is named', async () => {
    const out = path.join(scratch(), 'h.####.exr'),
      report = async (...more: string[]) =>
        (
          json(await ivrex('blur', ...inputs(), ...centred, '--out', out, '--frames', '1012', '--quality', 'draft', '--json', ...more)) as {
            report: { seenShare: number; neighbours: string[] };
          }
        ).report;
    const seen = await report();
    expect(seen).toMatchObject({ neighbours: ['before', 'after'] });
    expect(seen.seenShare).toBeGreaterThan(0.003);
    expect(await report('--hidden', 'off')).toMatchObject({ seenShare: 0 });
    expect(
      await ivrex('blur', ...inputs(), ...centred, '--out', out, '--frames', '1012', '--background', '/nowhere/b.####.exr'),
    ).toMatchObject({
      status: 1,
      stdout: '',
      stderr: expect.stringContaining('/nowhere') as string,
    });
    expect(await ivrex('blur', ...inputs(), ...centred, '--out', out, '--hidden', 'often')).toMatchObject({ status: 2 });
  });
  test("the neighbouring frames' blur is mixed in, unless it is switched off; drafts leave it out and say so", async () => {
    const folder = scratch(),
      made = async (name: string, ...more: string[]) => {
        const out = path.join(folder, `${name}.####.exr`),
          { report } = json(await ivrex('blur', ...inputs(), ...centred, '--out', out, '--frames', '1010', '--json', ...more)) as {
            report: { mixed: string[]; mixedShare: number; notes: string[] };
          };
        return { ...report, bytes: readFileSync(path.join(folder, `${name}.1010.exr`)) };
      };
    const both = await made('both'),
      off = await made('off', '--both-frames', 'off'),
      draft = await made('draft', '--quality', 'draft');
    expect(both.mixed).toEqual(['before', 'after']);
    expect(both.mixedShare).toBeGreaterThan(0.05);
    expect(both.bytes.toString('latin1')).toContain('mixed with the frame before and the frame after');
    expect(off).toMatchObject({ mixed: [], mixedShare: 0 });
    expect(off.bytes.equals(both.bytes)).toBe(false);
    expect(draft.mixed).toEqual([]);
    expect(draft.notes.join()).toContain('draft');
    expect((await made('again')).bytes.equals(both.bytes)).toBe(true);
  });
  test('a whole shutter as a document: the same bytes as by options, its keys by frame, and no options beside it', async () => {
    const folder = scratch(),
      document = path.join(folder, 'shutter.json'),
      draft = (name: string, ...more: string[]) =>
        ivrex('blur', ...inputs(), ...more, '--out', path.join(folder, `${name}.####.exr`), '--quality', 'draft', '--frames', '1010-1011');
    const shutter = { opens: -0.25, closes: 0.25, strength: 1, shape: { kind: 'ramps', opening: 0.25, closing: 0.5 }, ceilingPx: 30 };
    writeFileSync(document, JSON.stringify(shutter));
    expect(await draft('a', '--shutter', document)).toMatchObject({ status: 0 });
    expect(await draft('b', ...centred, '--exposure', 'ramps:0.25,0.5', '--ceiling', '30')).toMatchObject({ status: 0 });
    const bytes = (name: string) => readFileSync(path.join(folder, `${name}.exr`));
    expect(bytes('a.1010').equals(bytes('b.1010'))).toBe(true);
    const keys = [
      { frame: 1010, strength: 0, way: 'hold' },
      { frame: 1011, strength: 1, way: 'hold' },
    ];
    writeFileSync(document, JSON.stringify({ ...shutter, keys }));
    expect(await draft('c', '--shutter', document)).toMatchObject({ status: 0 });
    const sharp = HERON.replace('####', '1010');
    expect(json(await ivrex('compare', path.join(folder, 'c.1010.exr'), sharp, '--json'))).toMatchObject({ maxAbs: 0 });
    expect(bytes('c.1011').equals(bytes('a.1011'))).toBe(true);
    expect(await draft('d', '--shutter', document, ...centred)).toMatchObject({
      status: 2,
      stderr: expect.stringContaining('leave out') as string,
    });
    expect((await draft('d', ...centred, '--exposure', 'comb')).stderr).toContain('ramps:OPENING,CLOSING');
    writeFileSync(document, JSON.stringify({ ...shutter, floorPx: 40 }));
    expect(await draft('d', '--shutter', document)).toMatchObject({
      status: 1,
      stderr: expect.stringContaining('floor must not lie above') as string,
    });
  });
  test("a written frame is valid to the reference library, premultiplied RGBA with the beauty's attributes", async () => {
    const folder = scratch();
    const result = await ivrex(
      'blur',
      ...inputs(),
      '--opens',
      '0',
      '--closes',
      '0.5',
      '--out',
      path.join(folder, 'b.####.exr'),
      '--frames',
      '1010',
      '--quality',
      'draft',
      '--type',
      'float',
      '--json',
    );
    expect(json(result)).toMatchObject({
      frames: 1,
      shutter: { angle: 180 },
      report: { pathModel: 'arc', layersFrom: 'ids', orderFrom: 'depth' },
    });
    const header = execFileSync('exrheader', [path.join(folder, 'b.1010.exr')], { encoding: 'utf8' });
    expect(header).toMatch(/A, 32-bit floating-point[\s\S]*B, 32[\s\S]*G, 32[\s\S]*R, 32/);
    expect(header).toContain('framesPerSecond (type rational): 24/1');
    expect(header).toMatch(
      /ivrexBlur \(type string\): "shutter 0 to 0.5 frames, strength 1, exposure even; paths arc.*surfaces by ids.*up to \d+ slices"/,
    );
    expect(readdirSync(folder)).toEqual(['b.1010.exr']);
  });
  test('one truncated frame is named, the others are written, exit 1', async () => {
    const folder = scratch(),
      out = path.join(folder, 'out');
    for (const frame of [1010, 1011, 1013]) copyFileSync(HERON.replace('####', `${frame}`), path.join(folder, `h.${frame}.exr`));
    truncateSync(path.join(folder, 'h.1011.exr'), 60000);
    const result = await ivrex(
      'blur',
      ...inputs(path.join(folder, 'h.####.exr')),
      ...centred,
      '--out',
      path.join(out, 'b.####.exr'),
      '--quality',
      'draft',
    );
    expect(result.status).toBe(1);
    expect(result.stdout).toBe('');
    expect(result.stderr).toMatch(/h\.1011\.exr: the picture is incomplete/);
    expect(result.stderr).toMatch(/frames 1012 are missing/);
    expect(readdirSync(out).sort()).toEqual(['b.1010.exr', 'b.1013.exr']);
  });
  test('a motion pass of half the size is scaled, with a warning', async () => {
    const folder = scratch(),
      small = path.join(folder, 'm.1010.exr');
    execFileSync('oiiotool', [
      HERON.replace('####', '1010'),
      '--ch',
      'motion.nextX,motion.nextY,motion.prevX,motion.prevY',
      '--resize:filter=box',
      '240x135',
      '--mulc',
      '0.5',
      '-d',
      'half',
      '-o',
      small,
    ]);
    const result = await ivrex(
      'blur',
      '--beauty',
      HERON,
      '--motion',
      `${path.join(folder, 'm.####.exr')}::motion`,
      '--encoding',
      HERON_ENCODING,
      ...centred,
      '--out',
      path.join(folder, 'b.####.exr'),
      '--frames',
      '1010',
      '--quality',
      'draft',
      '--json',
    );
    expect(result.status).toBe(0);
    expect(result.stderr).toContain('240 x 135');
    const figures = json(await ivrex('compare', path.join(folder, 'b.1010.exr'), HERON.replace('####', '1010'), '--json'));
    expect(figures.maxAbs as number).toBeGreaterThan(0.1);
  });
  test('an encoding that does not fit is said with its place', async () => {
    const folder = scratch(),
      bad = path.join(folder, 'bad.json');
    const run = () =>
      ivrex(
        'blur',
        '--beauty',
        HERON,
        '--motion',
        `${HERON}::motion`,
        '--encoding',
        bad,
        ...centred,
        '--out',
        path.join(folder, 'b.####.exr'),
        '--frames',
        '1010',
      );
    writeFileSync(bad, '{ "ivrexEncoding": 1, ');
    expect((await run()).stderr).toContain('this is not JSON');
    writeFileSync(bad, JSON.stringify({ ...(JSON.parse(readFileSync(HERON_ENCODING, 'utf8')) as object), zero: 1 }));
    expect((await run()).stderr).toContain('fullScale.stored and zero must differ');
    writeFileSync(bad, readFileSync(HERON_ENCODING, 'utf8').replace('nextX', 'sideways'));
    expect((await run()).stderr).toMatch(/names channel "sideways".*nextX, nextY, prevX, prevY/);
  });
});
