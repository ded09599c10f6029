import { execFileSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import sharp from 'sharp';
import { centred, DEMO, HERON, HERONS, inputs, ivrex, json, scratch, wheelEncoding } from './run-ivrex';

beforeAll(() => {
  if (!existsSync(HERONS)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
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
  const from = wheelEncoding(folder);
  // What the pictures can tell of it.
  const stored: Record<string, unknown> = { ...(JSON.parse(readFileSync(from, 'utf8')) as Record<string, unknown>) };
  delete stored.name;
  delete stored.note;

  test('identify finds curve, range, axes and the numbering, and says so', async () => {
    // The wheels' speed changes here; where they turn evenly the file beside looks much like this one.
    const result = await ivrex('identify', '--beauty', BEAUTY, '--motion', MOTION, '--frame', '1002', '--json');
    expect(result.stderr).toBe('');
    expect(json(result)).toMatchObject({
      encoding: { ...stored, sets: [{ x: 'R', y: 'G', length: null }] },
      frame: 1002,
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
  test('both sets of the heron are found in their channels', async () => {
    const found = json(await ivrex('identify', '--beauty', HERON, '--motion', `${HERON}::motion`, '--frame', '1008', '--json')) as {
      encoding: { sets: { x: string; y: string; covers: { to: number } }[] };
    };
    expect(found.encoding.sets.map((s) => [s.x, s.y, s.covers.to])).toEqual(
      expect.arrayContaining([
        ['nextX', 'nextY', 1],
        ['prevX', 'prevY', -1],
      ]),
    );
  });
  test('a frame without neighbours is answered with little confidence, not refused', async () => {
    const lone = path.join(folder, 'lone.exr');
    copyFileSync(path.join(HERONS, 'TC_010_heron.1008.exr'), lone);
    const result = await ivrex('identify', '--beauty', lone, '--motion', `${lone}::motion`, '--json');
    expect(result.status).toBe(0);
    expect(json(result)).toMatchObject({ frame: null, findings: [{ code: 'notMeasured', severity: 'info' }] });
    expect((json(result) as { confidence: number }).confidence).toBeLessThan(0.5);
  });
  test('a beauty that was rendered with blur is named, with what to do', async () => {
    const blurred = path.join(HERONS, 'TC_010_heron_blur180.1012.exr');
    const { findings } = json(
      await ivrex('identify', '--beauty', blurred, '--motion', `${HERON.replace('####', '1012')}::motion`, '--json'),
    ) as {
      findings: object[];
    };
    expect(findings).toContainEqual(expect.objectContaining({ code: 'blurredBeauty', severity: 'warning', mend: { kind: 'otherBeauty' } }));
  });
  test('several frames are one answer, and one that is broken is left out of it', async () => {
    const some = path.join(folder, 'some');
    mkdirSync(some);
    for (let f = 1004; f <= 1009; f++) copyFileSync(HERON.replace('####', String(f)), path.join(some, `heron.${f}.exr`));
    const broken = path.join(some, 'heron.1006.exr');
    writeFileSync(broken, readFileSync(broken).subarray(0, 5000));
    const pattern = path.join(some, 'heron.####.exr');
    const found = json(await ivrex('identify', '--beauty', pattern, '--motion', `${pattern}::motion`, '--json')) as {
      frame: number;
      confidence: number;
      evidence: { frames: number[]; readings: { share: number }[] };
    };
    expect([...found.evidence.frames].sort()).toEqual([1005, 1007, 1008]);
    expect(found.evidence.frames[0]).toBe(found.frame);
    expect(found.evidence.readings[0].share).toBeGreaterThan(0.5);
  });
  test('a frame that is not there is named', async () => {
    expect(await ivrex('identify', '--beauty', BEAUTY, '--motion', MOTION, '--frame', '1013')).toMatchObject({
      status: 1,
      stdout: '',
      stderr: `ivrex: ${BEAUTY}: frame 1013 is not in both sequences\n`,
    });
  });

  test('audit names the clipped frames and the range to choose', async () => {
    const result = json(await ivrex('audit', '--motion', MOTION, '--encoding', from, '--frames', '1009-1013', '--json')) as never as {
      frames: { frame: number; peakPx: number; clipped: number }[];
      widestFrame: number;
      suggestedRangePx: number;
      clippedFrames: number[];
    };
    // The files are numbered one late: the shot's frame 1010 is file 1011.
    expect(result.clippedFrames).toEqual([1011]);
    expect([result.widestFrame, result.suggestedRangePx]).toEqual([1011, 20]);
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
    return Array.from(r, (v, i) => [(v ** 2.2 - 0.5) * 32, -(g[i] ** 2.2 - 0.5) * 32] as const);
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
      const result = await ivrex(
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
  test('repairs from a list: the clipped pendulum goes on beyond 16 px, and everything slower than the floor stays sharp', async () => {
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
      expect(await ivrex('remap', ...args)).toMatchObject({ stderr: '' });
      return (await readOutside(out.replace('####', '1011'))).r.reduce((a, b) => Math.max(a, b), 0);
    };
    const fill = list('fill.json', [{ kind: 'fillHoles', on: true, clipped: true }]);
    expect(await longest('clipped.####.exr')).toBeLessThan(16.001);
    const mended = await longest('mended.####.exr', '--repairs', fill);
    expect([mended > 16.05, mended < 18]).toEqual([true, true]);

    const still = list('still.json', [{ kind: 'speedLimits', on: true, floorPx: 1000, ceilingPx: null }]),
      out = path.join(folder, 'still.####.exr'),
      blur = [...inputs(), ...centred, '--out', out, '--frames', '1012', '--quality', 'draft', '--type', 'float'];
    expect(await ivrex('blur', ...blur, '--repairs', still)).toMatchObject({ status: 0 });
    const sharpFrame = HERON.replace('####', '1012');
    expect(json(await ivrex('compare', out.replace('####', '1012'), sharpFrame, '--json'))).toMatchObject({ maxAbs: 0 });
    const bad = list('bad.json', [{ kind: 'polish', on: true }]);
    expect(await ivrex('blur', ...blur, '--repairs', bad)).toMatchObject({
      status: 1,
      stderr: expect.stringMatching(/^ivrex: .*bad\.json: this is no list of repairs: 0\.kind: /) as string,
    });
  });
  test('remap never writes over the pass, and says what a format cannot hold', async () => {
    expect(await ivrex('remap', '--motion', MOTION, '--from', from, '--to', from, '--out', MOTION)).toMatchObject({
      status: 2,
      stdout: '',
    });
    const out = path.join(folder, 'no.####.png');
    expect(
      await ivrex('remap', '--motion', MOTION, '--from', from, '--to', from, '--out', out, '--type', 'half', '--frames', '1005'),
    ).toMatchObject({
      status: 1,
      stderr: `ivrex: ${path.join(folder, 'no.1005.png')}: PNG holds whole numbers of 8 or 16 bits; choose u8 or u16, or write OpenEXR or TIFF\n`,
    });
    expect(existsSync(path.join(folder, 'no.1005.png'))).toBe(false);
  });
});
