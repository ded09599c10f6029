import { encodeExr, heightOf, IvrexError, joinChannelName, widthOf, type Attribute, type StoredType, type Window } from '@ivrex/core';
import { encode as encodePng } from 'fast-png';
import { writeFileAtomic } from '../files/atomic-write';
import type { NodeHost } from '../host/node-host';
import { encodeTiff, toCodes, type FlatPicture } from './tiff-writer';

export interface WrittenMotion {
  /** By short name, over the display window. Whole numbers: 0 to 1, already on their codes. */
  readonly planes: ReadonlyMap<string, Float32Array>;
  readonly displayWindow: Window;
  readonly type: StoredType;
  readonly layer: string;
  readonly attributes: ReadonlyMap<string, Attribute>;
}

/** As the file's name says: OpenEXR (half, float), TIFF (8, 16, float), PNG (8, 16). @throws IvrexError unsupported, badEncoding, cannotWrite */
export async function saveMotion(file: string, motion: WrittenMotion, host: NodeHost): Promise<void> {
  const { type } = motion;
  const whole = type === 'u8' || type === 'u16';
  if (/\.exr$/i.test(file)) {
    if (whole) throw new IvrexError('unsupported', 'OpenEXR holds half or float values; choose one of them, or write PNG or TIFF', file);
    const planes = [...motion.planes].map(([name, data]) => ({ name: joinChannelName(motion.layer, name), type, data }));
    const { displayWindow, attributes } = motion;
    return writeFileAtomic(file, encodeExr({ displayWindow, dataWindow: displayWindow, planes }, { compression: 'zip', attributes }, host));
  }
  if (/\.png$/i.test(file)) {
    if (!whole)
      throw new IvrexError('unsupported', 'PNG holds whole numbers of 8 or 16 bits; choose u8 or u16, or write OpenEXR or TIFF', file);
    const { values, channels, width, height } = interleaved(file, motion);
    const depth = type === 'u8' ? 8 : 16;
    return writeFileAtomic(file, encodePng({ width, height, channels, depth, data: toCodes(values, type) }));
  }
  if (/\.tiff?$/i.test(file)) {
    if (type === 'half')
      throw new IvrexError('unsupported', 'TIFF is written with 8 or 16-bit whole numbers or 32-bit floats; choose u8, u16 or float', file);
    return writeFileAtomic(file, encodeTiff(interleaved(file, motion), type, 'data'));
  }
  throw new IvrexError('unsupported', 'motion is written as .exr, .tif or .png; the name must end with one of them', file);
}

/** R, G, B and A only: pictures of these formats have no other names. What the encoding leaves out is 0. */
export function interleaved(file: string, { planes, displayWindow }: Pick<WrittenMotion, 'planes' | 'displayWindow'>): FlatPicture {
  const names = ['R', 'G', 'B', 'A'];
  const other = [...planes.keys()].find((name) => !names.includes(name));
  if (other !== undefined)
    throw new IvrexError(
      'badEncoding',
      `TIFF and PNG have channels R, G, B and A, and the target names "${other}"; use those, or write OpenEXR`,
      file,
    );
  const width = widthOf(displayWindow),
    height = heightOf(displayWindow),
    channels = planes.has('A') ? 4 : 3;
  const values = new Float32Array(width * height * channels);
  for (let c = 0; c < channels; c++) {
    const plane = planes.get(names[c]);
    if (plane !== undefined) for (let i = 0; i < plane.length; i++) values[i * channels + c] = plane[i];
  }
  return { values, channels, width, height };
}
