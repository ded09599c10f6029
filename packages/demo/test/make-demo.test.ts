import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { makeDemo, sizeOfWidth } from '../src';

const ROOT = path.join(__dirname, '../../..');
const MADE = path.join(ROOT, '.cache/demo/small');

test('only what is missing is made, in order, and it comes out the same to the byte', async () => {
  if (!existsSync(MADE)) throw new Error('the demo frames are not made; run "npm test", which makes them first');
  const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-demo-'));
  const gone = ['TC_010_heron.1001.exr', 'TC_010_heron.1024.exr', 'TC_010_plate.1003.exr'].map((name) => path.join('TC_010', name));
  cpSync(MADE, folder, { recursive: true });
  for (const file of gone) rmSync(path.join(folder, file));
  const told: string[] = [];
  await makeDemo({
    folder,
    size: sizeOfWidth(480),
    threads: 2,
    workerFile: path.join(ROOT, 'packages/demo/dist/demo-worker.mjs'),
    kernelsWasm: path.join(ROOT, 'packages/kernels/build/kernels.wasm'),
    onProgress: (done, total, open) => told.push(`${done} of ${total}: ${open.length}`),
  });
  expect(told).toEqual(['373 of 376: 3', '374 of 376: 2', '375 of 376: 1', '376 of 376: 0']);
  for (const file of gone) expect(readFileSync(path.join(folder, file)).equals(readFileSync(path.join(MADE, file)))).toBe(true);
  rmSync(folder, { recursive: true, force: true });
});
