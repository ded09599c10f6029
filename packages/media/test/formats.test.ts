import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { statisticsOf, type Image, type IvrexError } from '@ivrex/core';
import sharp from 'sharp';
import { loadHeader, loadNodeHost, loadPicture, openImage, tryFindDamage, usualReading, type NodeHost } from '../src';
import { movieFrame } from '../src/files/movie-path';

let host: NodeHost;
const folder = mkdtempSync(path.join(tmpdir(), 'ivrex-formats-'));
const at = (name: string) => path.join(folder, name);
beforeAll(async () => {
  host = await loadNodeHost(path.join(__dirname, '../../kernels/build/kernels.wasm'), { cacheFolder: at('cache') });
  // A picture with slopes, noise and values outside 0 to 1, from the image tool.
  execFileSync('oiiotool', [
    ...['--pattern', 'fill:topleft=-0.5,0,0.25:topright=0.5,1.5,0:bottomleft=1,0.1,0.7:bottomright=0.3,0.4,0.5', '61x43', '3'],
    ...['--noise:type=gaussian:mean=0:stddev=0.1', '-d', 'float', '-o', at('base.exr')],
  ]);
});

const coded = (code: string) => expect.objectContaining({ code }) as IvrexError;
const read = async (file: string): Promise<Image> => (await openImage(file, host)).decode(0, null);
const plane = (image: Image, name: string) => image.planes.find((p) => p.name === name)?.data ?? new Float32Array(0);

/** The image tool's own reading of the file, as float OpenEXR. */
async function byTool(file: string): Promise<Image> {
  const out = `${file}.oracle.exr`;
  execFileSync('oiiotool', [file, '-d', 'float', '--compression', 'zip', '-o', out]);
  return read(out);
}

function expectEqual(ours: Image, theirs: Image, names: readonly string[], tolerance: number): void {
  for (const name of names) {
    const a = plane(ours, name),
      b = plane(theirs, name);
    expect(a.length).toBe(b.length);
    for (let i = 0; i < a.length; i++)
      if (!(Math.abs(a[i] - b[i]) <= tolerance)) throw new Error(`${name} ${i}: ${a[i]}, the tool reads ${b[i]}`);
  }
}

