import { IvrexError } from '../../errors';
import { narrow, widen } from '../../raster/half';
import type { ChunkChannel } from '../chunk-layout';
import type { ChunkCodec } from './codec';

/** Blocks of 4 x 4 halves in 14 bytes, or 3 when flat; see `undoBlock`. */
const FULL_BYTES = 14,
  FLAT_BYTES = 3,
  /** From this shift on the third byte marks a flat block. */
  FLAT_MARK = 13 << 2;

/**
 * B44 and B44A (Industrial Light & Magic's contribution to the reference library): half channels in blocks of fixed size, others as
 * they are, channel by channel. Read only: it loses more than any other compression, so nothing is written with it.
 */
export const b44Codec: ChunkCodec = {
  unpack(packed, memory, layout, wanted) {
    let at = 0;
    const take = (count: number): Uint8Array => {
      if (at + count > packed.length) throw new IvrexError('damaged', 'a B44 block ends early');
      at += count;
      return packed.subarray(at - count, at);
    };
    for (const entry of layout.channels) {
      const { channel, width, rows } = entry;
      if (channel.type !== 'half') {
        memory.put(take(width * rows * entry.sampleBytes), entry.planeAt);
        continue;
      }
      const halves = unpackHalves(entry, () => {
        const flat = at + 2 < packed.length && packed[at + 2] >= FLAT_MARK;
        return take(flat ? FLAT_BYTES : FULL_BYTES);
      });
      if (wanted !== null && !wanted.has(channel.name)) continue;
      if (channel.linear) for (let i = 0; i < halves.length; i++) halves[i] = logarithms()[halves[i]];
      memory.put(new Uint8Array(halves.buffer), entry.planeAt);
    }
    return 'planes';
  },
  pack: null,
};

function unpackHalves({ width, rows }: ChunkChannel, nextBlock: () => Uint8Array): Uint16Array {
  const halves = new Uint16Array(width * rows),
    block = new Uint16Array(16);
  for (let y = 0; y < rows; y += 4) {
    for (let x = 0; x < width; x += 4) {
      undoBlock(nextBlock(), block);
      for (let row = 0; row < Math.min(4, rows - y); row++)
        halves.set(block.subarray(row * 4, row * 4 + Math.min(4, width - x)), (y + row) * width + x);
    }
  }
  return halves;
}

/** The first value in 16 bits, a shift, then 15 differences of 6 bits: down the first column, then along each row. */
function undoBlock(bytes: Uint8Array, out: Uint16Array): void {
  const first = (bytes[0] << 8) | bytes[1];
  if (bytes.length === FLAT_BYTES) {
    out.fill(ordered(first));
    return;
  }
  const shift = bytes[2] >> 2,
    bias = 0x20 << shift;
  const six = (n: number) => {
    const bit = 22 + 6 * n,
      at = bit >> 3,
      rest = bit & 7;
    return ((((bytes[at] << 8) | (bytes[at + 1] ?? 0)) >> (10 - rest)) & 0x3f) << shift;
  };
  out[0] = first;
  for (let row = 1; row < 4; row++) out[row * 4] = out[row * 4 - 4] + six(row - 1) - bias;
  for (let column = 1; column < 4; column++)
    for (let row = 0; row < 4; row++) out[row * 4 + column] = out[row * 4 + column - 1] + six(3 + (column - 1) * 4 + row) - bias;
  for (let i = 0; i < 16; i++) out[i] = ordered(out[i]);
}

/** Back from the order in which all halves count upwards. */
function ordered(code: number): number {
  return code & 0x8000 ? code & 0x7fff : ~code & 0xffff;
}

let table: Uint16Array | null = null;

/** Channels that are marked as perceptually linear were stored as exp(x / 8); this is 8 log x for every half. */
function logarithms(): Uint16Array {
  if (table !== null) return table;
  table = new Uint16Array(65536);
  for (let h = 0; h < 65536; h++) {
    const value = widen(h);
    table[h] = !Number.isFinite(value) || value < 0 ? 0 : narrow(8 * Math.log(value));
  }
  return table;
}
