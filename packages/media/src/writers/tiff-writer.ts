/** Interleaved samples. Whole numbers: 0 to 1. */
export interface FlatPicture {
  readonly values: Float32Array;
  readonly channels: 1 | 3 | 4;
  readonly width: number;
  readonly height: number;
}

/** Values 0 to 1 on the nearest code. */
export function toCodes(values: Float32Array, type: 'u8' | 'u16'): Uint8Array | Uint16Array {
  const most = type === 'u8' ? 255 : 65535,
    out = type === 'u8' ? new Uint8Array(values.length) : new Uint16Array(values.length);
  for (let i = 0; i < out.length; i++) out[i] = Math.round(values[i] * most);
  return out;
}

/** What a fourth sample means (TIFF 6.0, ExtraSamples): of no said meaning, premultiplied or straight alpha. */
const EXTRA_SAMPLES = { data: 0, premultiplied: 1, straight: 2 } as const;

/** Bytes of a directory entry and of the fields that TIFF 6.0 asks of a full-colour picture. */
const ENTRY_BYTES = 12;

/** Baseline TIFF 6.0 with one uncompressed strip; samples of 8, 16 bits or IEEE floats (tag SampleFormat 3). Little-endian. */
export function encodeTiff(
  { values, channels, width, height }: FlatPicture,
  type: 'u8' | 'u16' | 'float',
  alpha: keyof typeof EXTRA_SAMPLES,
): Uint8Array {
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
    [258, SHORT, channels, channels === 1 ? bytesPerSample * 8 : lists],
    [259, SHORT, 1, 1],
    [262, SHORT, 1, channels === 1 ? 1 : 2],
    [273, LONG, 1, data],
    [277, SHORT, 1, channels],
    [278, LONG, 1, height],
    [279, LONG, 1, pixels.length],
    [284, SHORT, 1, 1],
    [338, SHORT, Math.max(0, channels - 3), EXTRA_SAMPLES[alpha]],
    [339, SHORT, channels, channels === 1 ? (type === 'float' ? 3 : 1) : lists + 2 * channels],
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
