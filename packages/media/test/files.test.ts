import { createHash } from 'node:crypto';
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, symlinkSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import type { IvrexError } from '@ivrex/core';
import { frameKey, hashFile, KnownDigests } from '../src/deliveries/frame-key';
import { filesRead, stampOf } from '../src/files/files-read';
import type { FileRequest } from '../src/deliveries/deliver-frame';
import { assertBelow, reasonOf, removeLeftovers, writeFileAtomic } from '../src/files/atomic-write';
import { fileOnDisk, isMoviePath, movieFrame, parseMovieFrame } from '../src/files/movie-path';
import { checkSize, readStart, readTail } from '../src/formats/file-parts';
import { channelNames, pick, plainHeader, plainImage } from '../src/formats/plain-image';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(path.join(tmpdir(), 'ivrex-files-'));
});
afterEach(() => rmSync(folder, { recursive: true, force: true }));
const at = (...parts: string[]) => path.join(folder, ...parts);
const coded = (code: string) => expect.objectContaining({ code }) as IvrexError;

describe('writing', () => {
  test('whoever reads meanwhile sees a whole file, the old one or the new one', async () => {
    const file = at('frame.exr'),
      [old, fresh] = [1, 2].map((v) => new Uint8Array(4 << 20).fill(v));
    await writeFileAtomic(file, old);
    let isWritten = false;
    const writing = writeFileAtomic(file, fresh).then(() => (isWritten = true));
    const seen = new Set<string>();
    while (!isWritten) {
      const bytes = readFileSync(file);
      seen.add(`${bytes.length} ${bytes[0]} ${bytes[bytes.length - 1]}`);
      await new Promise((resolve) => setImmediate(resolve));
    }
    await writing;
    for (const what of seen) expect([`${4 << 20} 1 1`, `${4 << 20} 2 2`]).toContain(what);
    expect(readdirSync(folder)).toEqual(['frame.exr']);
  });
  test('two at once end as one of them, whole', async () => {
    await Promise.all([1, 2, 3].map((v) => writeFileAtomic(at('a.exr'), new Uint8Array(1 << 20).fill(v))));
    const bytes = readFileSync(at('a.exr'));
    expect(new Set(bytes).size).toBe(1);
    expect(readdirSync(folder)).toEqual(['a.exr']);
  });
  test('what a killed process left of this file is taken away, and nothing else', async () => {
    for (const name of ['.a.exr.1f2e.part', '.b.exr.1f2e.part', '.a.exr.txt', 'a.exr.part']) writeFileSync(at(name), '');
    await removeLeftovers(at('a.exr'));
    expect(readdirSync(folder).sort()).toEqual(['.a.exr.txt', '.b.exr.1f2e.part', 'a.exr.part']);
    await removeLeftovers(at('nowhere', 'a.exr'));
  });
  test.each([
    ['ENOSPC', 'the disk is full'],
    ['EROFS', 'the disk is read-only'],
    ['EACCES', 'permission is missing'],
    ['EDQUOT', 'the disk quota is used up'],
  ])('%s is said in words', (code, words) => expect(reasonOf(Object.assign(new Error('x'), { code }))).toBe(words));
});

describe('what is written stays below its folder', () => {
  beforeEach(() => {
    for (const name of ['deliveries/heron', 'outside']) mkdirSync(at(name), { recursive: true });
  });
  const below = (file: string) => assertBelow(at('deliveries'), at(file));

  test('plain folders are fine, also those that are not there yet', async () => {
    await below('deliveries/heron/a.exr');
    await below('deliveries/new/deep/a.exr');
    await assertBelow(at('not/there'), at('not/there/a.exr'));
  });
  test('a link that leads out is refused, wherever on the way it is', async () => {
    symlinkSync(at('outside'), at('deliveries/heron/v1'));
    await expect(below('deliveries/heron/v1/a.exr')).rejects.toThrow(coded('forbidden'));
    await expect(below('deliveries/heron/v1/new/a.exr')).rejects.toThrow(coded('forbidden'));
    symlinkSync(at('outside/a.exr'), at('deliveries/b.exr'));
    writeFileSync(at('outside/a.exr'), '');
    await expect(below('deliveries/b.exr')).rejects.toThrow(coded('forbidden'));
  });
  test('a folder whose name only begins alike is outside', async () => {
    mkdirSync(at('deliveries-old'));
    symlinkSync(at('deliveries-old'), at('deliveries/old'));
    await expect(below('deliveries/old/a.exr')).rejects.toThrow(coded('forbidden'));
  });
  test('links within, and a folder that is itself a link, are fine', async () => {
    symlinkSync(at('deliveries/heron'), at('deliveries/latest'));
    await below('deliveries/latest/a.exr');
    symlinkSync(at('deliveries'), at('shown'));
    await assertBelow(at('shown'), at('shown/heron/a.exr'));
  });
});

describe("a movie's frame as a file name", () => {
  test('comes back as what it was', () => {
    const frame = movieFrame('/media/tide mill/plate v2.MOV', 12);
    expect(parseMovieFrame(frame)).toEqual({ movie: '/media/tide mill/plate v2.MOV', frame: 12 });
    expect(fileOnDisk(frame)).toBe('/media/tide mill/plate v2.MOV');
  });
  test.each(['/a/b.1001.exr', '/a/b.mov', '/a/b.mov::frame::', '/a/b.mov::frame::x', '/a/b.exr::frame::3'])('%s is none', (file) => {
    expect(parseMovieFrame(file)).toBeNull();
    expect(fileOnDisk(file)).toBe(file);
  });
  test('movies are told by their ending', () =>
    expect(['a.mov', 'a.MP4', 'a.mxf', 'a.exr', 'mov', 'a.mov.png'].map(isMoviePath)).toEqual([true, true, true, false, false, false]));
});

