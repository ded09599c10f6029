import { IvrexError } from '@ivrex/core';
import type { Metadata } from 'sharp';
import type { ImageFormat, ImageHeader } from './image-format';
import { checkSize, CUT_OFF, readTail } from './file-parts';
import { pick, plainHeader, plainImage } from './plain-image';
import { reason } from './png-format';
import { loadSharp } from '../host/load-sharp';

/** A progressive file of one colour shrinks far. */
const MOST_RATIO = 20000;

async function headerOf(file: string): Promise<ImageHeader> {
  let facts: Metadata;
  try {
    facts = await (await loadSharp())(file).metadata();
  } catch (error) {
    throw new IvrexError('damaged', `the JPEG header cannot be read (${reason(error)})`);
  }
  const { width, height } = facts;
  await checkSize(file, width, height, 3, MOST_RATIO);
  return plainHeader({
    format: 'JPEG',
    compression: 'jpeg',
    width,
    height,
    samples: facts.channels === 1 ? 1 : 3,
    hasAlpha: false,
    type: 'u8',
    attributes: new Map(
      facts.orientation !== undefined && facts.orientation !== 1
        ? [['orientation', { type: 'string', value: `${facts.orientation}, not applied: pixels are taken as stored` }]]
        : [],
    ),
  });
}

export const jpegFormat: ImageFormat = {
  loadHeader: headerOf,

  async checkWhole(file) {
    await headerOf(file);
    // An end mark, after which writers may leave padding.
    const tail = await readTail(file, 4096);
    if (!tail.some((b, i) => b === 0xff && tail[i + 1] === 0xd9)) throw new IvrexError('truncated', CUT_OFF);
  },

  /** The stored colours: a profile in the file is not applied. */
  async open(file) {
    const header = await headerOf(file);
    const samples = header.parts[0].channels.length;
    let data: Uint8Array;
    try {
      data = await (
        await loadSharp()
      )(file, { ignoreIcc: true, failOn: 'truncated' })
        .toColourspace(samples === 1 ? 'b-w' : 'srgb')
        .raw()
        .toBuffer();
    } catch (error) {
      throw new IvrexError('damaged', `the JPEG cannot be unpacked (${reason(error)}); copy or render this frame again`);
    }
    return plainImage(header, (channel) => pick(data, channel, samples));
  },
};
