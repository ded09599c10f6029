import { IvrexError } from '../../errors';
import { Cursor } from '../cursor';
import { gatherRows, type ChunkChannel, type ChunkLayout } from '../chunk-layout';
import type { ChunkCodec } from './codec';
import { packHuffman } from './huffman';

const BITMAP_BYTES = 8192;

interface Place {
  readonly entry: ChunkChannel;
  /** First 16-bit value of the channel, and values a sample. */
  readonly start: number;
  readonly words: number;
}

function placesOf(layout: ChunkLayout): { places: Place[]; total: number } {
  let total = 0;
  const places = layout.channels.map((entry) => {
    const words = entry.sampleBytes / 2,
      start = total;
    total += entry.width * entry.rows * words;
    return { entry, start, words };
  });
  return { places, total };
}

/** Values that occur, ascending, zero always among them. */
function valuesIn(bitmap: Uint8Array): { values: Uint16Array; maxIndex: number } {
  const values = new Uint16Array(65536);
  let count = 0;
  for (let v = 0; v < 65536; v++) if (v === 0 || bitmap[v >> 3] & (1 << (v & 7))) values[count++] = v;
  return { values, maxIndex: count - 1 };
}

/** PIZ (Industrial Light & Magic): values renumbered without gaps, a Haar wavelet a channel, Huffman codes. Lossless. */
export const pizCodec: ChunkCodec = {
  unpack(packed, memory, layout, wanted) {
    const cursor = new Cursor(packed);
    const bitmap = new Uint8Array(BITMAP_BYTES);
    const least = cursor.readU16(),
      most = cursor.readU16();
    if (most >= BITMAP_BYTES) throw new IvrexError('damaged', 'a PIZ block has a table of values that is too long');
    if (least <= most) bitmap.set(cursor.readBytes(most - least + 1), least);
    const { values, maxIndex } = valuesIn(bitmap);
    const length = cursor.readI32();
    if (length < 0 || length > packed.length - cursor.offsetBytes) throw new IvrexError('damaged', 'a PIZ block ends early');
    const { places, total } = placesOf(layout);
    if (!memory.undoHuffman(cursor.readBytes(length), 0, total)) throw new IvrexError('damaged', 'a PIZ block cannot be unpacked');
    for (const { entry, start, words } of places) {
      const { width, rows, channel } = entry;
      if (width === 0 || rows === 0 || (wanted !== null && !wanted.has(channel.name))) continue;
      for (let w = 0; w < words; w++)
        memory.undoWavelet((start + w) * 2, { width, stepX: words, height: rows, stepY: width * words }, maxIndex);
      memory.lookUp(start * 2, width * rows * words, values);
    }
    return 'planes';
  },
  pack(raw, layout) {
    const { places, total } = placesOf(layout);
    const codes = new Uint16Array(total),
      bytes = new Uint8Array(codes.buffer);
    for (const { entry, start, words } of places)
      gatherRows(raw, entry, bytes.subarray(start * 2, (start + entry.width * entry.rows * words) * 2));
    const bitmap = new Uint8Array(BITMAP_BYTES);
    for (const v of codes) bitmap[v >> 3] |= 1 << (v & 7);
    // Zero is not marked: it is always there.
    bitmap[0] &= 0xfe;
    const { values, maxIndex } = valuesIn(bitmap);
    const numbers = new Uint16Array(65536);
    for (let i = 0; i <= maxIndex; i++) numbers[values[i]] = i;
    for (let i = 0; i < total; i++) codes[i] = numbers[codes[i]];
    for (const { entry, start, words } of places)
      for (let w = 0; w < words; w++) applyWavelet(codes, start + w, entry.width, words, entry.rows, entry.width * words, maxIndex);
    const stream = packHuffman(codes);
    const least = bitmap.findIndex((b) => b !== 0);
    let most = BITMAP_BYTES - 1;
    while (most > 0 && bitmap[most] === 0) most--;
    const kept = least < 0 ? new Uint8Array(0) : bitmap.subarray(least, most + 1);
    const out = new Uint8Array(8 + kept.length + stream.length),
      view = new DataView(out.buffer);
    view.setUint16(0, least < 0 ? BITMAP_BYTES - 1 : least, true);
    view.setUint16(2, least < 0 ? 0 : most, true);
    out.set(kept, 4);
    view.setInt32(4 + kept.length, stream.length, true);
    out.set(stream, 8 + kept.length);
    return out;
  },
};

/** The wavelet's forward direction; `undoWavelet` of the kernels is the way back. */
function applyWavelet(d: Uint16Array, at: number, width: number, stepX: number, height: number, stepY: number, maxValue: number): void {
  const small = maxValue < 1 << 14;
  const pair = (a: number, b: number) => {
    if (small) {
      const l = (d[a] << 16) >> 16,
        r = (d[b] << 16) >> 16;
      d[a] = (l + r) >> 1;
      d[b] = l - r;
    } else {
      const l = (d[a] + 0x8000) & 0xffff,
        difference = l - d[b];
      d[a] = ((l + d[b]) >> 1) + (difference < 0 ? 0x8000 : 0);
      d[b] = difference;
    }
  };
  const least = Math.min(width, height);
  for (let p = 1, p2 = 2; p2 <= least; p = p2, p2 *= 2) {
    let y = 0;
    for (; y <= height - p2; y += p2) {
      let x = 0;
      for (; x <= width - p2; x += p2) {
        const i = at + x * stepX + y * stepY;
        pair(i, i + p * stepX);
        pair(i + p * stepY, i + p * stepX + p * stepY);
        pair(i, i + p * stepY);
        pair(i + p * stepX, i + p * stepX + p * stepY);
      }
      if (width & p) pair(at + x * stepX + y * stepY, at + x * stepX + (y + p) * stepY);
    }
    if (height & p) for (let x = 0; x <= width - p2; x += p2) pair(at + x * stepX + y * stepY, at + (x + p) * stepX + y * stepY);
  }
}
