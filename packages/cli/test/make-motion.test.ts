import { copyFileSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { rawPixels } from '@ivrex/core';
import { FileReader, loadNodeHost } from '@ivrex/media';
import { DEMO, ivrex, json, ROOT, wheelEncoding } from './run-ivrex';

const FLOAT = path.join(DEMO, 'TC_040/TC_040_float.####.exr');

const scratch = () => mkdtempSync(path.join(tmpdir(), 'ivrex-make-'));
const derive = (out: string, ...args: string[]) =>
  ivrex('derive', '--beauty', FLOAT, '--out', path.join(out, 'm.####.exr'), '--json', ...args);

async function planesOf(file: string, layer = ''): Promise<Map<string, Float32Array>> {
  const host = await loadNodeHost(path.join(ROOT, 'packages/kernels/build/kernels.wasm'));
  return (await new FileReader(host).planes({ file, part: 0, layer }, null)).planes;
}

beforeAll(() => {
  if (!existsSync(path.join(DEMO, 'TC_040'))) throw new Error('the demo frames are not made; run "npm test", which makes them first');
});

test('derived from headers and depth: a pass that blurs and is read back as what it is', async () => {
  const out = scratch();
  const answered = json(await derive(out, '--depth', `${FLOAT}::depth`, '--frames', '1001-1004'));
  expect(answered).toMatchObject({ frames: 4, reached: 1, depthKind: 'alongView' });
  expect(answered.warnings).toEqual([expect.stringContaining('beside frame 1001')]);
  expect(readdirSync(out).sort()).toEqual(['m.1001.exr', 'm.1002.exr', 'm.1003.exr', 'm.1004.exr']);
  const read = json(
    await ivrex('identify', '--beauty', FLOAT, '--motion', path.join(out, 'm.####.exr'), '--frame', '1003', '--json'),
  ) as never as {
    encoding: { fullScale: object; zero: number; sets: { x: string }[] };
    confidence: number;
  };
  expect(read.confidence).toBeGreaterThan(0.8);
  expect(read.encoding).toMatchObject({ zero: 0, fullScale: { stored: 1, equals: 1, unit: 'px' } });
  // The encoding that comes with it is what the other commands take.
  const encoding = path.join(out, 'made.json');
  writeFileSync(encoding, JSON.stringify(answered.encoding));
  const audit = json(await ivrex('audit', '--motion', path.join(out, 'm.####.exr'), '--encoding', encoding, '--frames', '1002', '--json'));
  expect(audit).toMatchObject({ frames: [{ clipped: 0, nan: 0, invalid: 0 }] });
});

test('a track as a file says the same as the headers', async () => {
  const out = scratch();
  const probe = json(await ivrex('probe', FLOAT.replace('####', '1002'), '--json')) as never as {
    parts: { attributes: Record<string, { value: number[] }> }[];
  };
  const { worldToNDC } = probe.parts[0].attributes;
  expect(worldToNDC.value).toHaveLength(16);
  const frames = [];
  for (const frame of [1001, 1002, 1003]) {
    const facts = json(await ivrex('probe', FLOAT.replace('####', String(frame)), '--json')) as never as typeof probe;
    frames.push({ frame, worldToNDC: facts.parts[0].attributes.worldToNDC.value });
  }
  const track = path.join(out, 'truck.json');
  writeFileSync(track, JSON.stringify({ ivrexCamera: 1, frames }));
  const common = ['--depth', `${FLOAT}::depth`, '--frames', '1002'];
  mkdirSync(path.join(out, 'a'));
  mkdirSync(path.join(out, 'b'));
  const a = json(await derive(path.join(out, 'a'), ...common)),
    b = json(await derive(path.join(out, 'b'), ...common, '--camera', track));
  expect(a.warnings).toEqual([]);
  expect(b.peakPx).toBe(a.peakPx);
  const compared = json(await ivrex('compare', `${path.join(out, 'a/m.1002.exr')}`, `${path.join(out, 'b/m.1002.exr')}`, '--json'));
  expect(compared.maxAbs).toBe(0);
});

test('estimated: within 0.3 px in the median, with its own trust, and only where a neighbour is', async () => {
  // Without the float: what it mirrors moves otherwise than its glass, and only the pictures know (light-passes.test.ts).
  const out = scratch(),
    mill = FLOAT.replace('float', 'mill');
  const answered = json(await ivrex('estimate', '--beauty', mill, '--out', path.join(out, 'm.####.exr'), '--frames', '1008', '--json'));
  expect(answered.frames).toBe(1);
  expect(answered.trusted).toBeGreaterThan(0.3);
  const probe = json(await ivrex('probe', path.join(out, 'm.1008.exr'), '--stats', '--json')) as never as {
    parts: { layers: { channels: { name: string; min: number; max: number }[] }[] }[];
  };
  const channels = probe.parts[0].layers[0].channels;
  expect(channels.map((c) => c.name)).toEqual(['nextX', 'nextY', 'prevX', 'prevY', 'trust']);
  const trust = channels.find((c) => c.name === 'trust');
  expect([trust?.min, (trust?.max ?? 0) <= 1]).toEqual([0, true]);
  // Against the derived vectors, which are exact here.
  mkdirSync(path.join(out, 'truth'));
  const truth = path.join(out, 'truth/m.####.exr'),
    where = ['--depth', `${mill}::depth`, '--depth-kind', 'view', '--frames', '1008'];
  json(await ivrex('derive', '--beauty', mill, '--out', truth, ...where, '--json'));
  const { all, trusted } = await errorsOf(path.join(out, 'm.1008.exr'), truth.replace('####', '1008'), 'nextX', 'nextY', 0);
  expect(all).toHaveLength(480 * 270);
  expect(at(all, 0.5)).toBeLessThan(0.3);
  expect(trusted.length).toBeGreaterThan(0.25 * all.length);
  // 0.77 at this size.
  expect(at(trusted, 0.95)).toBeLessThan(0.9);

  const lone = path.join(out, 'alone.exr');
  copyFileSync(FLOAT.replace('####', '1008'), lone);
  const refused = await ivrex('estimate', '--beauty', lone, '--out', path.join(out, 'n.exr'));
  expect(refused).toMatchObject({ status: 1, stdout: '' });
  expect(refused.stderr).toContain('the frame before or after');
});

test('estimated: wheels that turn, with their rings and teeth', async () => {
  const out = scratch(),
    wheels = path.join(DEMO, 'TC_020');
  const raw = path.join(out, 'raw.json');
  writeFileSync(raw, JSON.stringify(rawPixels('R', 'G')));
  const motion = path.join(wheels, 'motion/TC_020_motion.####.png'),
    truth = path.join(out, 'truth.####.exr');
  // The pass is numbered one frame late.
  json(
    await ivrex(
      'remap',
      '--motion',
      motion,
      '--from',
      wheelEncoding(out),
      '--to',
      raw,
      '--out',
      truth,
      '--type',
      'float',
      '--frames',
      '1006',
      '--json',
    ),
  );
  json(
    await ivrex(
      'estimate',
      '--beauty',
      path.join(wheels, 'beauty/TC_020_beauty.####.exr'),
      '--out',
      path.join(out, 'm.####.exr'),
      '--frames',
      '1005',
      '--json',
    ),
  );
  const { all, trusted } = await errorsOf(path.join(out, 'm.1005.exr'), path.join(out, 'truth.1006.exr'), 'R', 'G', 0.5);
  expect(all.length).toBeGreaterThan(25000);
  expect(at(all, 0.5)).toBeLessThan(0.15);
  expect(at(trusted, 0.9)).toBeLessThan(1);
});

test('estimated: a wing that turns by 13 degrees a frame and repeats along its feathers', async () => {
  const out = scratch(),
    heron = path.join(DEMO, 'TC_010/TC_010_heron.####.exr');
  json(await ivrex('estimate', '--beauty', heron, '--out', path.join(out, 'm.####.exr'), '--frames', '1008', '--json'));
  // Up to 20 px of motion.
  const { all } = await errorsOf(
    path.join(out, 'm.1008.exr'),
    heron.replace('####', '1008'),
    'motion.nextX',
    'motion.nextY',
    0.5,
    'motion',
    20,
  );
  expect(all.length).toBeGreaterThan(5000);
  expect(at(all, 0.5)).toBeLessThan(0.6);
  process.stdout.write(
    `estimated wing of frame 1008, median error ${at(all, 0.5).toFixed(2)} px, 90 % within ${at(all, 0.9).toFixed(1)} px\n`,
  );
});

/** Distances from the truth where it moves more than `leastPx`, ascending: everywhere, and where the trust is above 0.8. */
async function errorsOf(
  file: string,
  truthFile: string,
  x: string,
  y: string,
  leastPx: number,
  layer = '',
  mostPx = Infinity,
): Promise<{ all: number[]; trusted: number[] }> {
  const made = await planesOf(file),
    truth = await planesOf(truthFile, layer);
  const plane = (of: Map<string, Float32Array>, name: string) => of.get(name) ?? new Float32Array(0);
  const [u, v, tu, tv, trust] = [plane(made, 'nextX'), plane(made, 'nextY'), plane(truth, x), plane(truth, y), plane(made, 'trust')];
  const all: number[] = [],
    trusted: number[] = [];
  for (let i = 0; i < tu.length; i++) {
    const speed = Math.hypot(tu[i], tv[i]);
    if (speed < leastPx || speed > mostPx) continue;
    const error = Math.hypot(u[i] - tu[i], v[i] - tv[i]);
    all.push(error);
    if (trust[i] > 0.8) trusted.push(error);
  }
  return { all: all.sort((a, b) => a - b), trusted: trusted.sort((a, b) => a - b) };
}

function at(sorted: readonly number[], share: number): number {
  return sorted[Math.floor(share * (sorted.length - 1))];
}

test('wrong usage and what is missing are said, and nothing is written', async () => {
  const out = scratch();
  expect(await derive(out)).toMatchObject({ status: 2, stderr: 'ivrex: give one of --depth, --position and --card\n' });
  expect((await derive(out, '--card', '5', '--velocity', FLOAT)).stderr).toContain('belong together');
  expect(await ivrex('derive', '--beauty', FLOAT, '--card', '5', '--out', FLOAT)).toMatchObject({ status: 2 });
  expect(await ivrex('estimate', '--beauty', FLOAT, '--out', path.join(out, 'm.####.png'))).toMatchObject({ status: 2 });
  const heron = path.join(DEMO, 'TC_010/TC_010_heron.####.exr');
  const noCamera = await ivrex('derive', '--beauty', heron, '--depth', `${heron}::depth`, '--out', path.join(out, 'm.####.exr'));
  expect(noCamera).toMatchObject({ status: 1, stdout: '' });
  expect(noCamera.stderr).toContain('no header holds worldToNDC');
  const bad = path.join(out, 'truck.json');
  writeFileSync(bad, '{"ivrexCamera":2}');
  expect((await derive(out, '--card', '5', '--camera', bad)).stderr).toContain('this is no camera track');
  expect(readdirSync(out)).toEqual(['truck.json']);
  expect(readFileSync(bad, 'utf8')).toBe('{"ivrexCamera":2}');
});
