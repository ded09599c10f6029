import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import {
  COMPRESSIONS,
  decodeExrPart,
  encodeExr,
  parseExrHeader,
  WRITABLE_COMPRESSIONS,
  type Compression,
  type ExrHost,
  type Image,
} from '../src';
import { loadNodeHost } from '../../media/src/host/node-host';
import { readByOracle, writeByOracle, writeTilesByOracle } from './exr-oracle';

const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-conformance-'));
let host: ExrHost;
beforeAll(async () => {
  // As the server and the command line unpack files.
  host = await loadNodeHost(path.resolve('packages/kernels/build/kernels.wasm'));
});

/** Reads a part with both and holds ours to theirs. `lossy` channels may differ by rounding of their last bits. */
function expectSame(file: string, lossy: (channel: string) => boolean, part = 0): Image {
  const bytes = new Uint8Array(readFileSync(file));
  const image = decodeExrPart(bytes, parseExrHeader(bytes), part, null, host);
  const theirs = readByOracle(file, part);
  expect(image.planes.map((p) => p.name).sort()).toEqual([...theirs.keys()].sort());
  for (const { name, data } of image.planes) {
    const expected = theirs.get(name) ?? new Float64Array(0);
    expect(data).toHaveLength(expected.length);
    const tolerance = lossy(name) ? 0.003 : 0;
    for (let i = 0; i < data.length; i++) {
      if (Math.abs(data[i] - expected[i]) > tolerance * (0.05 + Math.abs(expected[i])))
        throw new Error(`${path.basename(file)}, ${name}, sample ${i}: ${data[i]}, the reference library reads ${expected[i]}`);
    }
  }
  return image;
}

/** Comparing large arrays element by element through the test runner takes seconds. */
function sameBits(a: ArrayBufferView, b: ArrayBufferView): boolean {
  return Buffer.from(a.buffer, a.byteOffset, a.byteLength).equals(Buffer.from(b.buffer, b.byteOffset, b.byteLength));
}

/** Only DWA's cosine transform may round differently: it is summed in another order. */
const dwaColour = (compression: string) => (name: string) => compression.startsWith('dwa') && /(^|\.)(R|G|B|Y|RY|BY)$/.test(name);

const TYPES = ['half', 'float', 'uint', 'mixed'];
const LAYOUTS = ['plain', 'offset', 'decreasing', 'tiles', 'layers', 'subsampled'];
const EXTRA: [string, string, string][] = [
  ...['mipmap', 'ripmap', 'mipmap-up', 'tiles-random'].flatMap((layout): [string, string, string][] => [
    ['zip', 'half', layout],
    ['piz', 'mixed', layout],
    ['dwaa', 'half', layout],
  ]),
  ...COMPRESSIONS.map((c): [string, string, string] => [c, 'mixed', 'one']),
  ...COMPRESSIONS.map((c): [string, string, string] => [c, 'half', 'row']),
  ...['piz', 'zip', 'dwab', 'pxr24', 'b44a'].map((c): [string, string, string] => [c, 'half', 'column']),
  ['b44', 'half', 'linear'],
  ['b44a', 'half', 'linear'],
  ['dwaa', 'half', 'linear'],
  ['zip', 'half', 'hundreds'],
  ['piz', 'half', 'hundreds'],
  ['zips', 'mixed', 'long'],
];

describe.each(COMPRESSIONS)('%s, as the reference library writes it', (compression) => {
  test.each(TYPES.flatMap((types) => LAYOUTS.map((layout) => [types, layout])))('%s, %s', (types, layout) => {
    const file = path.join(folder, `${compression}-${types}-${layout}.exr`);
    writeByOracle(file, compression, types, layout);
    expectSame(file, dwaColour(compression));
  });
});

test.each(EXTRA)('%s, %s, %s', (compression, types, layout) => {
  const file = path.join(folder, `extra-${compression}-${types}-${layout}.exr`);
  writeByOracle(file, compression, types, layout);
  expectSame(file, dwaColour(compression));
});

const TILES = [16, 32, 64, 128, 256];
const LEVELS = ['one', 'mip-down', 'mip-up', 'rip-down', 'rip-up'];
const pick = <T>(list: readonly T[], n: number): T => list[n % list.length];
/** Every size with every layout of levels; the rest is dealt out so that each meets each of the others' values. */
const GRID = TILES.flatMap((tile, t) =>
  LEVELS.map((levels, l) => {
    const n = t * LEVELS.length + l;
    return {
      tile,
      levels,
      order: pick(['down', 'up', 'random'], n),
      place: pick(['origin', 'before', 'after'], t + l),
      parts: pick(['one', 'three'], t + Math.floor(l / 2)),
    };
  }),
);

describe.each(['dwaa', 'dwab', 'zip', 'piz'])('%s in tiles', (compression) => {
  // The pixels of the others are packed alike wherever they lie; DWA's depend on the block.
  test.each(GRID.filter((_, n) => compression.startsWith('dwa') || n % 4 === 0))(
    '$tile, levels $levels, order $order, window $place, parts $parts',
    ({ tile, levels, order, place, parts }) => {
      const types = pick(['half', 'mixed', 'float'], tile / 16 + LEVELS.indexOf(levels)),
        file = path.join(folder, `grid-${compression}-${tile}-${levels}.exr`);
      writeTilesByOracle(file, compression, types, tile, levels, order, place, parts);
      for (const part of parts === 'three' ? [0, 1, 2] : [0]) expectSame(file, dwaColour(compression), part);
    },
  );
});

