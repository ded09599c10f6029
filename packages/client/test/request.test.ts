import { packRaster, type PassId, type ShotDetail } from '@ivrex/contract';
import { z } from 'zod';
import { forgetRasters, isRasterReady, loadRaster, onRasterReady, stampPasses } from '../src/api/raster-cache';
import { ApiError, requestJson } from '../src/api/request';

const answers: (() => Promise<Response>)[] = [];
const asked: string[] = [];
beforeEach(() => {
  answers.length = asked.length = 0;
  forgetRasters();
  globalThis.fetch = ((address: string) => {
    asked.push(address);
    const next = answers.shift();
    return next === undefined ? Promise.reject(new Error('nothing was to be asked')) : next();
  }) as typeof fetch;
});
const answer = (body: unknown, status = 200) => answers.push(() => Promise.resolve(new Response(JSON.stringify(body), { status })));
const NUMBER = z.object({ n: z.number() });

describe('a request', () => {
  test('gives what fits its schema', async () => {
    answer({ n: 4 });
    expect(await requestJson(NUMBER, '/shots')).toEqual({ n: 4 });
    expect(asked).toEqual(['/api/shots']);
  });
  test('that is refused says why, in the words of the server', async () => {
    answer({ error: { code: 'missingFrame', message: 'frame 1004 is missing', file: '/a/b.exr' } }, 404);
    await expect(requestJson(NUMBER, '/x')).rejects.toMatchObject({ status: 404, code: 'missingFrame', file: '/a/b.exr' });
  });
  test('that fails without words still has a sentence', async () => {
    answers.push(() => Promise.resolve(new Response('<html>', { status: 502 })));
    await expect(requestJson(NUMBER, '/x')).rejects.toMatchObject({ status: 502, message: 'The server answered 502 without saying why.' });
  });
  test('that nobody answers says what to do', async () => {
    answers.push(() => Promise.reject(new TypeError('fetch failed')));
    const error = await requestJson(NUMBER, '/x').catch((e: unknown) => e);
    expect(error).toBeInstanceOf(ApiError);
    expect(error).toMatchObject({ status: 0, code: 'unreachable' });
  });
});

describe('frames in memory', () => {
  const pass = 'p1' as PassId;
  const stamp = (offset: number, curve = 'linear') =>
    stampPasses({
      passes: [{ id: pass, offset, usual: { curve: 'linear', alpha: { kind: 'premultiplied' } } }],
      settings: { readings: { [pass]: { curve, alpha: { kind: 'premultiplied' } } } },
      look: 'now',
    } as unknown as ShotDetail);
  const raster = (value: number) => {
    const packed = packRaster({ width: 1, height: 1, format: 'planes32f', names: ['Z'] }, [Float32Array.of(value)]);
    answers.push(() => Promise.resolve(new Response(packed as Uint8Array<ArrayBuffer>)));
  };
  const valueOf = async (frame: number) => (await loadRaster(pass, frame, 'planes')).planes[0][0];
  beforeEach(() => stamp(0));

  test('are asked for once, also by those who ask meanwhile', async () => {
    raster(7);
    expect(await Promise.all([valueOf(1001), valueOf(1001)])).toEqual([7, 7]);
    expect(await valueOf(1001)).toBe(7);
    expect(asked).toEqual(['/api/passes/p1/frames/1001?form=planes&every=1']);
    expect([isRasterReady(pass, 1001, 'planes'), isRasterReady(pass, 1002, 'planes')]).toEqual([true, false]);
  });
  test('that failed are asked for again', async () => {
    answer({ error: { code: 'missingFrame', message: 'frame 1001 is missing' } }, 404);
    await expect(valueOf(1001)).rejects.toThrow('frame 1001 is missing');
    raster(8);
    expect(await valueOf(1001)).toBe(8);
  });
  test('are other ones under another offset; another curve changes pictures, not data', async () => {
    raster(1);
    await valueOf(1001);
    stamp(1);
    raster(2);
    expect(await valueOf(1001)).toBe(2);
    stamp(1, 'srgb');
    expect(await valueOf(1001)).toBe(2);
    expect(asked).toHaveLength(2);
  });
  test('that were on their way when files changed are not kept', async () => {
    let arrive: () => void = () => undefined;
    const packed = packRaster({ width: 1, height: 1, format: 'planes32f', names: ['Z'] }, [Float32Array.of(3)]);
    answers.push(() => new Promise((resolve) => (arrive = () => resolve(new Response(packed as Uint8Array<ArrayBuffer>)))));
    const old = valueOf(1001);
    forgetRasters();
    raster(4);
    const fresh = valueOf(1001);
    arrive();
    expect([await old, await fresh]).toEqual([3, 4]);
    expect(await valueOf(1001)).toBe(4);
  });
  test('are told of when they arrive', async () => {
    let heard = 0;
    const stop = onRasterReady(() => heard++);
    raster(1);
    await valueOf(1001);
    stop();
    raster(2);
    await valueOf(1002);
    expect(heard).toBe(1);
  });
});
