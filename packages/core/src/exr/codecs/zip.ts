import { IvrexError } from '../../errors';
import type { ChunkCodec } from './codec';

/** ZIPS (one line) and ZIP (sixteen lines): predictor and byte split, then a zlib stream. */
export const zipCodec: ChunkCodec = {
  unpack(packed, out, host) {
    let deltas: Uint8Array;
    try {
      deltas = host.inflate(packed, out.length);
    } catch {
      throw new IvrexError('damaged', 'a ZIP block cannot be unpacked');
    }
    if (deltas.length !== out.length) throw new IvrexError('damaged', `a ZIP block holds ${deltas.length} bytes instead of ${out.length}`);
    host.kernels.reconstructBytes(deltas, out);
  },
  pack(raw, host) {
    const deltas = new Uint8Array(raw.length);
    host.kernels.predictBytes(raw, deltas);
    return host.deflate(deltas);
  },
};
