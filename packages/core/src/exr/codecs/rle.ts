import { IvrexError } from '../../errors';
import type { ChunkCodec, ExrHost } from './codec';

const MIN_RUN = 3,
  MAX_RUN = 127;

/** A count n >= 0: the next byte n + 1 times; n < 0: -n bytes follow as they are. Fills `out` exactly. @throws IvrexError damaged */
export function undoRuns(packed: Uint8Array, out: Uint8Array): void {
  let at = 0,
    filled = 0;
  while (at < packed.length) {
    const count = (packed[at++] << 24) >> 24;
    const length = count < 0 ? -count : count + 1;
    const needs = count < 0 ? length : 1;
    if (filled + length > out.length || at + needs > packed.length) throw new IvrexError('damaged', 'an RLE block runs past its end');
    if (count < 0) out.set(packed.subarray(at, at + length), filled);
    else out.fill(packed[at], filled, filled + length);
    at += needs;
    filled += length;
  }
  if (filled !== out.length) throw new IvrexError('damaged', `an RLE block holds ${filled} bytes instead of ${out.length}`);
}

export function findRuns(bytes: Uint8Array): Uint8Array {
  // The worst case is one count byte more for every 127.
  const out = new Uint8Array(bytes.length + Math.ceil(bytes.length / MAX_RUN) + 1);
  let start = 0,
    at = 0;
  while (start < bytes.length) {
    let end = start + 1;
    while (end < bytes.length && bytes[end] === bytes[start] && end - start <= MAX_RUN) end++;
    if (end - start >= MIN_RUN) {
      out[at++] = end - start - 1;
      out[at++] = bytes[start];
    } else {
      // Literal bytes, until a run of three starts.
      while (
        end < bytes.length &&
        end - start < MAX_RUN &&
        !(end + 2 < bytes.length && bytes[end] === bytes[end + 1] && bytes[end] === bytes[end + 2])
      )
        end++;
      out[at++] = start - end;
      out.set(bytes.subarray(start, end), at);
      at += end - start;
    }
    start = end;
  }
  return out.slice(0, at);
}

/** Runs over predicted, split bytes. */
export const rleCodec: ChunkCodec = {
  unpack(packed, memory, layout) {
    const deltas = new Uint8Array(layout.rawBytes);
    undoRuns(packed, deltas);
    memory.put(deltas, 0);
    memory.undoPredictor(deltas.length);
    return 'splitLines';
  },
  pack: (raw, _layout, host) => findRuns(predicted(raw, host)),
};

export function predicted(raw: Uint8Array, host: ExrHost): Uint8Array {
  const deltas = new Uint8Array(raw.length);
  host.kernels.predictBytes(raw, deltas);
  return deltas;
}
