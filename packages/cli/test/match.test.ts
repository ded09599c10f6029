import { copyFileSync } from 'node:fs';
import path from 'node:path';
import { HERON, HERONS, inputs, ivrex, json, scratch } from './run-ivrex';

const GRAINY = path.join(HERONS, 'TC_010_heron_ref.####.exr'),
  CLEAN = path.join(HERONS, 'TC_010_heron_blur180.1008.exr');
const at1008 = HERON.replace('####', '1008');

describe('match', () => {
  test('the shutter of a grainy reference in a sequence: 144 degrees that open on the frame', async () => {
    const found = json(await ivrex('match', '--reference', GRAINY, ...inputs(), '--frames', '1006-1010', '--json')) as unknown as {
      [name in 'opens' | 'closes' | 'angle' | 'strength' | 'maskedPsnr' | 'residual']: number;
    } & { frames: { frame: number }[] };
    process.stdout.write(
      `TC_010, grainy reference: ${found.angle.toFixed(2)} degrees from ${found.opens.toFixed(4)}, ${found.maskedPsnr.toFixed(1)} dB\n`,
    );
    expect(Math.abs(found.opens)).toBeLessThan(0.05);
    expect(Math.abs(found.closes - 0.4)).toBeLessThan(0.05);
    expect(Math.abs(found.angle - 144)).toBeLessThan(8);
    expect(found).toMatchObject({ strength: 1, frames: [{ frame: 1006 }] });
    expect(found.maskedPsnr).toBeGreaterThan(30);
    expect(found.residual).toBeGreaterThan(0);
  });
  test('in words: a lone reference without noise, and how sure it is', async () => {
    const { stdout, status } = await ivrex('match', '--reference', CLEAN, ...inputs(at1008));
    expect(status).toBe(0);
    expect(stdout).toMatch(/opens -0\.2\d+ ± 0\.00\d+, closes 0\.2\d+ ± 0\.00\d+ frames: 1[78]\d\.\d degrees/);
    expect(Number(/masked psnr ([\d.]+) dB/.exec(stdout)?.[1])).toBeGreaterThan(38);
    expect(stdout).toContain('confidence 1.00');
  });
  test('what is given stays, and the strength is found', async () => {
    const held = json(await ivrex('match', '--reference', CLEAN, ...inputs(at1008), '--opens', '-0.5', '--closes', '0.5', '--json'));
    expect(held).toMatchObject({ opens: -0.5, closes: 0.5, angle: 360 });
    expect(held.strength as number).toBeCloseTo(0.5, 1);
  });
  test('wrong use and references that do not fit are said in one line', async () => {
    expect(await ivrex('match', '--reference', CLEAN, ...inputs(at1008), '--opens', '0.5', '--closes', '0')).toMatchObject({
      status: 2,
      stdout: '',
      stderr: expect.stringContaining('--closes must lie after --opens') as string,
    });
    expect((await ivrex('match', '--reference', CLEAN, ...inputs())).stderr).toContain('lone file');
    const elsewhere = path.join(scratch(), 'ref.2001.exr');
    copyFileSync(CLEAN, elsewhere);
    expect(await ivrex('match', '--reference', elsewhere.replace('2001', '####'), ...inputs())).toMatchObject({
      status: 1,
      stdout: '',
      stderr: expect.stringContaining('no frame of the reference') as string,
    });
  });
});