describe('TIFF, as the image tool writes it', () => {
  test.each([
    ['uint8', 'none', []],
    ['uint8', 'lzw', []],
    ['uint8', 'packbits', ['--tile', '16', '16']],
    ['uint16', 'zip', []],
    ['uint16', 'lzw', ['--tile', '32', '16']],
    ['half', 'zip', []],
    ['half', 'none', ['--tile', '16', '16']],
    ['float', 'none', []],
    ['float', 'zip', []],
    ['float', 'lzw', []],
    ['uint32', 'zip', []],
  ])('%s, %s, %s', async (type, compression, more) => {
    const file = at(`t-${type}-${compression}-${more.length}.tif`);
    execFileSync('oiiotool', [at('base.exr'), ...more, '-d', type, '--compression', compression, '-o', file]);
    const ours = await read(file);
    // Whole numbers of 32 bits are held as they are; the tool makes fractions of them.
    if (type === 'uint32') {
      expect(statisticsOf(plane(ours, 'R')).max).toBe(4294967295);
      return;
    }
    expectEqual(ours, await byTool(file), ['R', 'G', 'B'], type === 'uint8' || type === 'uint16' ? 1e-7 : 0);
    expect(await tryFindDamage(file)).toBeNull();
  });

  test('grey, RGBA and extra samples have names', async () => {
    for (const [channels, names] of [
      ['R', ['Y']],
      ['R,G,B,A=0.5', ['R', 'G', 'B', 'A']],
      ['R,G,B,A=0.5,extra=0.25,more=0.75', ['R', 'G', 'B', 'A', 'X1', 'X2']],
    ] as const) {
      const file = at(`channels-${names.length}.tif`);
      execFileSync('oiiotool', [at('base.exr'), '--ch', channels, '-d', 'float', '-o', file]);
      expect((await loadHeader(file)).parts[0].channels.map((c) => c.name)).toEqual(names);
      const image = await read(file);
      if (names.length === 6) expect([plane(image, 'X1')[7], plane(image, 'X2')[7]]).toEqual([0.25, 0.75]);
    }
  });

  /** Rewrites a tag's first value: baseline TIFF, 12 bytes an entry, as the image tool writes it (little-endian). */
  const withTag = (file: string, tag: number, value: number): void => {
    const bytes = readFileSync(file);
    const start = bytes.readUInt32LE(4),
      count = bytes.readUInt16LE(start);
    for (let n = 0; n < count; n++) {
      const entry = start + 2 + n * 12;
      if (bytes.readUInt16LE(entry) === tag) bytes.writeUInt16LE(value, entry + 8);
    }
    writeFileSync(file, bytes);
  };
  /** A soft-edged disc of straight colour 0.6, as premultiplied or straight alpha. */
  const disc = (name: string, type: string, straight: boolean): string => {
    const file = at(name);
    const make = [
      '--create',
      '96x64',
      '4',
      '--fill:color=0.6,0.4,0.2,1',
      '96x64',
      '--create',
      '96x64',
      '1',
      '--fill:color=1',
      '32x32+32+16',
    ];
    const cut = ['--blur', '9x9', '--chnames', 'A', '--swap', '--ch', 'R,G,B', '--swap', '--chappend', ...(straight ? [] : ['--premult'])];
    execFileSync('oiiotool', [...make, ...cut, ...(straight ? ['--attrib', 'oiio:UnassociatedAlpha', '1'] : []), '-d', type, '-o', file]);
    return file;
  };
  test.each([
    ['float', false],
    ['float', true],
    ['uint8', false],
    ['uint16', true],
  ])('alpha as the file says: %s, straight %s', async (type, straight) => {
    const file = disc(`alpha-${type}-${straight}.tif`, type, straight);
    const { header } = await openImage(file, host);
    expect(header.parts[0].alpha).toBe(straight ? 'straight' : 'premultiplied');
    expect(usualReading(header).alpha.kind).toBe(straight ? 'straight' : 'premultiplied');
  });
  test.each(['float', 'uint8', 'uint16'])(
    'straight and premultiplied %s files that do not say come out as the same light',
    async (type) => {
      const pictures = [];
      for (const straight of [true, false]) {
        const file = disc(`unsaid-${type}-${straight}.tif`, type, straight);
        withTag(file, 338, 0);
        expect((await loadHeader(file)).parts[0].alpha).toBe('unsaid');
        pictures.push(await loadPicture({ file, part: 0, layer: '' }, host));
      }
      const [straight, premultiplied] = pictures.map((p) => p.rgba);
      let most = 0,
        soft = 0;
      for (let i = 0; i < straight.length; i++) {
        if (i % 4 === 3 && straight[i] > 0.1 && straight[i] < 0.9) soft++;
        most = Math.max(most, Math.abs(straight[i] - premultiplied[i]));
      }
      expect(soft).toBeGreaterThan(100);
      expect(most).toBeLessThan(type === 'uint8' ? 0.03 : 0.001);
    },
  );
  test('white is zero: grey comes out as another decoder finds it', async () => {
    const file = at('white-is-zero.tif');
    execFileSync('oiiotool', [at('base.exr'), '--ch', 'R', '--clamp:min=0:max=1', '-d', 'uint8', '--compression', 'none', '-o', file]);
    const before = Float32Array.from(plane(await read(file), 'Y'));
    withTag(file, 262, 0);
    const ours = plane(await read(file), 'Y'),
      theirs = await sharp(file).toColourspace('b-w').raw().toBuffer();
    expect([...ours].map((v) => Math.round(v * 255))).toEqual([...theirs]);
    expect([...ours].map((v) => Math.round(v * 255))).not.toEqual([...before].map((v) => Math.round(v * 255)));
  });
  test('a plane for each channel is read as interleaved ones are', async () => {
    const file = at('planar.tif');
    execFileSync('oiiotool', [at('base.exr'), '--planarconfig', 'separate', '-d', 'float', '-o', file]);
    expectEqual(await read(file), await byTool(file), ['R', 'G', 'B'], 0);
  });

  test('a cut file is found without reading its pixels, and is an error when read', async () => {
    const file = at('cut.tif');
    execFileSync('oiiotool', [at('base.exr'), '-d', 'uint16', '--compression', 'none', '-o', file]);
    const bytes = readFileSync(file);
    // The directory may stand at the end: keep it, lose pixels before it.
    writeFileSync(file, bytes);
    truncateSync(file, Math.floor(bytes.length * 0.6));
    expect(await tryFindDamage(file)).toEqual(expect.objectContaining({ file }));
    await expect(read(file)).rejects.toThrow(expect.objectContaining({ file }) as IvrexError);
  });
});

test('an OpenEXR picture of 8K in tiles of 16 pixels is whole', async () => {
  const file = at('many-tiles.exr');
  execFileSync('oiiotool', ['--create', '8192x4320', '1', '--tile', '16', '16', '-d', 'half', '--compression', 'zip', '-o', file]);
  expect(await tryFindDamage(file)).toBeNull();
});

