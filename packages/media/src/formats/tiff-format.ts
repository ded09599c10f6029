import { stat } from 'node:fs/promises';
import { IvrexError, type SampleType } from '@ivrex/core';
import type { GeoTIFFImage } from 'geotiff';
import type { AlphaSaid, ImageFormat, ImageHeader } from './image-format';
import { checkSize, CUT_OFF } from './file-parts';
import { plainHeader, plainImage, type StoredSamples } from './plain-image';
import { reason } from './png-format';
import { loadTiffLibrary } from './tiff-lzw';

/** zlib and LZW can't shrink more than this. */
const MOST_RATIO = 1500,
  MOST_SAMPLES = 64;
/** TIFF 6.0, tag Compression, and the registered additions. */
const COMPRESSION_NAMES: Readonly<Record<number, string>> = {
  1: 'none',
  5: 'lzw',
  7: 'jpeg',
  8: 'deflate',
  32773: 'packbits',
  32946: 'deflate',
  50000: 'zstd',
};

/** TIFF 6.0, tag ExtraSamples: of no said meaning, associated (premultiplied) and unassociated alpha. */
const ALPHA_SAID: Readonly<Record<number, AlphaSaid>> = { 0: 'unsaid', 1: 'premultiplied', 2: 'straight' };

/** PhotometricInterpretation 0: the largest value is black. */
const WHITE_IS_ZERO = 0;

/** Bits and sample format (1 whole number, 2 signed, 3 float) to what we hold. */
function typeOf(bits: number, format: number): SampleType {
  const known: Readonly<Record<string, SampleType>> = { '8,1': 'u8', '16,1': 'u16', '32,1': 'uint', '16,3': 'half', '32,3': 'float' };
  const type = known[`${bits},${format}`];
  if (type === undefined)
    throw new IvrexError(
      'unsupported',
      `TIFF samples of ${bits} bits${format === 2 ? ' with a sign' : format === 3 ? ' floating point' : ''} are not read; save it with 8 or 16-bit whole numbers, or 16 or 32-bit floats`,
    );
  return type;
}

/** Runs with the first picture of the file, closed afterwards. What the library throws becomes a sentence. */
async function withTiff<T>(file: string, work: (image: GeoTIFFImage) => Promise<T>): Promise<T> {
  const { fromFile } = await loadTiffLibrary();
  const tiff = await fromFile(file).catch((error: unknown) => {
    throw new IvrexError('damaged', `the TIFF header cannot be read (${reason(error)})`);
  });
  try {
    return await work(await tiff.getImage(0));
  } catch (error) {
    if (error instanceof IvrexError) throw error;
    throw new IvrexError('damaged', `the TIFF cannot be read (${reason(error)}); copy or render this frame again`);
  } finally {
    await Promise.resolve(tiff.close());
  }
}

async function numberTag(
  image: GeoTIFFImage,
  tag: 'Compression' | 'PhotometricInterpretation' | 'Orientation' | 'ExtraSamples',
  missing: number,
): Promise<number> {
  const directory = image.getFileDirectory();
  const value: unknown = directory.hasTag(tag) ? await directory.loadValue(tag) : missing;
  const first = typeof value === 'number' ? value : (value as ArrayLike<number>)[0];
  return typeof first === 'number' ? first : missing;
}

