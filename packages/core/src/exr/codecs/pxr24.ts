import type { ChunkLayout } from '../chunk-layout';
import type { SampleType } from '../attributes';
import type { ChunkCodec } from './codec';
import { inflateExactly } from './zip';

/** Bytes of a sample after floats were cut to 24 bits. */
const KEPT_BYTES: Record<SampleType, number> = { uint: 4, half: 2, float: 3 };

function packedBytes(layout: ChunkLayout): number {
  return layout.channels.reduce((sum, c) => sum + c.width * c.rows * KEPT_BYTES[c.channel.type], 0);
}

/** Visits the rows in the order of the file with their places in the raw chunk and in the stream of byte planes. */
function forEachRow(layout: ChunkLayout, visit: (channel: number, width: number, rawOffset: number, streamOffset: number) => void): void {
  const next = layout.channels.map(() => 0);
  let stream = 0;
  for (let y = layout.area.yFrom; y <= layout.area.yTo; y++) {
    layout.channels.forEach((entry, c) => {
      if (y % entry.channel.ySampling !== 0) return;
      const { type } = entry.channel;
      visit(c, entry.width, entry.rowOffsets[next[c]++], stream);
      stream += entry.width * KEPT_BYTES[type];
    });
  }
}

/** 1 sign, 8 exponent, 15 mantissa bits, rounded; infinities and NaN stay what they are, nothing rounds up to infinity. */
function to24(bits: number): number {
  const sign = (bits >>> 8) & 0x800000,
    exponent = bits & 0x7f800000,
    mantissa = bits & 0x7fffff;
  if (exponent === 0x7f800000) {
    const kept = mantissa >>> 8;
    return sign | 0x7f8000 | (mantissa === 0 ? 0 : kept | (kept === 0 ? 1 : 0));
  }
  const rounded = ((exponent | mantissa) + (mantissa & 0x80)) >>> 8;
  return sign | (rounded >= 0x7f8000 ? (exponent | mantissa) >>> 8 : rounded);
}

/** Sums up one row's differences from its byte planes, the highest byte first. */
function undoRow(stream: Uint8Array, from: number, width: number, type: SampleType, out: Uint16Array | Int32Array, to: number): void {
  const second = from + width,
    third = second + width,
    fourth = third + width;
  let value = 0;
  if (type === 'half') {
    for (let x = 0; x < width; x++) {
      value = (value + ((stream[from + x] << 8) | stream[second + x])) & 0xffff;
      out[to + x] = value;
    }
    return;
  }
  const whole = type === 'uint';
  for (let x = 0; x < width; x++) {
    const low = whole ? stream[fourth + x] : 0;
    value = (value + ((stream[from + x] << 24) | (stream[second + x] << 16) | (stream[third + x] << 8) | low)) | 0;
    out[to + x] = value;
  }
}

/**
 * PXR24 (Pixar's contribution to the reference library): floats cut to 24 bits, differences to the left neighbour, split into byte
 * planes a row, then zlib. Halves and whole numbers are exact.
 */
export const pxr24Codec: ChunkCodec = {
  unpack(packed, memory, layout, wanted, host) {
    const stream = inflateExactly(packed, packedBytes(layout), host);
    const planes = layout.channels.map((entry) => new (entry.sampleBytes === 2 ? Uint16Array : Int32Array)(entry.width * entry.rows));
    const filled = planes.map(() => 0);
    forEachRow(layout, (c, width, _rawOffset, from) => {
      const { name, type } = layout.channels[c].channel;
      if (wanted !== null && !wanted.has(name)) return;
      undoRow(stream, from, width, type, planes[c], filled[c]);
      filled[c] += width;
    });
    layout.channels.forEach((entry, c) => memory.put(new Uint8Array(planes[c].buffer), entry.planeAt));
    return 'planes';
  },
  pack(raw, layout, host) {
    const stream = new Uint8Array(packedBytes(layout));
    const view = new DataView(raw.buffer, raw.byteOffset, raw.length);
    forEachRow(layout, (c, width, from, to) => {
      const { type } = layout.channels[c].channel;
      let before = 0;
      for (let x = 0; x < width; x++) {
        const value =
          type === 'half'
            ? view.getUint16(from + 2 * x, true)
            : type === 'uint'
              ? view.getInt32(from + 4 * x, true)
              : to24(view.getInt32(from + 4 * x, true));
        const delta = value - before;
        before = value;
        const bytes = KEPT_BYTES[type];
        for (let b = 0; b < bytes; b++) stream[to + x + b * width] = (delta >> (8 * (bytes - 1 - b))) & 0xff;
      }
    });
    return host.deflate(stream);
  },
};
