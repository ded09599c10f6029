import { IvrexError } from '../../errors';
import type { ChunkCodec, ExrHost } from './codec';
import { predicted } from './rle';

/** A zlib stream of exactly `length` bytes. @throws IvrexError damaged */
export function inflateExactly(packed: Uint8Array, length: number, host: ExrHost): Uint8Array {
  let bytes: Uint8Array;
  try {
    bytes = host.inflate(packed, length);
  } catch {
    throw new IvrexError('damaged', 'a compressed block cannot be unpacked');
  }
  if (bytes.length !== length) throw new IvrexError('damaged', `a compressed block holds ${bytes.length} bytes instead of ${length}`);
  return bytes;
}

/** ZIPS (one line) and ZIP (sixteen lines): predictor and byte split, then a zlib stream. */
export const zipCodec: ChunkCodec = {
  unpack(packed, memory, layout, _wanted, host) {
    memory.put(inflateExactly(packed, layout.rawBytes, host), 0);
    memory.undoPredictor(layout.rawBytes);
    return 'splitLines';
  },
  pack: (raw, _layout, host) => host.deflate(predicted(raw, host)),
};
