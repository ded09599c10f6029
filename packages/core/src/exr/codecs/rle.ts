import { IvrexError } from '../../errors';
import type { ChunkCodec } from './codec';

const MIN_RUN = 3,
  MAX_RUN = 127;

/** Run lengths over predicted, split bytes. A count n >= 0: the next byte n + 1 times; n < 0: -n bytes follow as they are. */
export const rleCodec: ChunkCodec = {
  unpack(packed, out, host) {
    const deltas = new Uint8Array(out.length);
    let at = 0,
      filled = 0;
    while (at < packed.length) {
      const count = (packed[at++] << 24) >> 24;
      const length = count < 0 ? -count : count + 1;
      const needs = count < 0 ? length : 1;
      if (filled + length > deltas.length || at + needs > packed.length) throw new IvrexError('damaged', 'an RLE block runs past its end');
      if (count < 0) deltas.set(packed.subarray(at, at + length), filled);
      else deltas.fill(packed[at], filled, filled + length);
      at += needs;
      filled += length;
    }
    if (filled !== deltas.length) throw new IvrexError('damaged', `an RLE block holds ${filled} bytes instead of ${deltas.length}`);
    host.kernels.reconstructBytes(deltas, out);
  },
  pack(raw, host) {
    const deltas = new Uint8Array(raw.length);
    host.kernels.predictBytes(raw, deltas);
    const out: number[] = [];
    let start = 0;
    while (start < deltas.length) {
      let end = start + 1;
      while (end < deltas.length && deltas[end] === deltas[start] && end - start <= MAX_RUN) end++;
      if (end - start >= MIN_RUN) {
        out.push(end - start - 1, deltas[start]);
      } else {
        // Literal bytes, until a run of three starts.
        while (
          end < deltas.length &&
          end - start < MAX_RUN &&
          !(end + 2 < deltas.length && deltas[end] === deltas[end + 1] && deltas[end] === deltas[end + 2])
        )
          end++;
        out.push((start - end) & 0xff, ...deltas.subarray(start, end));
      }
      start = end;
    }
    return Uint8Array.from(out);
  },
};
