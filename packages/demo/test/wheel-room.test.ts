import { existsSync } from 'node:fs';
import path from 'node:path';
import { cryptomatteId, matteOf, parseCubeLut, planeOnDisplay, rankPlanes } from '@ivrex/core';
import { loadNodeHost, openImage, tryFindDamage, type NodeHost } from '@ivrex/media';
import { readFileSync } from 'node:fs';

const MADE = path.join(__dirname, '../../../.cache/demo/small');
const wheel = (file: string) => path.join(MADE, 'TC_020', file);
let host: NodeHost;
beforeAll(async () => {
  if (!existsSync(MADE)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
  host = await loadNodeHost(path.join(__dirname, '../../kernels/build/kernels.wasm'));
});

async function planes(file: string): Promise<Map<string, Float32Array>> {
  const image = await (await openImage(wheel(file), host)).decode(0, null);
  return new Map(image.planes.map((p) => [p.name, planeOnDisplay(image, p)]));
}

test('it arrives as it should: a gap, a frame cut off, motion one late', async () => {
  expect(existsSync(wheel('beauty/TC_020_beauty.1013.exr'))).toBe(false);
  expect(await tryFindDamage(wheel('beauty/TC_020_beauty.1019.exr'))).toMatchObject({ code: 'truncated' });
  expect(await tryFindDamage(wheel('beauty/TC_020_beauty.1018.exr'))).toBeNull();
  expect([existsSync(wheel('motion/TC_020_motion.1001.png')), existsSync(wheel('motion/TC_020_motion.1025.png'))]).toEqual([false, true]);
});

test('a matte is the coverage that the Cryptomatte has of its object, and all objects make up the alpha', async () => {
  const objects = await planes('objects/TC_020_objects.1006.exr');
  const ranks = rankPlanes([...objects].map(([name, data]) => ({ name: name.replace('wheel_objects', ''), data })));
  const pendulum = matteOf(ranks, new Set([cryptomatteId('pendulum')]));
  const matte = (await planes('mattes/TC_020_pendulum_matte.1006.tif')).get('Y') ?? new Float32Array(0);
  const alpha = (await planes('beauty/TC_020_beauty.1006.exr')).get('A') ?? new Float32Array(0);
  let seen = 0;
  for (let i = 0; i < matte.length; i += 7) {
    if (pendulum[i] > 0.5) seen++;
    if (Math.abs(matte[i] - pendulum[i]) > 0.003) throw new Error(`pixel ${i}: matte ${matte[i]}, Cryptomatte ${pendulum[i]}`);
    const whole = ranks.coverages.reduce((sum, plane) => sum + plane[i], 0);
    if (Math.abs(whole - alpha[i]) > 0.004) throw new Error(`pixel ${i}: objects cover ${whole}, alpha is ${alpha[i]}`);
  }
  expect(seen).toBeGreaterThan(120);
});

test('the motion went through a curve: what stands still reads 0.73; the tide wheel turns the other way round', async () => {
  const motion = await planes('motion/TC_020_motion.1007.png');
  const x = motion.get('R') ?? new Float32Array(0),
    y = motion.get('G') ?? new Float32Array(0);
  const rest = Math.round(0.5 ** (1 / 2.2) * 65535) / 65535;
  expect(x[2 * 480 + 2]).toBeCloseTo(rest, 7);
  // Above the axle of the great wheel (154, 208) and of the tide wheel (812, 356), in units of 960 x 540; y is stored upwards.
  const above = (cx: number, cy: number, r: number) => x[Math.round((cy - r) / 2) * 480 + cx / 2] - rest;
  expect(above(154, 208, 150)).toBeGreaterThan(0.01);
  expect(above(812, 356, 112)).toBeLessThan(-0.01);
  const right = y[104 * 480 + 77 + 75] - rest;
  expect(right).toBeLessThan(-0.01);
});

test('exactly two frames of the motion leave its range', async () => {
  const clipped: number[] = [];
  for (let file = 1002; file <= 1025; file++) {
    const motion = await planes(`motion/TC_020_motion.${file}.png`);
    if (['R', 'G'].some((name) => motion.get(name)?.some((v) => v === 0 || v === 1))) clipped.push(file - 1);
  }
  expect(clipped).toEqual([1010, 1020]);
});

test('the look is a table that can be read', () => {
  expect(parseCubeLut(readFileSync(path.join(MADE, 'look/tidal_clock_evening.cube'), 'utf8'))).toMatchObject({ kind: 'cube', size: 33 });
});