describe('PNG', () => {
  const values = (count: number, most: number) => Array.from({ length: count }, (_, i) => (i * 2654435761) % (most + 1));
  test.each([
    [1, 8],
    [2, 8],
    [3, 8],
    [4, 8],
    [1, 16],
    [3, 16],
    [4, 16],
  ] as const)('%d channels of %d bits are read bit by bit', async (channels, depth) => {
    const width = 23,
      height = 11,
      most = depth === 8 ? 255 : 65535;
    const stored = (depth === 8 ? Uint8Array : Uint16Array).from(values(width * height * channels, most));
    const space = depth === 16 ? (channels < 3 ? 'grey16' : 'rgb16') : channels < 3 ? 'b-w' : 'srgb';
    const file = at(`p-${channels}-${depth}.png`);
    await sharp(stored, { raw: { width, height, channels } }).toColourspace(space).png().toFile(file);
    const image = await read(file);
    expect(image.planes.map((p) => p.name)).toEqual({ 1: ['Y'], 2: ['Y', 'A'], 3: ['R', 'G', 'B'], 4: ['R', 'G', 'B', 'A'] }[channels]);
    image.planes.forEach(({ data, type }, c) => {
      expect(type).toBe(depth === 8 ? 'u8' : 'u16');
      expect(Array.from(data, (v) => Math.round(v * most))).toEqual([...stored].filter((_, i) => i % channels === c));
    });
  });

  test('neither a colour profile nor a gamma chunk changes what data is read', async () => {
    const raw = Buffer.from(values(30 * 20 * 3, 255));
    const make = () => sharp(raw, { raw: { width: 30, height: 20, channels: 3 } });
    await make().png().toFile(at('plain.png'));
    await make().withIccProfile('p3', { attach: true }).png().toFile(at('tagged.png'));
    const tagged = await read(at('tagged.png'));
    const stored = await sharp(at('tagged.png'), { ignoreIcc: true }).raw().toBuffer();
    expect(Array.from(plane(tagged, 'G'), (v) => Math.round(v * 255))).toEqual([...stored].filter((_, i) => i % 3 === 1));
    // A gAMA chunk of 0.45455 put behind IHDR by hand (PNG specification, 11.3.3.2).
    const plain = readFileSync(at('plain.png'));
    const chunk = Buffer.from('0000000467414d410000b18f0bfc6105', 'hex');
    writeFileSync(at('gamma.png'), Buffer.concat([plain.subarray(0, 33), chunk, plain.subarray(33)]));
    expect(plane(await read(at('gamma.png')), 'R')).toEqual(plane(await read(at('plain.png')), 'R'));
  });

  test('palettes and few bits come as their colours', async () => {
    const raw = Buffer.from(Array.from({ length: 16 * 16 * 3 }, (_, i) => (Math.floor(i / 3) % 3) * 100));
    await sharp(raw, { raw: { width: 16, height: 16, channels: 3 } })
      .png({ palette: true, colours: 4 })
      .toFile(at('palette.png'));
    const image = await read(at('palette.png'));
    expect(image.planes).toHaveLength(3);
    expect(new Set(Array.from(plane(image, 'R'), (v) => Math.round(v * 255)))).toEqual(new Set([0, 100, 200]));
  });

  test('a cut file is named', async () => {
    writeFileSync(at('cut.png'), readFileSync(at('plain.png')).subarray(0, 200));
    expect(await tryFindDamage(at('cut.png'))).toEqual(coded('truncated'));
    await expect(read(at('cut.png'))).rejects.toThrow(coded('damaged'));
  });
});

test('JPEG has the colours that another decoder finds, and a cut one is named', async () => {
  execFileSync('oiiotool', [at('base.exr'), '--clamp:min=0:max=1', '-d', 'uint8', '--compression', 'jpeg:95', '-o', at('plate.jpg')]);
  expectEqual(await read(at('plate.jpg')), await byTool(at('plate.jpg')), ['R', 'G', 'B'], 3.1 / 255);
  expect(await tryFindDamage(at('plate.jpg'))).toBeNull();
  writeFileSync(at('cut.jpg'), readFileSync(at('plate.jpg')).subarray(0, 2000));
  expect(await tryFindDamage(at('cut.jpg'))).toEqual(coded('truncated'));
  await expect(read(at('cut.jpg'))).rejects.toThrow(coded('damaged'));
});

test('DPX is read as the image tool reads it', async () => {
  execFileSync('oiiotool', [at('base.exr'), '--clamp:min=0:max=1', '-d', 'uint16', '-o', at('plate.dpx')]);
  const header = await loadHeader(at('plate.dpx'));
  expect(header.format).toBe('DPX');
  expectEqual(await read(at('plate.dpx')), await byTool(at('plate.dpx')), ['R', 'G', 'B'], 1e-4);
  truncateSync(at('plate.dpx'), 6000);
  expect(await tryFindDamage(at('plate.dpx'))).toEqual(coded('truncated'));
});

