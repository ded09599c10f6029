import { execFileSync } from 'node:child_process';
import { mkdirSync, renameSync } from 'node:fs';
import path from 'node:path';
import type { ShotDetail } from '@ivrex/contract';
import { DEMO, serverBench } from './server-bench';

/** Files are rendered anew: layers come and go, and what was decided waits for them. */

const bench = serverBench();
const folder = path.join(bench.data, 'media/marsh/rendered_anew');
const FRAMES = [1010, 1011];
let shot: ShotDetail;
const url = (rest = '') => `/api/shots/${shot.shot.id}${rest}`;
const lookAgain = async () => {
  await bench.api.post(url('/look-again')).expect(200);
  return (await bench.api.get(url()).expect(200)).body as ShotDetail;
};
/** Copies the heron's frames through the image tool. */
const render = (...args: string[]) => {
  for (const frame of FRAMES) {
    const file = path.join(folder, `heron.${frame}.exr`);
    execFileSync('oiiotool', [path.join(DEMO, `TC_010/TC_010_heron.${frame}.exr`), ...args, '-o', file]);
  }
};
const names = ({ passes }: ShotDetail) => passes.map((p) => p.name).sort();

beforeAll(async () => {
  mkdirSync(folder, { recursive: true });
  render();
  const { id } = (await bench.api.post('/api/shots').send({ folder }).expect(201)).body as { id: string };
  shot = (await bench.api.get(`/api/shots/${id}`).expect(200)).body as ShotDetail;
}, 60000);

test('a layer that was not rendered again leaves the list; who used it is told, and can do without it', async () => {
  const { depth } = shot.settings.elements[0];
  render('--ch', 'R,G,B,A,id.object,motion.prevX,motion.prevY,motion.nextX,motion.nextY');
  const without = await lookAgain();
  expect(names(without)).toEqual(names(shot).filter((name) => name !== 'depth'));
  expect(without.settings).toEqual(shot.settings);
  expect(without.findings).toContainEqual(
    expect.objectContaining({
      severity: 'error',
      message: expect.stringMatching(/^Layer depth is no longer in heron\.####\.exr, and \w+ uses it\.$/) as string,
      fixes: [{ label: 'Do without depth', fix: { kind: 'doWithout', passId: depth } }],
    }),
  );
});

test('when it is back it is the same pass, also from another part of the file', async () => {
  for (const frame of FRAMES) {
    const from = path.join(DEMO, `TC_010/TC_010_heron.${frame}.exr`);
    const parts = ['R,G,B,A', 'motion.prevX,motion.prevY,motion.nextX,motion.nextY', 'id.object', 'depth.Z'];
    const args = parts.flatMap((channels) => [from, '--ch', channels]);
    execFileSync('oiiotool', [...args, '--siappendall', '-o', path.join(folder, `heron.${frame}.exr`)]);
  }
  const back = await lookAgain();
  const known = new Map(shot.passes.map((p) => [p.name, p.id]));
  for (const { name, id } of back.passes) if (name !== 'heron') expect([name, id]).toEqual([name, known.get(name)]);
  expect(back.passes.find((p) => p.name === 'depth')?.part).toBeGreaterThan(0);
  expect(back.findings.filter((f) => f.message.includes('no longer'))).toEqual([]);
});

test('files that are away for a while are the same sequence when they are back', async () => {
  for (const frame of FRAMES) renameSync(path.join(folder, `heron.${frame}.exr`), path.join(bench.data, `heron.${frame}.exr`));
  execFileSync('oiiotool', ['--create', '64x36', '3', '-o', path.join(folder, 'slate.png')]);
  const away = await lookAgain();
  expect(names(away)).toEqual(['slate']);
  expect(away.findings.map((f) => f.message).join('\n')).toMatch(/heron\.####\.exr is no longer in the folder, and \w+ uses it/);
  for (const frame of FRAMES) renameSync(path.join(bench.data, `heron.${frame}.exr`), path.join(folder, `heron.${frame}.exr`));
  const back = await lookAgain();
  expect(back.passes.find((p) => p.id === back.settings.elements[0].motion)?.name).toBe('motion');
});
