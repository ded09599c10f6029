import { execFileSync } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import {
  DEFAULT_LIMITS,
  decodeExrPart,
  encodeExr,
  indexChunks,
  IvrexError,
  parseExrHeader,
  widthOf,
  type Compression,
  type Image,
  type Plane,
} from '../src';
import { referenceHost } from './exr-host';
import { readWithOracle } from './open-exr-tools';

const FIXTURES = path.join(__dirname, 'fixtures');
const fixture = (name: string) => new Uint8Array(readFileSync(path.join(FIXTURES, name)));
const READABLE = readdirSync(FIXTURES).filter((name) => name.endsWith('.exr') && name !== 'multi-part.exr');

function expectOracle(image: Image, file: string): void {
  const oracle = readWithOracle(file),
    width = widthOf(image.dataWindow);
  expect([...oracle.channels].sort()).toEqual(image.planes.map((p) => p.name).sort());
  oracle.channels.forEach((name, c) => {
    const plane = image.planes.find((p) => p.name === name) as Plane;
    for (const [at, values] of oracle.pixels) {
      const [x, y] = at.split(',').map(Number);
      const ours = plane.data[(y - image.dataWindow.yMin) * width + x - image.dataWindow.xMin],
        theirs = values[c];
      // The tool prints nine decimals.
      if (!(ours === theirs || Math.abs(ours - theirs) <= 5.1e-10 + Math.abs(theirs) * 1e-9))
        throw new Error(`${name} at ${at}: ${ours}, the oracle reads ${theirs}`);
    }
  });
}

test.each(READABLE)('%s, written by the reference library, reads as the reference library reads it', (name) => {
  const bytes = fixture(name),
    file = parseExrHeader(bytes);
  expectOracle(decodeExrPart(bytes, file, 0, null, referenceHost), path.join(FIXTURES, name));
});

test('both parts of a multi-part file are read', () => {
  const bytes = fixture('multi-part.exr'),
    file = parseExrHeader(bytes);
  expect(file.parts.map((p) => p.name)).toEqual(['half-zip', 'float-none']);
  const alone = fixture('float-none.exr');
  const part = decodeExrPart(bytes, file, 1, ['R'], referenceHost),
    whole = decodeExrPart(alone, parseExrHeader(alone), 0, ['R'], referenceHost);
  expect(part.planes[0].data).toEqual(whole.planes[0].data);
});

test('attributes come through with their values', () => {
  const { attributes } = parseExrHeader(fixture('attributes-zip.exr')).parts[0];
  expect(attributes.get('comments')?.value).toBe('salt marsh');
  expect(attributes.get('framesPerSecond')).toEqual({ type: 'rational', value: [24, 1] });
  expect(attributes.get('keyCode')?.value).toEqual([1, 2, 3, 4, 5, 6, 20]);
  expect(attributes.get('timeCode')?.value).toEqual([0x86400, 7]);
  (attributes.get('chromaticities')?.value as number[]).forEach((v, i) =>
    expect(v).toBeCloseTo([0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329][i], 6),
  );
});

const window = { xMin: -3, yMin: 5, xMax: 20, yMax: 39 };
function madeImage(): Image {
  const count = 24 * 35;
  const noise = (i: number) => Math.fround(Math.sin(i * 12.9898) * 43.7);
  return {
    displayWindow: { xMin: 0, yMin: 0, xMax: 31, yMax: 44 },
    dataWindow: window,
    planes: [
      { name: 'R', type: 'half', data: Float32Array.from({ length: count }, (_, i) => Math.round(noise(i) * 8) / 8) },
      { name: 'depth.with.a.rather.long.layer.name.Z', type: 'float', data: Float32Array.from({ length: count }, (_, i) => noise(i)) },
      { name: 'id.object', type: 'uint', data: Uint32Array.from({ length: count }, (_, i) => (i * 2654435761) >>> 0) },
    ],
  };
}

