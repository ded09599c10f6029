import type * as GeoTiff from 'geotiff';

const CLEAR = 256,
  END = 257,
  FIRST_FREE = 258,
  MOST_CODES = 4096,
  /** Codes grow up to 12 bits. */
  MOST_BITS = 12;
/** No stream of LZW holds more than this times its own length that a picture would need. */
const MOST_RATIO = 1500;

/**
 * LZW as TIFF has it (TIFF 6.0, section 13: most significant bit first, codes grow one step early). Written anew because the library's own
 * version runs without end on damaged streams; here every entry's prefix is older than itself, and the output is bounded.
 * @throws Error when the stream is damaged
 */
export function undoLzw(packed: Uint8Array): Uint8Array {
  const most = packed.length * MOST_RATIO + 65536;
  let out = new Uint8Array(Math.max(1024, packed.length * 4)),
    filled = 0;
  const prefix = new Uint16Array(MOST_CODES),
    last = new Uint8Array(MOST_CODES),
    lengths = new Uint16Array(MOST_CODES);
  for (let i = 0; i < 256; i++) [last[i], lengths[i]] = [i, 1];
  let next = FIRST_FREE,
    bits = 9,
    hold = 0,
    have = 0,
    at = 0,
    before = -1;
  const write = (code: number): number => {
    const length = lengths[code];
    if (filled + length > most) throw new Error('the LZW stream is longer than it can be');
    if (filled + length > out.length) {
      const bigger = new Uint8Array(Math.min(most, Math.max(out.length * 2, filled + length)));
      bigger.set(out.subarray(0, filled));
      out = bigger;
    }
    let c = code;
    for (let i = filled + length - 1; i > filled; i--, c = prefix[c]) out[i] = last[c];
    out[filled] = last[c];
    filled += length;
    return last[c];
  };
  for (;;) {
    while (have < bits && at < packed.length) {
      hold = ((hold << 8) | packed[at++]) & 0xffffff;
      have += 8;
    }
    // Some writers leave the end mark out.
    if (have < bits) break;
    const code = (hold >> (have - bits)) & ((1 << bits) - 1);
    have -= bits;
    if (code === END) break;
    if (code === CLEAR) {
      [next, bits, before] = [FIRST_FREE, 9, -1];
      continue;
    }
    if (before < 0) {
      if (code > 255) throw new Error('the LZW stream starts with an unknown code');
      write(code);
      before = code;
      continue;
    }
    if (code > next || next >= MOST_CODES) throw new Error('the LZW stream names an unknown code');
    // The code that is just being made repeats the text before it and its first byte.
    prefix[next] = before;
    lengths[next] = lengths[before] + 1;
    if (code === next) {
      let first = before;
      while (first > 255) first = prefix[first];
      last[next] = last[first];
      write(code);
    } else last[next] = write(code);
    next++;
    before = code;
    if (next >= (1 << bits) - 1 && bits < MOST_BITS) bits++;
  }
  return out.subarray(0, filled);
}

let library: Promise<typeof GeoTiff> | null = null;

/** The library that reads TIFF, with this in the place of its own decoder. It is loaded when a file needs it: what takes 0.1 s is not for those of another kind. */
export function loadTiffLibrary(): Promise<typeof GeoTiff> {
  library ??= import('geotiff').then((found) => {
    class BoundedLzw extends found.BaseDecoder {
      override decodeBlock(buffer: ArrayBufferLike): ArrayBufferLike {
        return undoLzw(new Uint8Array(buffer)).slice().buffer;
      }
    }
    found.addDecoder(5, () => Promise.resolve(BoundedLzw));
    return found;
  });
  return library;
}
