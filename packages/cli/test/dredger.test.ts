import { existsSync, mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { DEMO, ivrex, json } from './run-ivrex';

/** TC_050 as other renderers write: motion to the next frame in half floats, y up, one id, and 1e6 in the depth pass where nothing is. */
const SHOT = path.join(DEMO, 'TC_050'),
  DREDGER = path.join(SHOT, 'TC_050_dredger.####.exr'),
  REFERENCE = path.join(SHOT, 'TC_050_dredger_ref.####.exr');
const out = mkdtempSync(path.join(tmpdir(), 'ivrex-dredger-')),
  encoding = path.join(out, 'encoding.json');
const passes = ['--beauty', DREDGER, '--motion', `${DREDGER}::velocity`, '--encoding', encoding, '--depth', `${DREDGER}::depth`];

beforeAll(() => {
  if (!existsSync(SHOT)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
});

test('how its passes are stored is found from the pictures', async () => {
  const found = json(await ivrex('identify', '--beauty', DREDGER, '--motion', `${DREDGER}::velocity`, '--json'));
  expect(found).toMatchObject({
    encoding: {
      sets: [{ x: 'x', y: 'y', covers: { from: 0, to: 1, unit: 'frames' } }],
      zero: 0,
      fullScale: { stored: 1, equals: 1, unit: 'px' },
      axes: { x: 'right', y: 'up' },
    },
    findings: [],
  });
  expect(found.confidence).toBeGreaterThan(0.9);
  writeFileSync(encoding, JSON.stringify(found.encoding));
  const depth = await ivrex('depth', ...passes);
  expect(depth.stdout).toContain('smaller is nearer, 1e6 is nothing');
});

test('its blur comes near to what was rendered with the shutter open, and nearer with the frames around it', async () => {
  for (const frame of ['1005', '1011']) {
    const near: number[] = [];
    for (const both of ['auto', 'off']) {
      const to = path.join(out, `${both}.####.exr`);
      await ivrex(
        ...['blur', ...passes, '--ids', `${DREDGER}::id`, '--opens', '-0.24', '--closes', '0.24'],
        ...['--both-frames', both, '--frames', `${frame}-${frame}`, '--out', to, '--json'],
      );
      const at = (pattern: string) => pattern.replace('####', frame);
      near.push(json(await ivrex('compare', at(to), at(REFERENCE), '--sharp', at(DREDGER), '--json')).maskedPsnr as number);
    }
    process.stdout.write(`TC_050 ${frame}: ${near.map((v) => v.toFixed(2)).join(' dB, one frame alone ')} dB\n`);
    // Measured at this size: 36.6 and 36.8 dB.
    expect(near[0]).toBeGreaterThan(36);
    expect(near[0]).toBeGreaterThan(near[1] - 0.1);
  }
});

test('the shutter is found from the frames that were rendered with it', async () => {
  const found = json(await ivrex('match', ...passes, '--ids', `${DREDGER}::id`, '--reference', REFERENCE, '--json'));
  // 172.8 degrees about the frame; its grain is as fine as pixels here, which shortens what is found by 8 degrees (1.3 at full size).
  expect(Math.abs((found.angle as number) - 172.8)).toBeLessThan(12);
  expect(Math.abs((found.opens as number) + (found.closes as number))).toBeLessThan(0.01);
});
