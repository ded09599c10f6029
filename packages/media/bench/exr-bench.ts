import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { deflateSync } from 'node:zlib';
import { decodeExrPart, encodeExr, parseExrHeader, type Compression, type Image } from '@ivrex/core';
import { loadNodeHost } from '../src';
import { best, line } from './measure';

/** OpenEXR reading and writing against the reference library: CPU time of one thread, files in memory, float buffers. */
const root = process.cwd(),
  oracle = process.argv[2],
  folder = path.join(root, '.cache/bench');
mkdirSync(folder, { recursive: true });
const host = await loadNodeHost(path.join(root, 'packages/kernels/build/kernels.wasm'));

/** 12 channels as a shot's file has them: picture with grain, two vector sets, depth, ids. */
function picture(): Image {
  const width = 1920,
    height = 1080,
    window = { xMin: 0, yMin: 0, xMax: width - 1, yMax: height - 1 };
  let seed = 1;
  const random = () => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) / 4294967296;
  const plane = (name: string, make: (x: number, y: number) => number) => {
    const data = new Float32Array(width * height);
    for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) data[y * width + x] = make(x, y);
    return { name, type: 'half' as const, data };
  };
  const inside = (x: number, y: number) => Math.hypot(x - 900, (y - 500) * 1.3) < 430;
  const colour = (c: number) => (x: number, y: number) =>
    inside(x, y) ? 0.4 + 0.3 * Math.sin(x * 0.021 + c) * Math.cos(y * 0.017) + 0.02 * random() : 0;
  const vector = (c: number) => (x: number, y: number) => (inside(x, y) ? (c % 2 ? x - 900 : 500 - y) * 0.05 + c : 0);
  return {
    displayWindow: window,
    dataWindow: window,
    planes: [
      ...['R', 'G', 'B'].map((name, c) => plane(name, colour(c))),
      plane('A', (x, y) => (inside(x, y) ? 1 : 0)),
      ...['nextX', 'nextY', 'prevX', 'prevY'].map((name, c) => plane(`motion.${name}`, vector(c))),
      plane('depth.Z', (x, y) => (inside(x, y) ? 10 + x * 0.001 + y * 0.002 : 0)),
      plane('id.object', (x, y) => (inside(x, y) ? 1 + Math.floor(x / 300) : 0)),
      plane('normal.X', (x, y) => (inside(x, y) ? (x - 900) / 430 : 0)),
      plane('normal.Y', (x, y) => (inside(x, y) ? (y - 500) / 430 : 0)),
    ],
  };
}

const image = picture();
const level4 = { ...host, deflate: (raw: Uint8Array) => deflateSync(raw, { level: 4 }) };
const reference = (...args: string[]) => Number(execFileSync(oracle, args, { encoding: 'utf8' }).trim().split(' ')[0]);
for (const compression of ['zip', 'piz', 'pxr24', 'dwaa', 'rle', 'none'] as Compression[]) {
  const file = path.join(folder, `bench-${compression}.exr`);
  writeFileSync(file, encodeExr(image, { compression }, host));
  const bytes = new Uint8Array(readFileSync(file)),
    header = parseExrHeader(bytes);
  const decode = (names: string[] | null) => () => {
    decodeExrPart(bytes, header, 0, names, host);
  };
  const all = reference('decode', file, 'all', '8');
  line(`EXR ${compression} decode, 12 channels, 1080p`, best(8, decode(null)), 'the reference library', all);
  line(`EXR ${compression} decode, 4 of 12 channels`, best(8, decode(['R', 'G', 'B', 'A'])), 'its decode of 12', all);
}
const zipFile = path.join(folder, 'bench-zip.exr');
line(
  'EXR zip encode at level 4, 12 channels, 1080p',
  best(3, () => {
    encodeExr(image, { compression: 'zip' }, level4);
  }),
  'the reference library',
  reference('encode', zipFile, 'zip', '4', '3'),
);
for (const compression of ['piz', 'dwaa'] as Compression[])
  line(
    `EXR ${compression} encode, 12 channels, 1080p`,
    best(2, () => {
      encodeExr(image, { compression }, host);
    }),
    'the reference library',
    reference('encode', zipFile, compression, '4', '2'),
  );
