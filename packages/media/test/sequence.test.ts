import fc from 'fast-check';
import { mkdtempSync, readdirSync, writeFileSync, mkdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { IvrexError } from '@ivrex/core';
import { packRaster, unpackRaster } from '@ivrex/contract';
import {
  bandsOf,
  folderSignature,
  frameFile,
  groupNames,
  listSequences,
  nameBelow,
  parsePattern,
  patternName,
  scanSequence,
  writeFileAtomic,
} from '../src';

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

describe('the frame number may stand anywhere', () => {
  const shown = (...names: string[]) =>
    groupNames('/shot', names).map(({ pattern, frames, missing, doubles }) => ({ name: patternName(pattern), frames, missing, doubles }));
  const frames = (first: number, last: number, name: (frame: number) => string) =>
    Array.from({ length: last - first + 1 }, (_, i) => name(first + i));

  test('a version beside it is no frame, and tells sequences apart', () => {
    expect(
      shown(...frames(1001, 1003, (f) => `gear_v001_beauty.${f}.exr`), ...frames(1001, 1003, (f) => `gear_v002_beauty.${f}.exr`)),
    ).toEqual([
      { name: 'gear_v001_beauty.####.exr', frames: [1001, 1002, 1003], missing: [], doubles: [] },
      { name: 'gear_v002_beauty.####.exr', frames: [1001, 1002, 1003], missing: [], doubles: [] },
    ]);
  });
  test('in front, in the middle and at the end', () => {
    expect(shown('0007_gear.png', '0008_gear.png')[0]).toMatchObject({ name: '####_gear.png', frames: [7, 8] });
    expect(shown('gear_0007_left.tif', '0008_x.tif', 'gear_0009_left.tif').find((s) => s.name.startsWith('gear'))).toMatchObject({
      name: 'gear_####_left.tif',
      frames: [7, 9],
      missing: [8],
    });
    expect(shown('gear7.jpg', 'gear8.jpg')[0]).toMatchObject({ name: 'gear#.jpg', frames: [7, 8] });
  });
  test('padding that runs over, and padding that changes', () => {
    const over = groupNames('/shot', ['g.998.exr', 'g.999.exr', 'g.1000.exr'])[0];
    expect(over.frames).toEqual([998, 999, 1000]);
    expect(over.frames.map((f) => frameFile(over.pattern, f))).toEqual(['/shot/g.998.exr', '/shot/g.999.exr', '/shot/g.1000.exr']);
    const changed = groupNames('/shot', ['g.7.exr', 'g.0008.exr', 'g.0009.exr', 'g.10.exr'])[0];
    expect(changed.frames.map((f) => frameFile(changed.pattern, f))).toEqual([
      '/shot/g.7.exr',
      '/shot/g.0008.exr',
      '/shot/g.0009.exr',
      '/shot/g.10.exr',
    ]);
  });
  test('a frame that is there twice is used once, and the other is named', () => {
    expect(shown('g.0007.exr', 'g.7.exr', 'g.0008.exr', 'g.8.exr')[0]).toMatchObject({
      frames: [7, 8],
      doubles: ['g.0007.exr', 'g.0008.exr'],
    });
  });
  test('one file is one frame when its number ends its name, else a lone file; movies are lone', () => {
    expect(shown('g.1001.exr')[0]).toMatchObject({ name: 'g.####.exr', frames: [1001] });
    expect(shown('take2_final.exr')[0]).toMatchObject({ name: 'take2_final.exr', frames: [] });
    expect(shown('plate_2.mov', 'plate_3.mov').map((s) => s.name)).toEqual(['plate_2.mov', 'plate_3.mov']);
    expect(shown('notes.txt', 'scene.0001.json')).toEqual([]);
  });
  test('frames below 0 come first, in order; a dash is no minus', () => {
    const names = [
      ...frames(-3, -1, (f) => `g.-${String(-f).padStart(4, '0')}.exr`),
      ...frames(0, 2, (f) => `g.${String(f).padStart(4, '0')}.exr`),
    ];
    const [found, ...more] = groupNames('/shot', names);
    expect(more).toEqual([]);
    expect(found).toMatchObject({ frames: [-3, -2, -1, 0, 1, 2], missing: [] });
    expect(found.frames.map((f) => frameFile(found.pattern, f))).toEqual(
      names.map((n) => `/shot/${n}`).sort((a, b) => frameOf(a) - frameOf(b)),
    );
    expect(shown('take-0005.exr', 'take-0006.exr')[0]).toMatchObject({ name: 'take-####.exr', frames: [5, 6] });
  });
  const frameOf = (file: string) => Number(/\.(-?\d+)\.exr$/.exec(file)?.[1]);
  test('cameras with a frame each are sequences of one frame; with many they are their own', () => {
    expect(shown('cam1.0001.exr', 'cam2.0001.exr', 'cam3.0001.exr').map(({ name, frames: f }) => [name, f])).toEqual([
      ['cam1.####.exr', [1]],
      ['cam2.####.exr', [1]],
      ['cam3.####.exr', [1]],
    ]);
    const cameras = frames(1, 30, (c) => c.toString()).flatMap((c) => frames(1001, 1004, (f) => `cam${c}.${f}.exr`));
    expect(shown(...cameras)).toHaveLength(30);
    // A size behind the frame is none.
    expect(shown('g_0001_2048.exr', 'g_0002_2048.exr')[0]).toMatchObject({ name: 'g_####_2048.exr', frames: [1, 2] });
  });
  test('forty thousand files are one sequence', () => {
    const [found, ...more] = shown(...frames(1, 40000, (f) => `g.${String(f).padStart(5, '0')}.exr`));
    expect(more).toEqual([]);
    expect(found.frames).toHaveLength(40000);
  });
  test('every name leads back to its file, whatever the names are', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.tuple(fc.constantFrom('a', 'b_v2', 'c3x'), fc.integer({ min: 0, max: 3000 }), fc.integer({ min: 1, max: 6 })), {
          minLength: 1,
          maxLength: 30,
          selector: ([stem, n, pad]) => `${stem}.${String(n).padStart(pad, '0')}`,
        }),
        (parts) => {
          const names = parts.map(([stem, n, pad]) => `${stem}.${String(n).padStart(pad, '0')}.exr`);
          const found = groupNames('/s', names).flatMap((s) => [
            ...(s.frames.length === 0 ? [frameFile(s.pattern, null)] : s.frames.map((f) => frameFile(s.pattern, f))),
            ...s.doubles.map((d) => `/s/${d}`),
          ]);
          expect(found.sort()).toEqual(names.map((n) => `/s/${n}`).sort());
        },
      ),
      { seed: 20261124, numRuns: 150 },
    );
  });
});

test('folders inside the folder are looked into, and their names belong to the sequence', async () => {
  const folder = folderWith('beauty.0001.exr');
  mkdirSync(path.join(folder, 'motion/left'), { recursive: true });
  mkdirSync(path.join(folder, '.hidden'));
  for (const file of ['motion/left/m.0001.png', '.hidden/h.0001.exr']) writeFileSync(path.join(folder, file), 'x');
  const found = await listSequences(folder);
  expect(found.map((s) => nameBelow(folder, s.pattern))).toEqual(['beauty.####.exr', 'motion/left/m.####.png']);
});

test("a folder's signature changes when a file comes, grows or goes, and only then", async () => {
  const folder = folderWith('a.0001.exr');
  const first = await folderSignature(folder);
  expect(await folderSignature(folder)).toBe(first);
  writeFileSync(path.join(folder, 'a.0002.exr'), 'x');
  const second = await folderSignature(folder);
  expect(second).not.toBe(first);
  writeFileSync(path.join(folder, 'a.0002.exr'), 'xx');
  expect(await folderSignature(folder)).not.toBe(second);
});
