import { IvrexError } from '../../errors';
import type { Compression } from '../attributes';
import type { ChunkCodec } from './codec';
import { rleCodec } from './rle';
import { zipCodec } from './zip';

const storedCodec: ChunkCodec = {
  unpack(packed, out) {
    if (packed.length !== out.length) throw new IvrexError('damaged', `a block holds ${packed.length} bytes instead of ${out.length}`);
    out.set(packed);
  },
  pack: (raw) => raw,
};

const CODECS: Partial<Record<Compression, ChunkCodec>> = { none: storedCodec, rle: rleCodec, zips: zipCodec, zip: zipCodec };

/** Chosen once a file, outside the loops. */
export function codecFor(compression: Compression): ChunkCodec {
  const codec = CODECS[compression];
  if (codec === undefined) {
    throw new IvrexError(
      'unsupported',
      `the compression ${compression.toUpperCase()} is not read by this version; save the file with ZIP, ZIPS, RLE or none`,
    );
  }
  return codec;
}

/** True where pixels of this compression can be read and written. */
export function hasCodec(compression: Compression): boolean {
  return CODECS[compression] !== undefined;
}