test('a channel read alone has the values that it has among all', () => {
  for (const compression of COMPRESSIONS) {
    const file = path.join(folder, `alone-${compression}.exr`);
    writeByOracle(file, compression, 'mixed', 'layers');
    const bytes = new Uint8Array(readFileSync(file)),
      header = parseExrHeader(bytes);
    const all = decodeExrPart(bytes, header, 0, null, host);
    for (const { name, data } of all.planes) {
      const alone = decodeExrPart(bytes, header, 0, [name], host);
      expect(alone.planes.map((p) => p.name)).toEqual([name]);
      expect(sameBits(alone.planes[0].data, data)).toBe(true);
    }
  }
});

/** Data window off the display window, three types, noise over slopes: what each codec finds hard. */
function madeImage(width: number, height: number): Image {
  const count = width * height;
  const half = (v: number) => Math.fround(Math.round(v * 1024) / 1024);
  const smooth = (i: number, c: number) => 0.5 + 0.3 * Math.sin((i % width) * 0.11 + c) + 0.15 * Math.cos(Math.floor(i / width) * 0.17);
  const plane = (name: string, make: (i: number) => number) => ({
    name,
    type: 'half' as const,
    data: Float32Array.from({ length: count }, (_, i) => half(make(i))),
  });
  return {
    displayWindow: { xMin: 0, yMin: 0, xMax: width - 1, yMax: height - 1 },
    dataWindow: { xMin: -3, yMin: 5, xMax: width - 4, yMax: height + 4 },
    planes: [
      plane('R', (i) => smooth(i, 0)),
      plane('G', (i) => smooth(i, 1)),
      plane('B', (i) => smooth(i, 2) * 2),
      plane('A', (i) => (i % width > width / 2 ? 1 : 0)),
      { name: 'depth.Z', type: 'float', data: Float32Array.from({ length: count }, (_, i) => Math.sin(i * 12.9898) * 43.7) },
      { name: 'id.object', type: 'uint', data: Uint32Array.from({ length: count }, (_, i) => (i * 2654435761) >>> 0) },
    ],
  };
}

describe.each(WRITABLE_COMPRESSIONS)('what we write with %s', (compression) => {
  test.each([
    [70, 90],
    [1, 1],
    [33, 7],
    [8, 300],
  ])('is read the same by the reference library at %d x %d', (width, height) => {
    const image = madeImage(width, height);
    const file = path.join(folder, `written-${compression}-${width}x${height}.exr`);
    writeFileSync(file, encodeExr(image, { compression }, host));
    const back = expectSame(file, dwaColour(compression));
    for (const plane of image.planes)
      expectClose(compression, plane.name, plane.data, back.planes.find((p) => p.name === plane.name)?.data);
  });
});

/** Lossless is exact; PXR24 cuts floats to 24 bits; DWA keeps colour within what the eye sees. */
function expectClose(compression: Compression, name: string, sent: ArrayLike<number>, got: ArrayLike<number> | undefined): void {
  const relative = compression === 'pxr24' && name === 'depth.Z' ? 2 ** -16 : dwaColour(compression)(name) ? 0.02 : 0;
  expect(got).toHaveLength(sent.length);
  for (let i = 0; i < sent.length; i++)
    if (Math.abs(sent[i] - (got?.[i] ?? NaN)) > relative * Math.max(1, Math.abs(sent[i])))
      throw new Error(`${name} ${i}: ${sent[i]} came back as ${got?.[i]}`);
}

test('noise does not fit into fewer bytes: such blocks are stored as they are, by both', () => {
  let seed = 7;
  const random = () => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0);
  const image: Image = {
    displayWindow: { xMin: 0, yMin: 0, xMax: 63, yMax: 63 },
    dataWindow: { xMin: 0, yMin: 0, xMax: 63, yMax: 63 },
    planes: [{ name: 'n', type: 'uint', data: Uint32Array.from({ length: 4096 }, random) }],
  };
  for (const compression of WRITABLE_COMPRESSIONS) {
    const file = path.join(folder, `noise-${compression}.exr`);
    writeFileSync(file, encodeExr(image, { compression }, host));
    expect(sameBits(expectSame(file, () => false).planes[0].data, image.planes[0].data)).toBe(true);
  }
});

test('a picture 16384 wide is read, and its layout is not confused by its width', () => {
  const image: Image = {
    displayWindow: { xMin: 0, yMin: 0, xMax: 16383, yMax: 17 },
    dataWindow: { xMin: 0, yMin: 0, xMax: 16383, yMax: 17 },
    planes: [{ name: 'Z', type: 'float', data: Float32Array.from({ length: 16384 * 18 }, (_, i) => Math.floor(i / 100)) }],
  };
  for (const compression of ['zip', 'piz', 'dwab'] as const) {
    const file = path.join(folder, `wide-${compression}.exr`);
    writeFileSync(file, encodeExr(image, { compression }, host));
    expect(sameBits(expectSame(file, () => false).planes[0].data, image.planes[0].data)).toBe(true);
  }
});
