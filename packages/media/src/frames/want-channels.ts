import { depthChannelNames, idNames, orNull, type DepthEncoding, type Encoding } from '@ivrex/core';
import type { ImageHeader } from '../formats/image-format';
import { channelsInLayer, pictureChannels, shortName } from '../formats/layers';
import type { FileReader } from './file-reader';
import { motionChannels } from './motion-pass';
import type { DepthFile, FrameFiles, PassFile, PictureFile } from './pass-files';

/** No depth pass has more. */
const MOST_DEPTH_CHANNELS = 8;

export function isMeasured(depth: DepthFile | null): depth is DepthFile & { readonly encoding: DepthEncoding } {
  return Boolean(depth?.encoding);
}

/**
 * Tells the reader what will be asked for of a frame, as far as the files can be read: what can't is said by whoever asks. Of depth that nobody measured yet
 * all channels.
 */
export async function wantChannels(
  { beauty, matte, motion, depth, ids }: Omit<FrameFiles, 'motion'> & { readonly motion: PassFile | null },
  encoding: Encoding | null,
  reader: FileReader,
): Promise<void> {
  const want = (pass: PassFile, choose: (header: ImageHeader) => readonly string[]): Promise<unknown> =>
    orNull(async () => reader.want(pass, choose((await reader.open(pass.file)).header)));
  const wantPicture = async (picture: PictureFile): Promise<void> => {
    await want(picture, (header) => pictureChannels(channelsInLayer(header, picture), picture.layer).filter((name) => name !== null));
    for (const other of [...(picture.without ?? []), ...(picture.coverFrom ? [picture.coverFrom] : [])]) await wantPicture(other);
  };
  await wantPicture(beauty);
  if (matte) await want(matte, (header) => channelsInLayer(header, matte));
  if (motion && encoding) await want(motion, (header) => [...motionChannels(header, motion, encoding).values()]);
  if (depth) await want(depth, (header) => depthChannels(header, depth, isMeasured(depth) ? depthChannelNames(depth.encoding) : null));
  if (ids)
    await want(ids, (header) => channelsNamed(header, ids, idNames(channelsInLayer(header, ids).map((n) => shortName(header, ids, n)))));
}

/** Full names of a depth pass's channels: those with these short names; null: of all that it can have. */
export function depthChannels(header: ImageHeader, pass: PassFile, named: readonly string[] | null): string[] {
  return named === null ? channelsInLayer(header, pass).slice(0, MOST_DEPTH_CHANNELS) : channelsNamed(header, pass, named);
}

/** Full names of a layer's channels with these short names. */
function channelsNamed(header: ImageHeader, pass: PassFile, names: readonly string[]): string[] {
  return channelsInLayer(header, pass).filter((full) => names.includes(shortName(header, pass, full)));
}
