// Byte-level steps that OpenEXR's RLE, ZIPS and ZIP compressions share: the difference predictor and the
// split of a block into its even and odd bytes (OpenEXR file layout document, "Compression").

/** Undoes the predictor in place: p[i] = p[i-1] + d[i] - 128, p[0] = d[0]. Bytes, modulo 256. */
export function undoPredictor(ptr: usize, length: i32): void {
  // A start value of 128 makes the first byte follow the rule of all others.
  let carry = i8x16.splat(<i8>128);
  const zero = i8x16.splat(0);
  // Lane k has had 128 subtracted k + 1 times: 128 for even k, 0 for odd k (modulo 256).
  const bias = i8x16(-128, 0, -128, 0, -128, 0, -128, 0, -128, 0, -128, 0, -128, 0, -128, 0);
  const vectorEnd = length & ~15;
  let i = 0;
  for (; i < vectorEnd; i += 16) {
    let v = v128.load(ptr + i);
    // Prefix sum by doubling: each shuffle shifts the lanes up, filling with zero.
    v = i8x16.add(v, i8x16.shuffle(zero, v, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30));
    v = i8x16.add(v, i8x16.shuffle(zero, v, 0, 1, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29));
    v = i8x16.add(v, i8x16.shuffle(zero, v, 0, 1, 2, 3, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27));
    v = i8x16.add(v, i8x16.shuffle(zero, v, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23));
    v = i8x16.add(i8x16.add(v, bias), carry);
    v128.store(ptr + i, v);
    carry = i8x16.swizzle(v, i8x16.splat(15));
  }
  let last: i32 = i8x16.extract_lane_u(carry, 0);
  for (; i < length; i++) {
    last = (last + <i32>load<u8>(ptr + i) - 128) & 255;
    store<u8>(ptr + i, <u8>last);
  }
}

/** The predictor's other direction: d[i] = p[i] - p[i-1] + 128, d[0] = p[0]. `out` must not overlap `src`. */
export function applyPredictor(src: usize, out: usize, length: i32): void {
  if (length <= 0) return;
  store<u8>(out, load<u8>(src));
  const bias = i8x16.splat(<i8>128);
  let i = 1;
  for (; i + 16 <= length; i += 16) {
    const difference = i8x16.sub(v128.load(src + i), v128.load(src + i - 1));
    v128.store(out + i, i8x16.add(difference, bias));
  }
  for (; i < length; i++) store<u8>(out + i, load<u8>(src + i) - load<u8>(src + i - 1) + 128);
}

/** out[2i] = low[i], out[2i+1] = high[i], for `pairs` of them. */
export function joinBytes(low: usize, high: usize, out: usize, pairs: i32): void {
  let i = 0;
  for (; i + 16 <= pairs; i += 16) {
    const even = v128.load(low + i);
    const odd = v128.load(high + i);
    v128.store(out + 2 * i, i8x16.shuffle(even, odd, 0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23));
    v128.store(out + 2 * i + 16, i8x16.shuffle(even, odd, 8, 24, 9, 25, 10, 26, 11, 27, 12, 28, 13, 29, 14, 30, 15, 31));
  }
  for (; i < pairs; i++) {
    store<u8>(out + 2 * i, load<u8>(low + i));
    store<u8>(out + 2 * i + 1, load<u8>(high + i));
  }
}

/** 16-bit values replaced by their entry in a table. */
export function lookUp(data: usize, count: i32, table: usize): void {
  const end = data + 2 * <usize>count;
  for (let at = data; at < end; at += 2) store<u16>(at, load<u16>(table + 2 * <usize>load<u16>(at)));
}

/** Splits bytes into evens, then odds. */
export function deinterleave(src: usize, out: usize, length: i32): void {
  const half = (length + 1) >> 1;
  const pairs = length >> 1;
  let i = 0;
  for (; i + 16 <= pairs; i += 16) {
    const a = v128.load(src + 2 * i);
    const b = v128.load(src + 2 * i + 16);
    v128.store(out + i, i8x16.shuffle(a, b, 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30));
    v128.store(out + half + i, i8x16.shuffle(a, b, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31));
  }
  for (; i < half; i++) {
    store<u8>(out + i, load<u8>(src + 2 * i));
    if (2 * i + 1 < length) store<u8>(out + half + i, load<u8>(src + 2 * i + 1));
  }
}
