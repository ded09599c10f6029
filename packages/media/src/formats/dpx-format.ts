import { stat } from 'node:fs/promises';
import { IvrexError } from '@ivrex/core';
import type { ImageFormat, ImageHeader } from './image-format';
import { inputOf, probeVideo, runFfmpeg } from './ffmpeg';
import { checkSize, CUT_OFF, readStart } from './file-parts';
import { pick, plainHeader, plainImage } from './plain-image';

const CONTAINER = 'dpx_pipe';

/** DPX is not compressed, or by run lengths only. */
const MOST_RATIO = 64;

async function headerOf(file: string): Promise<ImageHeader> {
  const { width, height, pix_fmt: pixels } = await probeVideo(file, false, CONTAINER);
  await checkSize(file, width, height, 3, MOST_RATIO);
  const grey = pixels.startsWith('gray'),
    hasAlpha = /^(rgba|bgra|gbrap|ya)/.test(pixels);
  return plainHeader({
    format: 'DPX',
    compression: pixels,
    width,
    height,
    samples: (grey ? 1 : 3) + (hasAlpha ? 1 : 0),
    hasAlpha,
    type: 'u16',
  });
}

export const dpxFormat: ImageFormat = {
  loadHeader: headerOf,

  /** SMPTE 268M: the whole file's length stands at byte 16. */
  async checkWhole(file) {
    const start = await readStart(file, 20);
    if (start.length < 20) throw new IvrexError('truncated', CUT_OFF);
    const view = new DataView(start.buffer, start.byteOffset, 20);
    const declared = view.getUint32(16, start[0] === 0x58);
    if (declared !== 0xffffffff && declared > (await stat(file)).size) throw new IvrexError('truncated', CUT_OFF);
    await headerOf(file);
  },

  async open(file) {
    const header = await headerOf(file);
    const samples = header.parts[0].channels.length;
    const form = { 1: 'gray16le', 2: 'ya16le', 3: 'rgb48le', 4: 'rgba64le' }[samples] ?? 'rgb48le';
    const bytes = await runFfmpeg('ffmpeg', [
      '-v',
      'error',
      ...inputOf(file, CONTAINER),
      '-frames:v',
      '1',
      '-f',
      'rawvideo',
      '-pix_fmt',
      form,
      '-',
    ]);
    const data = new Uint16Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
    return plainImage(header, (channel) => pick(data, channel, samples));
  },
};
