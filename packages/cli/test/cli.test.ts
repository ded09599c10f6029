import { execFileSync, spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdtempSync, readdirSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import sharp from 'sharp';
import { DEMO, HERON_ENCODING, ivrex, json, ROOT, WHEEL_ENCODING } from './run-ivrex';

const HERONS = path.join(DEMO, 'TC_010');
const FIXTURES = path.join(ROOT, 'packages/core/test/fixtures');
const HERON = path.join(HERONS, 'TC_010_heron.####.exr');

const scratch = () => mkdtempSync(path.join(tmpdir(), 'ivrex-cli-'));
const inputs = (beauty = HERON) => [
  '--beauty',
  beauty,
  '--motion',
  `${beauty}::motion`,
  '--depth',
  `${beauty}::depth`,
  '--ids',
  `${beauty}::id`,
  '--encoding',
  HERON_ENCODING,
];
const centred = ['--angle', '180', '--align', 'centre'];

beforeAll(() => {
  if (!existsSync(HERONS)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
});

describe('probe', () => {
  test('a sequence as JSON: counts, windows, layers, types, attributes', () => {
    const result = ivrex('probe', HERON, '--stats', '--json'),
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
    expect([part.width, part.dataWindow, part.compression]).toEqual([960, [0, 0, 959, 539], 'zip']);
    expect(part.layers.map((l) => [l.name, l.channels.map((c) => `${c.name}:${c.type}`).join(' ')])).toEqual([
      ['', 'A:half B:half G:half R:half'],
      ['depth', 'Z:half'],
      ['id', 'object:uint'],
      ['motion', 'nextX:half nextY:half prevX:half prevY:half'],
    ]);
    expect(part.attributes.framesPerSecond).toEqual({ type: 'rational', value: [24, 1] });
    expect(part.layers[0].channels[0]).toMatchObject({ min: 0, nan: 0 });
  });
  test("the statistics are those that the reference library's tool finds", () => {
    const stats = execFileSync('oiiotool', ['--stats', path.join(FIXTURES, 'float-zip.exr')], { encoding: 'utf8' });
    const means = (/Stats Avg: ([^(]*)/.exec(stats)?.[1] ?? '').trim().split(/\s+/).map(Number);
    const facts = json(ivrex('probe', path.join(FIXTURES, 'float-zip.exr'), '--stats', '--json')) as never as {
      parts: { layers: { channels: { name: string; mean: number }[] }[] }[];
    };
    const ours = new Map(facts.parts[0].layers[0].channels.map((c) => [c.name, c.mean]));
    ['R', 'G', 'B', 'A'].forEach((name, i) =>
      expect(Math.abs((ours.get(name) ?? NaN) - means[i])).toBeLessThan(2e-5 * Math.max(1, Math.abs(means[i]))),
    );
  });
  test("what can't be read is one line on stderr, exit 1, and nothing on stdout", () => {
    const folder = scratch(),
      text = path.join(folder, 'notes.exr');
    writeFileSync(text, 'the heron comes at dusk\n');
    expect(ivrex('probe', text, '--json')).toEqual(
      expect.objectContaining({
        status: 1,
        stdout: '',
        stderr: expect.stringMatching(/^ivrex: .*notes\.exr: this is not an OpenEXR, TIFF, PNG, JPEG or DPX picture.*\n$/) as string,
      }),
    );
    expect(ivrex('probe', path.join(folder, 'none.####.exr'))).toEqual(
      expect.objectContaining({ status: 1, stdout: '', stderr: expect.stringContaining('no file matches') as string }),
    );
  });
  test('a wrong call is exit 2', () => {
    for (const args of [
      ['probe'],
      ['prob', HERON],
      ['probe', HERON, '--frames', 'x'],
      ['blur', ...inputs(), '--out', 'x.exr'],
      ['blur', ...inputs(), '--out', 'x.####.exr', '--angle', '180'],
      ['blur', ...inputs(), '--out', 'x.####.exr', ...centred, '--threads', '0'],
    ]) {
      const result = ivrex(...args);
      expect([args.join(' '), result.status, result.stdout]).toEqual([args.join(' '), 2, '']);
    }
  });
});

describe('compare', () => {
  const sharp = path.join(HERONS, 'TC_010_heron.1012.exr'),
    truth = path.join(HERONS, 'TC_010_heron_blur180.1012.exr');
  test('a picture with itself', () => {
    expect(json(ivrex('compare', sharp, sharp, '--json'))).toMatchObject({ psnr: null, equal: true, maxAbs: 0, meanAbs: 0, ssim: 1 });
  });
  test("agrees with the reference library's tool on mean and largest difference", () => {
    const ours = json(ivrex('compare', sharp, truth, '--sharp', sharp, '--json'));
    const only = path.join(scratch(), 'colour.exr');
    execFileSync('oiiotool', [sharp, '--ch', 'R,G,B,A', '-d', 'half', '-o', only]);
    const theirs = spawnSync('idiff', ['-fail', '0', '-warn', '0', only, truth], { encoding: 'utf8' }).stdout;
    expect(ours.meanAbs as number).toBeCloseTo(Number(/Mean error = ([\d.e+-]+)/.exec(theirs)?.[1]), 5);
    expect(ours.maxAbs as number).toBeCloseTo(Number(/Max error  = ([\d.e+-]+)/.exec(theirs)?.[1]), 4);
    expect(ours.maskedPsnr as number).toBeLessThan(ours.psnr as number);
  });
  test('different sizes are exit 1', () => {
    expect(ivrex('compare', sharp, path.join(FIXTURES, 'half-zip.exr'))).toEqual(
      expect.objectContaining({ status: 1, stdout: '', stderr: expect.stringContaining('37 x 21') as string }),
    );
  });
});

describe('blur', () => {
  test('TC_010 under 180 degrees centred, against the true blur: at least 34 dB on every reference frame', () => {
    const out = path.join(scratch(), 'b.####.exr'),
      figures: string[] = [];
    for (const frame of [1004, 1008, 1012, 1016, 1020]) {
      expect(ivrex('blur', ...inputs(), ...centred, '--out', out, '--frames', `${frame}`).status).toBe(0);
      const result = json(
        ivrex(
          'compare',
          out.replace('####', `${frame}`),
          path.join(HERONS, `TC_010_heron_blur180.${frame}.exr`),
          '--sharp',
          path.join(HERONS, `TC_010_heron.${frame}.exr`),
          '--json',
        ),
      );
      figures.push(`${frame}: ${(result.maskedPsnr as number).toFixed(2)} dB`);
      expect(result.maskedPsnr as number).toBeGreaterThanOrEqual(34);
    }
    process.stdout.write(`TC_010, 180 degrees centred, masked PSNR against the true blur: ${figures.join(', ')}\n`);
  });
  test('the result does not depend on the number of threads', () => {
    const folder = scratch();
    for (const threads of ['1', '3'])
      expect(
        ivrex(
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
        ).status,
      ).toBe(0);
    expect(readFileSync(path.join(folder, '1.1010.exr')).equals(readFileSync(path.join(folder, '3.1010.exr')))).toBe(true);
  });
  test("a written frame is valid to the reference library, premultiplied RGBA with the beauty's attributes", () => {
    const folder = scratch();
    const result = ivrex(
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
    expect(readdirSync(folder)).toEqual(['b.1010.exr']);
  });
  test('one truncated frame is named, the others are written, exit 1', () => {
    const folder = scratch(),
      out = path.join(folder, 'out');
    for (const frame of [1010, 1011, 1013]) copyFileSync(HERON.replace('####', `${frame}`), path.join(folder, `h.${frame}.exr`));
    truncateSync(path.join(folder, 'h.1011.exr'), 60000);
    const result = ivrex(
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
  test('a motion pass of half the size is scaled, with a warning', () => {
    const folder = scratch(),
      small = path.join(folder, 'm.1010.exr');
    execFileSync('oiiotool', [
      HERON.replace('####', '1010'),
      '--ch',
      'motion.nextX,motion.nextY,motion.prevX,motion.prevY',
      '--resize:filter=box',
      '480x270',
      '--mulc',
      '0.5',
      '-d',
      'half',
      '-o',
      small,
    ]);
    const result = ivrex(
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
    expect(result.stderr).toContain('480 x 270');
    const figures = json(ivrex('compare', path.join(folder, 'b.1010.exr'), HERON.replace('####', '1010'), '--json'));
    expect(figures.maxAbs as number).toBeGreaterThan(0.1);
  });
  test('an encoding that does not fit is said with its place', () => {
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
    expect(run().stderr).toContain('this is not JSON');
    writeFileSync(bad, JSON.stringify({ ...(JSON.parse(readFileSync(HERON_ENCODING, 'utf8')) as object), zero: 1 }));
    expect(run().stderr).toContain('fullScale.stored and zero must differ');
    writeFileSync(bad, readFileSync(HERON_ENCODING, 'utf8').replace('nextX', 'sideways'));
    expect(run().stderr).toMatch(/names channel "sideways".*nextX, nextY, prevX, prevY/);
  });
});

describe('the motion pass on the command line', () => {
  const WHEELS = path.join(DEMO, 'TC_020');
  const BEAUTY = path.join(WHEELS, 'beauty/TC_020_beauty.####.exr'),
    MOTION = path.join(WHEELS, 'motion/TC_020_motion.####.png');
  const folder = scratch();
  const saveEncoding = (name: string, encoding: object) => {
    const file = path.join(folder, name);
    writeFileSync(file, JSON.stringify(encoding));
    return file;
  };
  const from = WHEEL_ENCODING;
  // What the pictures can tell of it.
  const stored: Record<string, unknown> = { ...(JSON.parse(readFileSync(from, 'utf8')) as Record<string, unknown>) };
  delete stored.name;
  delete stored.note;

  test('identify finds curve, range, axes and the numbering, and says so', () => {
    const result = ivrex('identify', '--beauty', BEAUTY, '--motion', MOTION, '--frame', '1006', '--json');
    expect(result.stderr).toBe('');
    expect(json(result)).toMatchObject({
      encoding: { ...stored, sets: [{ x: 'R', y: 'G', length: null }] },
      frame: 1006,
      frameOffset: 1,
    });
    const { confidence, findings } = json(result) as {
      confidence: number;
      findings: { code: string; severity: string; message: string }[];
    };
    expect(confidence).toBeGreaterThan(0.85);
    expect(findings.filter((f) => f.severity === 'warning').map((f) => f.code)).toEqual(
      expect.arrayContaining(['curveOnData', 'frameOff']),
    );
    expect(findings.map((f) => f.message).join(' ')).toContain('no motion reads 0.730 instead of 0.5');
  });
  test('both sets of the heron are found in their channels', () => {
    const found = json(ivrex('identify', '--beauty', HERON, '--motion', `${HERON}::motion`, '--frame', '1008', '--json')) as {
      encoding: { sets: { x: string; y: string; covers: { to: number } }[] };
    };
    expect(found.encoding.sets.map((s) => [s.x, s.y, s.covers.to])).toEqual(
      expect.arrayContaining([
        ['nextX', 'nextY', 1],
        ['prevX', 'prevY', -1],
      ]),
    );
  });
  test('a frame without neighbours is answered with little confidence, not refused', () => {
    const lone = path.join(folder, 'lone.exr');
    copyFileSync(path.join(HERONS, 'TC_010_heron.1008.exr'), lone);
    const result = ivrex('identify', '--beauty', lone, '--motion', `${lone}::motion`, '--json');
    expect(result.status).toBe(0);
    expect(json(result)).toMatchObject({ frame: null, findings: [{ code: 'notMeasured', severity: 'info' }] });
    expect((json(result) as { confidence: number }).confidence).toBeLessThan(0.5);
  });
  test('a beauty that was rendered with blur is named, with what to do', () => {
    const blurred = path.join(HERONS, 'TC_010_heron_blur180.1012.exr');
    const { findings } = json(ivrex('identify', '--beauty', blurred, '--motion', `${HERON.replace('####', '1012')}::motion`, '--json')) as {
      findings: object[];
    };
    expect(findings).toContainEqual(expect.objectContaining({ code: 'blurredBeauty', severity: 'warning', mend: { kind: 'otherBeauty' } }));
  });
  test('a frame that is not there is named', () => {
    expect(ivrex('identify', '--beauty', BEAUTY, '--motion', MOTION, '--frame', '1013')).toMatchObject({
      status: 1,
      stdout: '',
      stderr: `ivrex: ${BEAUTY}: frame 1013 is not in both sequences\n`,
    });
  });

  test('audit names the clipped frames and the range to choose', () => {
    const result = json(ivrex('audit', '--motion', MOTION, '--encoding', from, '--frames', '1009-1013', '--json')) as never as {
      frames: { frame: number; peakPx: number; clipped: number }[];
      widestFrame: number;
      suggestedRangePx: number;
      clippedFrames: number[];
    };
    // The files are numbered one late: the shot's frame 1010 is file 1011.
    expect(result.clippedFrames).toEqual([1011]);
    expect([result.widestFrame, result.suggestedRangePx]).toEqual([1011, 40]);
    expect(result.frames.map((f) => f.frame)).toEqual([1009, 1010, 1011, 1012, 1013]);
  });

  /** Red and green as the reference library's tools read them, handed over as a float TIFF that another library opens. */
  const readOutside = async (file: string): Promise<{ r: Float32Array; g: Float32Array }> => {
    const tiff = path.join(folder, 'outside.tif');
    execFileSync('oiiotool', [file, '--ch', 'R,G,B=0', '-d', 'float', '--compression', 'none', '-o', tiff]);
    const raw = await sharp(tiff).toColourspace('scrgb').raw({ depth: 'float' }).toBuffer();
    const values = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.byteLength));
    return { r: values.filter((_, i) => i % 3 === 0), g: values.filter((_, i) => i % 3 === 1) };
  };
  const decodedOutside = async (file: string) => {
    const { r, g } = await readOutside(file);
    return Array.from(r, (v, i) => [(v ** 2.2 - 0.5) * 64, -(g[i] ** 2.2 - 0.5) * 64] as const);
  };

  test.each([
    ['float EXR, raw pixels', 'raw.####.exr', 'float', (r: number) => r, (g: number) => g],
    ['16-bit PNG, centred 40 px', 'centred.####.png', 'u16', (r: number) => (r - 0.5) * 80, (g: number) => (g - 0.5) * 80],
    ['8-bit TIFF, centred 40 px', 'centred8.####.tif', 'u8', (r: number) => (r - 0.5) * 80, (g: number) => (g - 0.5) * 80],
    ['float TIFF, raw pixels', 'raw.####.tif', 'float', (r: number) => r, (g: number) => g],
  ] as const)(
    'remap to %s: what an outside reader finds is the motion, within the error that was said',
    async (_, name, type, xOf, yOf) => {
      const centred = type === 'u16' || type === 'u8';
      const to = saveEncoding(`${name}.json`, {
        ivrexEncoding: 1,
        sets: [{ x: 'R', y: 'G', covers: { from: 0, to: 1, unit: 'frames' } }],
        zero: centred ? 0.5 : 0,
        fullScale: { stored: 1, equals: centred ? 40 : 1, unit: 'px' },
      });
      const result = ivrex(
        'remap',
        '--motion',
        MOTION,
        '--from',
        from,
        '--to',
        to,
        '--out',
        path.join(folder, name),
        '--type',
        type,
        '--frames',
        '1005',
        '--json',
      );
      expect(result.stderr).toBe('');
      const said = json(result) as { frames: number; predictedErrorPx: number; maxErrorPx: number; clippedPixels: number };
      expect([said.frames, said.clippedPixels]).toEqual([1, 0]);
      expect(said.maxErrorPx).toBeLessThanOrEqual(said.predictedErrorPx + 1e-5);
      const file = path.join(folder, name.replace('####', '1005'));
      const { r, g } = await readOutside(file),
        truth = await decodedOutside(path.join(WHEELS, 'motion/TC_020_motion.1005.png'));
      let worst = 0;
      truth.forEach(([x, y], i) => (worst = Math.max(worst, Math.hypot(xOf(r[i]) - x, yOf(g[i]) - y))));
      // The outside reader's own floats round a little.
      expect(worst).toBeLessThanOrEqual(said.predictedErrorPx + 2e-4);
      expect(worst).toBeGreaterThan(0.2 * said.maxErrorPx - 1e-4);
    },
  );
  test('repairs from a list: the clipped pendulum goes on beyond 32 px, and everything slower than the floor stays sharp', async () => {
    const list = (name: string, content: unknown) => saveEncoding(name, content as object);
    const to = saveEncoding('plain.json', {
      ivrexEncoding: 1,
      sets: [{ x: 'R', y: 'G', covers: { from: 0, to: 1, unit: 'frames' } }],
      zero: 0,
      fullScale: { stored: 1, equals: 1, unit: 'px' },
    });
    const longest = async (name: string, ...repairs: string[]) => {
      const out = path.join(folder, name);
      const args = ['--motion', MOTION, '--from', from, '--to', to, '--out', out, '--type', 'float', '--frames', '1011', ...repairs];
      expect(ivrex('remap', ...args).stderr).toBe('');
      return (await readOutside(out.replace('####', '1011'))).r.reduce((a, b) => Math.max(a, b), 0);
    };
    const fill = list('fill.json', [{ kind: 'fillHoles', on: true, clipped: true }]);
    expect(await longest('clipped.####.exr')).toBeLessThan(32.001);
    const mended = await longest('mended.####.exr', '--repairs', fill);
    expect([mended > 32.1, mended < 36]).toEqual([true, true]);

    const still = list('still.json', [{ kind: 'speedLimits', on: true, floorPx: 1000, ceilingPx: null }]),
      out = path.join(folder, 'still.####.exr'),
      blur = [...inputs(), ...centred, '--out', out, '--frames', '1012', '--quality', 'draft', '--type', 'float'];
    expect(ivrex('blur', ...blur, '--repairs', still).status).toBe(0);
    const sharpFrame = HERON.replace('####', '1012');
    // Blurred it is below 30 dB; edges of things that overlap are put together anew.
    expect((json(ivrex('compare', out.replace('####', '1012'), sharpFrame, '--json')) as { psnr: number }).psnr).toBeGreaterThan(45);
    const bad = list('bad.json', [{ kind: 'polish', on: true }]);
    expect(ivrex('blur', ...blur, '--repairs', bad)).toMatchObject({
      status: 1,
      stderr: expect.stringMatching(/^ivrex: .*bad\.json: this is no list of repairs: 0\.kind: /) as string,
    });
  });
  test('remap never writes over the pass, and says what a format cannot hold', () => {
    expect(ivrex('remap', '--motion', MOTION, '--from', from, '--to', from, '--out', MOTION)).toMatchObject({ status: 2, stdout: '' });
    const out = path.join(folder, 'no.####.png');
    expect(
      ivrex('remap', '--motion', MOTION, '--from', from, '--to', from, '--out', out, '--type', 'half', '--frames', '1005'),
    ).toMatchObject({
      status: 1,
      stderr: `ivrex: ${path.join(folder, 'no.1005.png')}: PNG holds whole numbers of 8 or 16 bits; choose u8 or u16, or write OpenEXR or TIFF\n`,
    });
    expect(existsSync(path.join(folder, 'no.1005.png'))).toBe(false);
  });
});
