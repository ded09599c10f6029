import { IvrexError } from '../../errors';
import { COMPRESSIONS, type Compression } from '../attributes';
import { b44Codec } from './b44';
import type { ChunkCodec } from './codec';
import { dwaCodec } from './dwa';
import { pizCodec } from './piz';
import { pxr24Codec } from './pxr24';
import { rleCodec } from './rle';
import { zipCodec } from './zip';

/** No compression; blocks that did not shrink are stored like this too. */
export const storedCodec: ChunkCodec = {
  unpack(packed, memory, { rawBytes }) {
    if (packed.length !== rawBytes) throw new IvrexError('damaged', `a block holds ${packed.length} bytes instead of ${rawBytes}`);
    memory.put(packed, 0);
    return 'lines';
  },
  pack: (raw) => raw,
};

const CODECS: Record<Compression, ChunkCodec> = {
  none: storedCodec,
  rle: rleCodec,
  zips: zipCodec,
  zip: zipCodec,
  piz: pizCodec,
  pxr24: pxr24Codec,
  b44: b44Codec,
  b44a: b44Codec,
  dwaa: dwaCodec,
  dwab: dwaCodec,
};

/** Chosen once a file, outside the loops. */
export function codecFor(compression: Compression): ChunkCodec {
  return CODECS[compression];
}

/** What `encodeExr` can write; everything can be read. */
export const WRITABLE_COMPRESSIONS = COMPRESSIONS.filter((c): c is WritableCompression => CODECS[c].pack !== null);
export type WritableCompression = Exclude<Compression, 'b44' | 'b44a'>;