test('every frame of a movie is the frame of that number, whatever order they are asked in', async () => {
  const movie = at('plate.mov');
  // Frame n is grey 16 + 9 n, in groups of pictures that depend on each other.
  execFileSync('ffmpeg', [
    ...['-v', 'error', '-f', 'lavfi', '-i', 'color=black:s=64x48:r=24:d=1,format=gray,geq=lum=16+9*N'],
    ...['-c:v', 'libx264', '-g', '48', '-bf', '3', '-pix_fmt', 'yuv420p', '-y', movie],
  ]);
  const header = await loadHeader(movie);
  expect(header.parts[0].attributes.get('framesPerSecond')?.value).toEqual([24, 1]);
  for (const frame of [24, 1, 17, 16, 2]) {
    const image = await read(movieFrame(movie, frame));
    const luma = 16 + 9 * (frame - 1),
      full = luma / 255;
    expect(Math.abs((statisticsOf(plane(image, 'G')).mean ?? 0) - full)).toBeLessThan(2.5 / 255);
  }
  await expect(read(movieFrame(movie, 25))).rejects.toThrow(coded('missingFrame'));
});

test('a movie is read as the container that it is called, and from this disk alone', async () => {
  const movie = at('inner.mov');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'color=red:s=64x48:r=24:d=0.2', '-c:v', 'libx264', '-y', movie]);
  expect((await loadHeader(movie)).format).toBe('movie');
  // Lists of other files, which ffmpeg on its own would follow.
  writeFileSync(at('list.mov'), `ffconcat version 1.0\nfile ${movie}\n`);
  writeFileSync(at('playlist.mp4'), `#EXTM3U\n#EXTINF:1,\n${movie}\n#EXT-X-ENDLIST\n`);
  for (const name of ['list.mov', 'playlist.mp4']) {
    await expect(loadHeader(at(name))).rejects.toThrow(coded('damaged'));
    await expect(read(movieFrame(at(name), 1))).rejects.toThrow(coded('damaged'));
  }
});

test('a movie that declares more pixels than its bytes can hold is refused before any is unpacked', async () => {
  const movie = at('vast.avi');
  execFileSync('ffmpeg', ['-v', 'error', '-f', 'lavfi', '-i', 'color=red:s=64x48:r=24:d=0.1', '-c:v', 'mjpeg', '-y', movie]);
  const bytes = readFileSync(movie);
  // Every frame is a JPEG; height and width stand behind its SOF0 marker, length and precision.
  for (let at = bytes.indexOf('ffc0', 0, 'hex'); at >= 0; at = bytes.indexOf('ffc0', at + 2, 'hex'))
    bytes.writeUInt32BE(0xffdcffdc, at + 5);
  writeFileSync(movie, bytes);
  await expect(read(movieFrame(movie, 1))).rejects.toThrow(/more|cannot hold|larger|cannot be read/);
});

test('a file is what it holds, not what it is called', async () => {
  writeFileSync(at('really.exr'), readFileSync(at('plain.png')));
  expect((await loadHeader(at('really.exr'))).format).toBe('PNG');
  writeFileSync(at('notes.png'), 'the gate stays shut until the ebb');
  await expect(loadHeader(at('notes.png'))).rejects.toThrow(coded('notAnImage'));
});

test('what a picture usually means: the curve of its kind of file is undone, straight alpha is multiplied in', async () => {
  const raw = Buffer.from([188, 188, 188, 128, 255, 255, 255, 0]);
  await sharp(raw, { raw: { width: 2, height: 1, channels: 4 } })
    .png()
    .toFile(at('straight.png'));
  expect(usualReading(await loadHeader(at('straight.png')))).toEqual({ curve: 'srgb', alpha: { kind: 'straight' } });
  const { rgba } = await loadPicture({ file: at('straight.png'), part: 0, layer: '' }, host);
  const linear = ((188 / 255 + 0.055) / 1.055) ** 2.4;
  expect(rgba[0]).toBeCloseTo((linear * 128) / 255, 5);
  expect([...rgba.subarray(4)]).toEqual([0, 0, 0, 0]);
  const none = await loadPicture(
    { file: at('straight.png'), part: 0, layer: '', reading: { curve: 'linear', alpha: { kind: 'none' } } },
    host,
  );
  expect(none.rgba[3]).toBe(1);
  expect(none.rgba[0]).toBeCloseTo(188 / 255, 5);
});
