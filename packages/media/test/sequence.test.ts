import { mkdtempSync, readdirSync, writeFileSync, mkdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { IvrexError } from '@ivrex/core';
import { packRaster, unpackRaster } from '@ivrex/contract';
import { bandsOf, frameFile, listSequences, parsePattern, patternName, scanSequence, writeFileAtomic } from '../src';

function folderWith(...names: string[]): string {
  const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-seq-'));
  for (const name of names) writeFileSync(path.join(folder, name), 'x');
  return folder;
}
const coded = (code: string) => expect.objectContaining({ code }) as IvrexError;

test.each([
  ['a/b.####.exr', 'b.####.exr', null],
  ['a/b_%04d.png', 'b_####.png', null],
  ['a/b.%d.exr::motion', 'b.#.exr', 'motion'],
  ['a/b.exr::x.y', 'b.exr', 'x.y'],
  ['a/b.exr', 'b.exr', null],
])('the pattern %s', (text, name, layer) => {
  const parsed = parsePattern(text);
  expect(patternName(parsed.pattern)).toBe(name);
  expect(parsed.layer).toBe(layer);
});

test('file names carry the number padded, negative ones with a sign', () => {
  const { pattern } = parsePattern('shot/name.####.exr');
  expect(frameFile(pattern, 7)).toBe('shot/name.0007.exr');
  expect(frameFile(pattern, 12345)).toBe('shot/name.12345.exr');
  expect(frameFile(pattern, -3)).toBe('shot/name.-0003.exr');
});

test('a scan finds the frames and the gap, and leaves strangers out', async () => {
  const folder = folderWith(
    'n.0998.exr',
    'n.0999.exr',
    'n.1002.exr',
    'n.10003.exr',
    'n.00999.exr',
    'n.beauty.exr',
    'n.1002.png',
    '.n.1003.exr.ab12.part',
  );
  const { frames, missing } = await scanSequence(parsePattern(path.join(folder, 'n.####.exr')).pattern);
  expect(frames).toEqual([998, 999, 1002, 10003]);
  expect(missing.slice(0, 3)).toEqual([1000, 1001, 1003]);
});

test('nothing there is an error that names the place', async () => {
  const folder = folderWith('a.exr');
  await expect(scanSequence(parsePattern(path.join(folder, 'b.####.exr')).pattern)).rejects.toThrow(coded('missingFile'));
  await expect(scanSequence(parsePattern(path.join(folder, 'none/b.####.exr')).pattern)).rejects.toThrow(coded('missingFile'));
  await expect(scanSequence(parsePattern(path.join(folder, 'b.exr')).pattern)).rejects.toThrow(coded('missingFile'));
});

test('a folder with several sequences and lone files', async () => {
  const folder = folderWith(
    'heron.1001.exr',
    'heron.1002.exr',
    'heron.1004.exr',
    'plate_0001.exr',
    'plate_0002.exr',
    'still.exr',
    'notes.txt',
    '.hidden.0001.exr',
  );
  const found = await listSequences(folder);
  expect(found.map((s) => [patternName(s.pattern), s.frames, s.missing])).toEqual([
    ['heron.####.exr', [1001, 1002, 1004], [1003]],
    ['plate_####.exr', [1, 2], []],
    ['still.exr', [], []],
  ]);
});

test('a file is written whole, replaces the one before, and leaves nothing beside it', async () => {
  const folder = folderWith(),
    file = path.join(folder, 'deep/er/out.exr');
  await writeFileAtomic(file, Uint8Array.of(1, 2, 3));
  await writeFileAtomic(file, Uint8Array.of(4));
  expect([...readFileSync(file)]).toEqual([4]);
  expect(readdirSync(path.dirname(file))).toEqual(['out.exr']);
});

test('where writing fails, the old file stays and the error says why', async () => {
  const folder = folderWith('kept.exr');
  mkdirSync(path.join(folder, 'taken'));
  await expect(writeFileAtomic(path.join(folder, 'taken'), Uint8Array.of(1))).rejects.toThrow(coded('cannotWrite'));
  await expect(writeFileAtomic(path.join(folder, 'kept.exr', 'out.exr'), Uint8Array.of(1))).rejects.toThrow('part of its path is');
  expect(readFileSync(path.join(folder, 'kept.exr'), 'utf8')).toBe('x');
  expect(readdirSync(folder).sort()).toEqual(['kept.exr', 'taken']);
});

test('bands cover every row once and start on tile rows', () => {
  for (const [height, wanted] of [
    [540, 4],
    [31, 4],
    [1080, 3],
    [33, 8],
  ]) {
    const bands = bandsOf(height, wanted);
    expect(bands[0][0]).toBe(0);
    expect(bands[bands.length - 1][1]).toBe(height);
    bands.forEach(([from], i) => {
      if (i > 0) expect([from, from % 32]).toEqual([bands[i - 1][1], 0]);
    });
  }
});

test('pixels on the wire come back as they went', () => {
  const planes = [Float32Array.of(1, 2, NaN, -4, 5, 6), Float32Array.of(7, 8, 9, 10, 11, Infinity)];
  const packed = packRaster({ width: 3, height: 2, format: 'planes32f', names: ['x', 'y'] }, planes);
  const back = unpackRaster(packed.buffer as ArrayBuffer);
  expect(back.header.names).toEqual(['x', 'y']);
  expect(back.planes).toEqual(planes);
});
