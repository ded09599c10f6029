import { mkdirSync, mkdtempSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { encodeExr, rawPixels, windowOfSize, type Attribute, type Image, type IvrexError, type Plane } from '@ivrex/core';
import {
  chooseLayer,
  describeFolder,
  headerRate,
  layersOf,
  loadHeader,
  loadFramePasses,
  loadNodeHost,
  loadPicture,
  pictureChannels,
  tryFindDamage,
  type FrameSources,
  type NodeHost,
} from '../src';

let host: NodeHost;
beforeAll(async () => {
  host = await loadNodeHost(path.join(__dirname, '../../kernels/build/kernels.wasm'));
});

const scratch = () => mkdtempSync(path.join(tmpdir(), 'ivrex-pass-'));
const plane = (name: string, count: number, value: (i: number) => number): Plane => ({
  name,
  type: 'half',
  data: Float32Array.from({ length: count }, (_, i) => value(i)),
});

function save(
  file: string,
  planes: readonly Plane[],
  width: number,
  height: number,
  more: Partial<Image> = {},
  attributes?: ReadonlyMap<string, Attribute>,
): string {
  mkdirSync(path.dirname(file), { recursive: true });
  const window = windowOfSize(width, height);
  const options = attributes === undefined ? { compression: 'zip' as const } : { compression: 'zip' as const, attributes };
  writeFileSync(file, encodeExr({ displayWindow: window, dataWindow: window, planes, ...more }, options, host));
  return file;
}

const beautyPlanes = (count: number) => ['R', 'G', 'B', 'A'].map((name) => plane(name, count, () => 0.5));
const pass = (file: string, layer = '') => ({ file, part: 0, layer });

function sources(beauty: string, motion: string, more: Partial<FrameSources> = {}): FrameSources {
  return { beauty: pass(beauty), motion: pass(motion), depth: null, ids: null, encoding: rawPixels('x', 'y'), fps: null, ...more };
}

test('a motion pass of half the size: vectors are twice as long, and a warning says so', async () => {
  const folder = scratch();
  const beauty = save(path.join(folder, 'b.exr'), beautyPlanes(16 * 8), 16, 8);
  const motion = save(path.join(folder, 'm.exr'), [plane('x', 32, () => 3), plane('y', 32, () => -1)], 8, 4);
  const passes = await loadFramePasses(sources(beauty, motion), host);
  expect([passes.motion.width, passes.motion.height]).toEqual([16, 8]);
  expect([...new Set(passes.motion.toNext)].sort((a, b) => a - b)).toEqual([-2, 6]);
  expect(passes.warnings).toEqual([expect.stringContaining('the motion pass is 8 x 4, the beauty 16 x 8')]);
});

test('a data window inside the display window: nothing outside it, nothing lost inside', async () => {
  const folder = scratch();
  const dataWindow = { xMin: 3, yMin: 2, xMax: 6, yMax: 4 };
  const file = save(path.join(folder, 'b.exr'), beautyPlanes(12), 10, 8, { dataWindow });
  const picture = await loadPicture(pass(file), host);
  expect([picture.width, picture.height]).toEqual([10, 8]);
  for (let i = 0; i < 80; i++) {
    const inside = i % 10 >= 3 && i % 10 <= 6 && i >= 20 && i < 50;
    expect(picture.rgba[i * 4 + 3]).toBe(inside ? 0.5 : 0);
  }
});

test('a display window that does not start at 0 is measured from its corner', async () => {
  const window = { xMin: 100, yMin: -7, xMax: 103, yMax: -6 };
  const file = save(path.join(scratch(), 'b.exr'), [plane('Y', 8, (i) => i)], 4, 2, { displayWindow: window, dataWindow: window });
  const picture = await loadPicture(pass(file), host);
  expect([...picture.rgba.filter((_, i) => i % 4 === 1)]).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
  expect(picture.hasAlpha).toBe(false);
  expect(new Set(picture.rgba.filter((_, i) => i % 4 === 3))).toEqual(new Set([1]));
});

test("premultiplied vectors are divided by the beauty's alpha", async () => {
  const folder = scratch();
  const beauty = save(path.join(folder, 'b.exr'), beautyPlanes(4), 2, 2);
  const motion = save(path.join(folder, 'm.exr'), [plane('x', 4, () => 2), plane('y', 4, () => 1)], 2, 2);
  const passes = await loadFramePasses(sources(beauty, motion, { encoding: { ...rawPixels('x', 'y'), premultiplied: true } }), host);
  expect([...passes.motion.toNext.slice(0, 2)]).toEqual([4, 2]);
});

test("vectors per second take the header's rate, and the one that is given before it", async () => {
  const folder = scratch();
  const beauty = save(path.join(folder, 'b.exr'), beautyPlanes(4), 2, 2);
  const rate = new Map<string, Attribute>([['framesPerSecond', { type: 'rational', value: [24000, 1001] }]]);
  const planes = [plane('x', 4, () => 48), plane('y', 4, () => 0)];
  const encoding = {
    ...rawPixels('x', 'y'),
    sets: [{ x: 'x', y: 'y', length: null, covers: { from: 0, to: 1, unit: 'seconds' as const } }],
  };
  const rated = save(path.join(folder, 'm.exr'), planes, 2, 2, {}, rate);
  const unrated = save(path.join(folder, 'n.exr'), planes, 2, 2);
  expect(headerRate((await loadHeader(rated)).parts[0].attributes)).toBeCloseTo(23.976, 3);
  expect((await loadFramePasses(sources(beauty, rated, { encoding }), host)).motion.toNext[0]).toBeCloseTo(2.002, 3);
  expect((await loadFramePasses(sources(beauty, rated, { encoding, fps: 12 }), host)).motion.toNext[0]).toBeCloseTo(4, 3);
  await expect(loadFramePasses(sources(beauty, unrated, { encoding }), host)).rejects.toThrow(
    expect.objectContaining({ code: 'needsFrameRate', file: unrated }) as IvrexError,
  );
});

test('a channel that is not there is said with those that are, and with the file', async () => {
  const folder = scratch();
  const beauty = save(path.join(folder, 'b.exr'), beautyPlanes(4), 2, 2);
  await expect(loadFramePasses(sources(beauty, beauty), host)).rejects.toThrow('names channel "x", but layer "" has A, B, G, R');
  await expect(loadFramePasses(sources(beauty, path.join(folder, 'none.exr')), host)).rejects.toThrow(
    expect.objectContaining({ code: 'missingFile' }) as IvrexError,
  );
});

test('layers of any depth are found by name, and an unknown one is refused with the list', async () => {
  const names = ['R', 'G', 'B', 'hero.key.R', 'hero.key.G', 'hero.key.B', 'motion.x', 'motion.y'];
  const file = save(
    path.join(scratch(), 'l.exr'),
    names.map((name) => plane(name, 4, () => 0)),
    2,
    2,
  );
  const header = await loadHeader(file);
  expect(layersOf(header).map((l) => [l.layer, l.channels])).toEqual([
    ['', ['B', 'G', 'R']],
    ['hero.key', ['B', 'G', 'R']],
    ['motion', ['x', 'y']],
  ]);
  expect(chooseLayer(header, 'hero.key')).toEqual({ part: 0, layer: 'hero.key' });
  expect(() => chooseLayer(header, 'villain')).toThrow('there are (plain), hero.key, motion');
  expect(pictureChannels(['hero.key.R', 'hero.key.G', 'hero.key.B'], 'hero.key')).toEqual(['hero.key.R', 'hero.key.G', 'hero.key.B', null]);
});

test('a header longer than the first look is read whole', async () => {
  const long = new Map<string, Attribute>([['manifest', { type: 'string', value: 'reed '.repeat(40000) }]]);
  const file = save(path.join(scratch(), 'l.exr'), beautyPlanes(4), 2, 2, {}, long);
  expect((await loadHeader(file)).parts[0].attributes.get('manifest')?.value).toHaveLength(200000);
});

test("a folder is described with its damage, and what can't be read at all is apart", async () => {
  const folder = scratch();
  for (const frame of [1, 2, 4]) save(path.join(folder, `mill.000${frame}.exr`), beautyPlanes(64 * 64), 64, 64);
  truncateSync(path.join(folder, 'mill.0002.exr'), 400);
  writeFileSync(path.join(folder, 'tide table.exr'), 'high water at noon');
  const found = await describeFolder(folder);
  expect(found.sequences).toHaveLength(1);
  expect(found.sequences[0]).toMatchObject({ name: 'mill.####.exr', sequence: { frames: [1, 2, 4], missing: [3] } });
  expect(found.sequences[0].broken.map((b) => [b.frame, b.error.code])).toEqual([[2, 'truncated']]);
  expect(found.unreadable.map((u) => [u.name, u.error.code])).toEqual([['tide table.exr', 'notAnImage']]);
  expect(await tryFindDamage(path.join(folder, 'mill.0001.exr'))).toBeNull();
});

describe('a file that holds all passes of a frame', () => {
  const [W, H] = [48, 40];
  const passesOf = (folder: string, names = ['x', 'y']): FrameSources => {
    const count = W * H,
      planes = [
        ...beautyPlanes(count),
        ...names.map((name, n) => plane(`motion.${name}`, count, (i) => (i % 7) - n)),
        plane('depth.Z', count, (i) => 1 + (i % 3)),
        plane('id.object', count, (i) => i % 2),
      ];
    const file = save(path.join(folder, 'all.exr'), planes, W, H);
    const depth = { ...EVEN_DEPTH, channel: 'Z' };
    return {
      ...sources(file, file),
      motion: pass(file, 'motion'),
      depth: { ...pass(file, 'depth'), encoding: depth },
      ids: pass(file, 'id'),
    };
  };
  const EVEN_DEPTH = {
    ivrexDepth: 1,
    name: '',
    note: '',
    law: 'linear',
    zero: 0,
    scale: 1,
    measured: 'alongView',
    nothing: [],
    filtered: false,
    position: null,
  } as const;

  test('its blocks are unpacked once, and each pass is what it is when it is read alone', async () => {
    let unpacked = 0;
    const counting: NodeHost = { ...host, inflate: (packed, length) => (unpacked++, host.inflate(packed, length)) };
    const asked = passesOf(scratch()),
      together = await loadFramePasses(asked, counting);
    // ZIP packs sixteen rows together.
    expect(unpacked).toBe(Math.ceil(H / 16));
    const picture = await loadPicture(asked.beauty, host);
    expect(together.rgba).toEqual(picture.rgba);
    expect(together.motion.toNext.slice(0, 4)).toEqual(Float32Array.of(0, -1, 1, 0));
    expect(together.depth?.slice(0, 4)).toEqual(Float32Array.of(1, 2, 3, 1));
    expect([...(together.ids ?? [])].slice(0, 4)).toEqual([0, 1, 0, 1]);
    expect(together.rgba.buffer).toBeInstanceOf(SharedArrayBuffer);
  });

  test('a channel that the encoding names and the file has not is said, with the file', async () => {
    const asked = passesOf(scratch(), ['u', 'v']);
    await expect(loadFramePasses(asked, host)).rejects.toMatchObject({ code: 'missingChannel', file: asked.motion.file });
  });
});
