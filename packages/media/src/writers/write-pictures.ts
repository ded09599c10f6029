import { encode as encodePng } from 'fast-png';
import { writeFileAtomic } from '../files/atomic-write';
import { loadSharp } from '../host/load-sharp';

/** Pictures in formats other than OpenEXR. Values are 0 to 1, interleaved, and are rounded to the nearest step; beyond that they are clipped. */
export interface PictureSize {
  readonly width: number;
  readonly height: number;
  readonly channels: 1 | 3;
}

function steps<T extends Uint8Array | Uint16Array>(values: Float32Array, out: T, most: number): T {
  for (let i = 0; i < out.length; i++) out[i] = Math.round(Math.min(1, Math.max(0, values[i])) * most);
  return out;
}

/** @throws IvrexError cannotWrite */
export async function savePng16(file: string, values: Float32Array, size: PictureSize): Promise<void> {
  const data = steps(values, new Uint16Array(values.length), 65535);
  await writeFileAtomic(file, encodePng({ ...size, depth: 16, data }));
}

export async function savePng8(file: string, values: Float32Array, size: PictureSize): Promise<void> {
  const data = steps(values, new Uint8Array(values.length), 255);
  await writeFileAtomic(file, encodePng({ ...size, depth: 8, data }));
}

/** 8 bits, LZW. */
export async function saveTiff8(file: string, values: Float32Array, size: PictureSize): Promise<void> {
  const data = steps(values, new Uint8Array(values.length), 255);
  const space = size.channels === 1 ? 'b-w' : 'srgb';
  const sharp = await loadSharp();
  await writeFileAtomic(file, await sharp(data, { raw: size }).toColourspace(space).tiff({ compression: 'lzw' }).toBuffer());
}

/** Full colour resolution, quality 92. */
export async function saveJpeg(file: string, values: Float32Array, size: PictureSize): Promise<void> {
  const data = steps(values, new Uint8Array(values.length), 255);
  const sharp = await loadSharp();
  await writeFileAtomic(file, await sharp(data, { raw: size }).jpeg({ quality: 92, chromaSubsampling: '4:4:4' }).toBuffer());
}
