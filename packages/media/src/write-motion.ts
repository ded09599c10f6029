import { encodeExr, heightOf, IvrexError, joinChannelName, widthOf, type Attribute, type StoredType, type Window } from '@ivrex/core';
import { encode as encodePng } from 'fast-png';
import { writeFileAtomic } from './atomic-write';
import type { NodeHost } from './node-host';

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
    return writeFileAtomic(file, encodeTiff(interleaved(file, motion), type));
  }
  throw new IvrexError('unsupported', 'motion is written as .exr, .tif or .png; the name must end with one of them', file);
}

function toCodes(values: Float32Array, type: 'u8' | 'u16'): Uint8Array | Uint16Array {
  const most = type === 'u8' ? 255 : 65535,
    out = type === 'u8' ? new Uint8Array(values.length) : new Uint16Array(values.length);
  for (let i = 0; i < out.length; i++) out[i] = Math.round(values[i] * most);
  return out;
}

interface Interleaved {
  readonly values: Float32Array;
  readonly channels: 3 | 4;
  readonly width: number;
  readonly height: number;
}

/** R, G, B and A only: pictures of these formats have no other names. What the encoding leaves out is 0. */
function interleaved(file: string, { planes, displayWindow }: WrittenMotion): Interleaved {
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

/** Bytes of a directory entry and of the fields that TIFF 6.0 asks of a full-colour picture. */
const ENTRY_BYTES = 12;

/** Baseline TIFF 6.0 with one uncompressed strip; samples of 8, 16 bits or IEEE floats (tag SampleFormat 3). Little-endian. */
function encodeTiff({ values, channels, width, height }: Interleaved, type: 'u8' | 'u16' | 'float'): Uint8Array {
  const bytesPerSample = { u8: 1, u16: 2, float: 4 }[type];
  const samples = type === 'float' ? values : toCodes(values, type);
  const pixels = new Uint8Array(samples.buffer, samples.byteOffset, samples.byteLength);
  const SHORT = 3,
    LONG = 4;
  const lists = 8 + 2 + 12 * ENTRY_BYTES + 4,
    data = lists + 2 * 2 * channels;
  const entries: (readonly [tag: number, type: number, count: number, value: number])[] = [
    [256, LONG, 1, width],
    [257, LONG, 1, height],
    [258, SHORT, channels, lists],
    [259, SHORT, 1, 1],
    [262, SHORT, 1, 2],
    [273, LONG, 1, data],
    [277, SHORT, 1, channels],
    [278, LONG, 1, height],
    [279, LONG, 1, pixels.length],
    [284, SHORT, 1, 1],
    // A fourth sample is data of no said meaning: neither straight nor premultiplied alpha.
    [338, SHORT, channels - 3, 0],
    [339, SHORT, channels, lists + 2 * channels],
  ];
  const out = new Uint8Array(data + pixels.length),
    view = new DataView(out.buffer);
  view.setUint32(0, 0x002a4949, true);
  view.setUint32(4, 8, true);
  const written = entries.filter(([, , count]) => count > 0);
  view.setUint16(8, written.length, true);
  written.forEach(([tag, kind, count, value], k) => {
    const at = 10 + k * ENTRY_BYTES;
    view.setUint16(at, tag, true);
    view.setUint16(at + 2, kind, true);
    view.setUint32(at + 4, count, true);
    if (kind === SHORT && count === 1) view.setUint16(at + 8, value, true);
    else view.setUint32(at + 8, value, true);
  });
  for (let c = 0; c < channels; c++) {
    view.setUint16(lists + c * 2, bytesPerSample * 8, true);
    view.setUint16(lists + channels * 2 + c * 2, type === 'float' ? 3 : 1, true);
  }
  out.set(pixels, data);
  return out;
}
