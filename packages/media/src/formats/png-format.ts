import { readFile } from 'node:fs/promises';
import { IvrexError } from '@ivrex/core';
import { decode as decodePng } from 'fast-png';
import { loadSharp } from '../host/load-sharp';
import type { ImageFormat, ImageHeader } from './image-format';
import { checkSize, CUT_OFF, readStart, readTail } from './file-parts';
import { pick, plainHeader, plainImage } from './plain-image';

/** zlib can't shrink more than this. */
const MOST_RATIO = 1040;

interface PngFacts {
  readonly header: ImageHeader;
  /** Samples as they stand in the file; false for palettes and fewer than 8 bits, which a library brings to 8 bits. */
  readonly direct: boolean;
}

/** The first chunk, IHDR (PNG specification, 11.2.2). */
async function factsOf(file: string): Promise<PngFacts> {
  const start = await readStart(file, 33);
  if (start.length < 33) throw new IvrexError('truncated', CUT_OFF);
  const view = new DataView(start.buffer, start.byteOffset, start.byteLength);
  const width = view.getUint32(16),
    height = view.getUint32(20),
    depth = view.getUint8(24),
    colour = view.getUint8(25);
  const samples = { 0: 1, 2: 3, 3: 3, 4: 2, 6: 4 }[colour];
  if (samples === undefined || ![1, 2, 4, 8, 16].includes(depth))
    throw new IvrexError('damaged', 'the PNG header declares what the format does not define');
  await checkSize(file, width, height, (samples * depth) / 8, MOST_RATIO);
  const direct = depth >= 8 && colour !== 3;
  return {
    direct,
    header: plainHeader({
      format: 'PNG',
      compression: 'zlib',
      width,
      height,
      samples,
      hasAlpha: colour === 4 || colour === 6,
      type: depth === 16 ? 'u16' : 'u8',
    }),
  };
}

export const pngFormat: ImageFormat = {
  loadHeader: async (file) => (await factsOf(file)).header,

  async checkWhole(file) {
    await factsOf(file);
    // The file ends with an IEND chunk: length 0, name, checksum.
    const tail = await readTail(file, 12);
    if (new TextDecoder('latin1').decode(tail.subarray(4, 8)) !== 'IEND') throw new IvrexError('truncated', CUT_OFF);
  },

  /** Bit-exact: no gamma chunk, profile or alpha touches the samples. */
  async open(file) {
    const { header, direct } = await factsOf(file);
    const samples = header.parts[0].channels.length;
    let data: Uint8Array | Uint16Array;
    try {
      if (direct) {
        const decoded = decodePng(await readFile(file), { checkCrc: true });
        data = decoded.data instanceof Uint16Array ? decoded.data : Uint8Array.from(decoded.data);
      } else {
        const channels = samples === 1 ? 'b-w' : 'srgb';
        data = await (
          await loadSharp()
        )(file, { ignoreIcc: true, failOn: 'truncated' })
          .removeAlpha()
          .toColourspace(channels)
          .raw()
          .toBuffer();
      }
    } catch (error) {
      throw new IvrexError('damaged', `the PNG cannot be unpacked (${reason(error)}); copy or render this frame again`);
    }
    const [{ dataWindow }] = header.parts;
    if (data.length !== (dataWindow.xMax + 1) * (dataWindow.yMax + 1) * samples) throw new IvrexError('truncated', CUT_OFF);
    return plainImage(header, (channel) => pick(data, channel, samples));
  },
};

export function reason(error: unknown): string {
  return (error instanceof Error ? error.message : String(error)).split('\n')[0];
}