async function headerOf(file: string, image: GeoTIFFImage): Promise<ImageHeader> {
  const samples = image.getSamplesPerPixel();
  if (!(samples >= 1 && samples <= MOST_SAMPLES))
    throw new IvrexError('tooLarge', `the TIFF declares ${samples} samples a pixel; up to ${MOST_SAMPLES} are read`);
  const bits = image.getBitsPerSample(0) as number;
  const type = typeOf(bits, Number(image.getSampleFormat(0)));
  for (let i = 1; i < samples; i++)
    if (image.getBitsPerSample(i) !== bits)
      throw new IvrexError('unsupported', 'the samples of this TIFF differ in size; save all channels with the same');
  await checkSize(file, image.getWidth(), image.getHeight(), (samples * bits) / 8, MOST_RATIO);
  const photometric = await numberTag(image, 'PhotometricInterpretation', 2);
  if (photometric > 2)
    throw new IvrexError('unsupported', 'only grey and RGB TIFF files are read; this one has a palette or another colour model');
  const colours = photometric === 2 ? 3 : 1;
  const compression = await numberTag(image, 'Compression', 1);
  const orientation = await numberTag(image, 'Orientation', 1);
  return plainHeader({
    format: 'TIFF',
    compression: COMPRESSION_NAMES[compression] ?? String(compression),
    width: image.getWidth(),
    height: image.getHeight(),
    samples,
    hasAlpha: samples > colours,
    ...(samples > colours ? { alpha: ALPHA_SAID[await numberTag(image, 'ExtraSamples', 0)] ?? 'unsaid' } : {}),
    type,
    attributes: new Map(
      orientation === 1 ? [] : [['orientation', { type: 'string', value: `${orientation}, not applied: pixels are taken as stored` }]],
    ),
  });
}

async function numbersTag(
  image: GeoTIFFImage,
  tag: 'StripOffsets' | 'StripByteCounts' | 'TileOffsets' | 'TileByteCounts',
): Promise<ArrayLike<number>> {
  const directory = image.getFileDirectory();
  if (!directory.hasTag(tag)) return [];
  const value: unknown = await directory.loadValue(tag);
  return typeof value === 'number' ? [value] : (value as ArrayLike<number>);
}

/** Every strip and tile lies inside the file. */
async function checkBlocks(file: string, image: GeoTIFFImage): Promise<void> {
  await headerOf(file, image);
  const { size } = await stat(file);
  for (const kind of ['Strip', 'Tile'] as const) {
    const offsets = await numbersTag(image, `${kind}Offsets`),
      counts = await numbersTag(image, `${kind}ByteCounts`);
    for (let i = 0; i < offsets.length; i++)
      if (Number(offsets[i]) + Number(counts[i] ?? 0) > size) throw new IvrexError('truncated', CUT_OFF);
  }
}

export const tiffFormat: ImageFormat = {
  loadHeader: (file) => withTiff(file, (image) => headerOf(file, image)),

  checkWhole: (file) => withTiff(file, (image) => checkBlocks(file, image)),

  /** Bit-exact: no profile is applied; halves are widened, which is exact. */
  open: (file) =>
    withTiff(file, async (image) => {
      await checkBlocks(file, image);
      const header = await headerOf(file, image);
      const rasters = (await image.readRasters({ interleave: false })) as unknown as ArrayLike<number>[];
      const [{ type }] = header.parts[0].channels;
      const isNegative = (await numberTag(image, 'PhotometricInterpretation', 2)) === WHITE_IS_ZERO;
      const stored = Array.from(rasters, (raster, n) => {
        const samples = storedAs(type, raster);
        return isNegative && n === 0 ? turnedRound(samples) : samples;
      });
      return plainImage(header, (channel) => stored[channel]);
    }),
};

/** White is zero: brightness the other way round. In place. */
function turnedRound(samples: StoredSamples): StoredSamples {
  const most =
    samples instanceof Uint8Array ? 255 : samples instanceof Uint16Array ? 65535 : samples instanceof Uint32Array ? 0xffffffff : 1;
  for (let i = 0; i < samples.length; i++) samples[i] = most - samples[i];
  return samples;
}

function storedAs(type: SampleType, raster: ArrayLike<number>): StoredSamples {
  switch (type) {
    case 'u8':
      return Uint8Array.from(raster);
    case 'u16':
      return Uint16Array.from(raster);
    case 'uint':
      return Uint32Array.from(raster);
    case 'half':
    case 'float':
      return Float32Array.from(raster);
  }
}
