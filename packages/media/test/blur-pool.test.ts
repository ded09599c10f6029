import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { IvrexError } from '@ivrex/core';
import { BlurPool } from '../src';

const ROOT = path.join(__dirname, '../../..');
const pool = new BlurPool({
  workerFile: path.join(ROOT, 'packages/server/dist/media-worker.mjs'),
  kernelsWasm: path.join(ROOT, 'packages/kernels/build/kernels.wasm'),
  threads: 1,
});
const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-pool-'));

afterAll(async () => {
  await pool.close();
  rmSync(folder, { recursive: true });
});

test('a file that is being written when its task is cancelled comes out whole, and nothing half-written is left', async () => {
  const [width, height] = [2048, 1024];
  const window = { xMin: 0, yMin: 0, xMax: width - 1, yMax: height - 1 };
  const picture = { displayWindow: window, rgba: new Float32Array(width * height * 4).fill(0.18), attributes: new Map(), made: 'grey' };
  const stop = new AbortController();
  const saved = pool.save(picture, path.join(folder, 'grey.exr'), 'float', 'none', stop.signal);
  while (readdirSync(folder).length === 0) await setImmediate();
  stop.abort();
  await saved;
  expect(readdirSync(folder)).toEqual(['grey.exr']);
  await expect(pool.save(picture, path.join(folder, 'other.exr'), 'float', 'none', stop.signal)).rejects.toThrow(IvrexError);
  expect(readdirSync(folder)).toEqual(['grey.exr']);
}, 60000);
