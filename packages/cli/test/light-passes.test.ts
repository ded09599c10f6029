import { existsSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { FileReader, loadNodeHost } from '@ivrex/media';
import { DEMO, ivrex, json, ROOT } from './run-ivrex';

/** TC_040: lanterns that run behind the camera are mirrored in the float, and move otherwise than its glass. */
const SHOT = path.join(DEMO, 'TC_040'),
  FLOAT = path.join(SHOT, 'TC_040_float.####.exr'),
  LIGHT = `${FLOAT}::reflection`,
  REFERENCE = path.join(SHOT, 'TC_040_float_blur180.1006.exr');
const out = mkdtempSync(path.join(tmpdir(), 'ivrex-light-')),
  surface = path.join(out, 'surface.####.exr'),
  reflected = path.join(out, 'reflected.####.exr'),
  encoding = path.join(out, 'encoding.json');
const common = ['--beauty', FLOAT, '--motion', surface, '--encoding', encoding, '--depth', `${FLOAT}::depth`, '--frames', '1006-1006'];

beforeAll(async () => {
  if (!existsSync(REFERENCE)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
  const derived = await ivrex(
    'derive',
    '--beauty',
    FLOAT,
    '--depth',
    `${FLOAT}::depth`,
    '--out',
    surface,
    '--frames',
    '1005-1007',
    '--json',
  );
  writeFileSync(encoding, JSON.stringify(json(derived).encoding));
  const estimated = await ivrex('estimate', '--beauty', LIGHT, '--out', reflected, '--frames', '1005-1007', '--json');
  expect(json(estimated).encoding).toEqual(json(derived).encoding);
}, 120000);

async function picture(file: string): Promise<Map<string, Float32Array>> {
  const host = await loadNodeHost(path.join(ROOT, 'packages/kernels/build/kernels.wasm'));
  return (await new FileReader(host).planes({ file, part: 0, layer: '' }, ['R', 'G', 'B'])).planes;
}

async function against(file: string): Promise<number> {
  const compared = json(
    await ivrex('compare', file, REFERENCE, '--sharp', path.join(SHOT, 'TC_040_float.1006.exr'), '--json'),
  ) as never as { maskedPsnr: number };
  return compared.maskedPsnr;
}

test('a reflection that is blurred apart, by motion that is estimated from its own frames, comes nearer to the truth', async () => {
  const blurred = async (name: string, ...more: string[]) => {
    const to = path.join(out, `${name}.####.exr`);
    const answered = json(await ivrex('blur', ...common, '--angle', '180', '--align', 'centre', '--out', to, ...more, '--json'));
    expect(JSON.stringify(answered)).not.toContain('no part of it');
    return against(to.replace('####', '1006'));
  };
  const whole = await blurred('whole'),
    apart = await blurred('apart', '--light', LIGHT, '--light-motion', reflected);
  process.stdout.write(`TC_040 at 480 x 270: ${whole.toFixed(2)} dB as a whole, ${apart.toFixed(2)} dB with its reflection apart\n`);
  expect(apart).toBeGreaterThan(whole + 3);
}, 120000);

test('without an exposure the sum of the parts is the picture', async () => {
  const to = path.join(out, 'still.####.exr');
  await ivrex(
    'blur',
    ...common,
    '--opens',
    '0',
    '--closes',
    '0',
    '--type',
    'float',
    '--out',
    to,
    '--light',
    LIGHT,
    '--light-motion',
    reflected,
  );
  const [sum, beauty] = [await picture(to.replace('####', '1006')), await picture(path.join(SHOT, 'TC_040_float.1006.exr'))];
  let most = 0;
  for (const [name, plane] of beauty) plane.forEach((v, i) => (most = Math.max(most, Math.abs(v - (sum.get(name)?.[i] ?? NaN)))));
  expect(most).toBeLessThan(2e-3);
}, 120000);

test('what does not belong together is said', async () => {
  const to = path.join(out, 'never.####.exr');
  const blur = (...more: string[]) => ivrex('blur', ...common, '--angle', '180', '--align', 'centre', '--out', to, ...more);
  expect((await blur('--light', LIGHT)).stderr).toContain('give a --light-motion for each --light: there are 1 light passes and 0 motion');
  const two = await blur('--light', LIGHT, '--light-motion', reflected, '--light-encoding', encoding, '--light-encoding', encoding);
  expect(two).toMatchObject({ status: 2, stderr: expect.stringContaining('or none: there are 1 light passes and 2 encodings') as string });
  // Another shot's plate.
  const plate = path.join(DEMO, 'TC_010/TC_010_plate.####.exr');
  const foreign = await blur('--quality', 'draft', '--light', plate, '--light-motion', surface);
  expect(foreign.stderr).toMatch(/% of what is lit in the light pass TC_010_plate\.\d+\.exr is brighter than the beauty/);
  const other = await blur('--light', path.join(DEMO, 'other.####.exr'), '--light-motion', reflected);
  expect(other.stderr).toContain('no file matches');
}, 120000);