describe('the key of a delivered frame', () => {
  const request = (file: string, over: object = {}): FileRequest =>
    ({
      out: '/out/a.exr',
      form: { kind: 'exr' },
      attributes: new Map([['owner', 'x']]),
      layers: [{ name: '', from: { file, part: 0 } }],
      ...over,
    }) as unknown as FileRequest;
  const key = (...requests: FileRequest[]) => frameKey(requests, new KnownDigests());

  test('is the same wherever its files lie, and whatever it is called', async () => {
    writeFileSync(at('a.exr'), 'pixels');
    mkdirSync(at('moved'));
    writeFileSync(at('moved/b.exr'), 'pixels');
    expect(await key(request(at('a.exr')))).toBe(await key(request(at('moved/b.exr'), { out: '/elsewhere/z.exr' })));
  });
  test('is another one when a file holds something else, is gone, or is another frame of a movie', async () => {
    writeFileSync(at('a.exr'), 'pixels');
    const before = await key(request(at('a.exr')));
    writeFileSync(at('a.exr'), 'others');
    const after = await key(request(at('a.exr')));
    rmSync(at('a.exr'));
    const gone = await key(request(at('a.exr')));
    writeFileSync(at('m.mov'), 'movie');
    const frames = await Promise.all([1, 2].map((n) => key(request(movieFrame(at('m.mov'), n)))));
    expect(new Set([before, after, gone, ...frames]).size).toBe(5);
  });
  test('depends on the form, the header and every layer', async () => {
    writeFileSync(at('a.exr'), 'pixels');
    const file = at('a.exr');
    const keys = await Promise.all([
      key(request(file)),
      key(request(file, { form: { kind: 'tiff' } })),
      key(request(file, { attributes: new Map([['owner', 'y']]) })),
      key(request(file), request(file)),
      key(request(file, { layers: [{ name: 'trust', from: { file, part: 0 } }] })),
    ]);
    expect(new Set(keys).size).toBe(keys.length);
  });
  test('files are read once, however often they are asked for', () => {
    const movie = at('m.mov');
    expect(filesRead([request('/a.exr'), request('/a.exr'), request(movieFrame(movie, 1)), request(movieFrame(movie, 2))])).toEqual([
      '/a.exr',
      movie,
    ]);
  });
  test('digests are those of the bytes, kept until the file is written anew', async () => {
    const file = at('a.exr'),
      digests = new KnownDigests(),
      digest = (text: string) => createHash('sha256').update(text).digest('hex');
    writeFileSync(file, 'pixels');
    expect(await digests.digestOf(file)).toBe(digest('pixels'));
    // The same length and time as before: another file all the same.
    writeFileSync(at('new'), 'others');
    utimesSync(at('new'), 1000, 1000);
    utimesSync(file, 1000, 1000);
    expect(await digests.digestOf(file)).toBe(digest('pixels'));
    renameSync(at('new'), file);
    expect(await digests.digestOf(file)).toBe(digest('others'));
    expect([await digests.digestOf(at('none')), await stampOf(at('none'))]).toEqual([null, null]);
    await expect(hashFile(at('none'))).rejects.toThrow(coded('missingFile'));
  });
});

describe('parts of files', () => {
  test('start and tail are as long as there is', async () => {
    writeFileSync(at('f'), Uint8Array.of(1, 2, 3, 4, 5));
    expect([...(await readStart(at('f'), 3))]).toEqual([1, 2, 3]);
    expect([...(await readTail(at('f'), 2))]).toEqual([4, 5]);
    expect([...(await readStart(at('f'), 99)), ...(await readTail(at('f'), 99))]).toEqual([1, 2, 3, 4, 5, 1, 2, 3, 4, 5]);
  });
  test('a picture that its bytes cannot hold is refused before it is made', async () => {
    writeFileSync(at('f'), new Uint8Array(1000));
    await checkSize(at('f'), 100, 100, 4, 10);
    await expect(checkSize(at('f'), 1000, 1000, 4, 10)).rejects.toThrow(coded('damaged'));
    await expect(checkSize(at('f'), 0, 100, 4, 10)).rejects.toThrow(coded('damaged'));
    await expect(checkSize(at('f'), 1 << 15, 1 << 14, 4, 1e9)).rejects.toThrow(coded('tooLarge'));
  });
});

describe('plain pictures', () => {
  test.each([
    [1, false, 'Y'],
    [2, true, 'Y A'],
    [3, false, 'R G B'],
    [4, true, 'R G B A'],
    [5, true, 'R G B A X1'],
    [5, false, 'R G B X1 X2'],
    [2, false, 'Y X1'],
  ])('%p samples, alpha %p: %s', (samples, hasAlpha, names) => expect(channelNames(samples, hasAlpha).join(' ')).toBe(names));
  test('whole numbers are fractions of their range, others as they are; a channel that is not there is named', async () => {
    const header = plainHeader({ format: 'PNG', compression: 'zip', width: 2, height: 1, samples: 3, hasAlpha: false, type: 'u16' });
    const interleaved = Uint16Array.of(0, 65535, 13107, 1, 2, 3);
    const image = plainImage(header, (index) => pick(interleaved, index, 3));
    const { planes } = await image.decode(0, ['G', 'R']);
    expect(planes.map((p) => [p.name, ...[...p.data].map((v) => Math.round(v * 65535))])).toEqual([
      ['G', 65535, 2],
      ['R', 0, 1],
    ]);
    await expect(image.decode(0, ['A'])).rejects.toThrow('there is no channel "A"; there are R, G, B');
  });
});