describe.each(['none', 'rle', 'zips', 'zip'] as Compression[])('what we write with %s', (compression) => {
  const image = madeImage();
  const bytes = encodeExr(
    image,
    {
      compression,
      attributes: new Map([
        ['owner', { type: 'string', value: 'The Tidal Clock' }],
        ['odd', { type: 'of.our.own', value: Uint8Array.of(1, 2, 3) }],
      ]),
    },
    referenceHost,
  );
  const file = path.join(mkdtempSync(path.join(tmpdir(), 'ivrex-exr-')), 'written.exr');
  writeFileSync(file, bytes);

  test('is valid to the reference library and opens with the same values', () => {
    expect(execFileSync('exrheader', [file], { encoding: 'utf8' })).toContain('owner (type string): "The Tidal Clock"');
    // The image tool holds a file's values in one type, float: whole numbers above 2^24 are compared below instead.
    const shown = { ...image, planes: image.planes.filter((p) => p.type !== 'uint') };
    const narrow = path.join(path.dirname(file), 'floats.exr');
    writeFileSync(narrow, encodeExr(shown, { compression }, referenceHost));
    expectOracle(shown, narrow);
  });
  test('comes back the same, unknown attributes too', () => {
    const header = parseExrHeader(bytes),
      back = decodeExrPart(bytes, header, 0, null, referenceHost);
    expect(back.dataWindow).toEqual(window);
    for (const plane of image.planes) expect(back.planes.find((p) => p.name === plane.name)?.data).toEqual(plane.data);
    expect(header.parts[0].attributes.get('odd')).toEqual({ type: 'of.our.own', value: Uint8Array.of(1, 2, 3) });
  });
  test('gives only the channels that are asked for', () => {
    expect(decodeExrPart(bytes, parseExrHeader(bytes), 0, ['R'], referenceHost).planes.map((p) => p.name)).toEqual(['R']);
    expect(() => decodeExrPart(bytes, parseExrHeader(bytes), 0, ['Q'], referenceHost)).toThrow(
      expect.objectContaining({ code: 'missingChannel' }) as IvrexError,
    );
  });
});

test('whole numbers up to 2^32 are written so that the reference library reads them', () => {
  const values = Uint32Array.of(0, 1, 16777217, 4294967295);
  const size = { xMin: 0, yMin: 0, xMax: 3, yMax: 0 };
  const file = path.join(mkdtempSync(path.join(tmpdir(), 'ivrex-exr-')), 'ids.exr');
  writeFileSync(
    file,
    encodeExr(
      { displayWindow: size, dataWindow: size, planes: [{ name: 'id', type: 'uint', data: values }] },
      { compression: 'zip' },
      referenceHost,
    ),
  );
  expect([...readWithOracle(file).pixels.values()].map(([v]) => v)).toEqual([...values]);
});

describe('files that are not right', () => {
  const good = fixture('half-zip.exr');
  const open = (bytes: Uint8Array) => {
    const file = parseExrHeader(bytes);
    return decodeExrPart(bytes, file, 0, null, referenceHost);
  };
  const codeOf = (bytes: Uint8Array): string => {
    try {
      open(bytes);
      return 'read';
    } catch (error) {
      if (error instanceof IvrexError) return error.code;
      throw error;
    }
  };
  test('a text file and an empty file are said to be none', () => {
    expect(codeOf(new TextEncoder().encode('notes about the heron'))).toBe('notAnImage');
    expect(codeOf(new Uint8Array(0))).toBe('truncated');
  });
  test('cut anywhere, a file is an error of ours and never a crash', () => {
    for (let length = 0; length < good.length; length += 97)
      expect(['truncated', 'damaged', 'notAnImage']).toContain(codeOf(good.slice(0, length)));
  });
  test('the sentence tells how much of the picture is there', () => {
    expect(() => open(good.slice(0, good.length - 200))).toThrow('1 of 2 blocks of scan lines are there');
  });
  test('any single changed byte is read or refused, and nothing else happens', () => {
    let refused = 0;
    for (let i = 0; i < good.length; i += 13) {
      const hurt = good.slice();
      hurt[i] ^= 0xff;
      if (codeOf(hurt) !== 'read') refused++;
    }
    expect(refused).toBeGreaterThan(20);
  });
  test('a chunk table of zeroes is rebuilt, with a warning', () => {
    const file = parseExrHeader(good),
      hurt = good.slice();
    hurt.fill(0, file.tablesAtBytes, file.tablesAtBytes + 16);
    const index = indexChunks(hurt, parseExrHeader(hurt), 0);
    expect(index.warnings).toHaveLength(1);
    expect(decodeExrPart(hurt, file, 0, ['R'], referenceHost, index).planes[0].data).toEqual(
      open(good).planes.find((p) => p.name === 'R')?.data,
    );
  });
  test('a window of billions of pixels is refused before memory is taken', () => {
    const hurt = good.slice(),
      at = Buffer.from(hurt).indexOf('dataWindow\0box2i\0') + 'dataWindow\0box2i\0'.length + 4;
    new DataView(hurt.buffer).setInt32(at + 8, 2_000_000_000, true);
    expect(codeOf(hurt)).toBe('tooLarge');
    expect(() => parseExrHeader(good, { ...DEFAULT_LIMITS, maxPixels: 100 })).toThrow(
      expect.objectContaining({ code: 'tooLarge' }) as IvrexError,
    );
  });
  test('a compression that is only read is refused for writing, and the others are named', () => {
    expect(() => encodeExr(madeImage(), { compression: 'b44' }, referenceHost)).toThrow('use none, rle, zips, zip, piz');
  });
});
