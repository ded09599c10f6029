// The Huffman coding of OpenEXR's PIZ and DWA blocks (OpenEXR's technical introduction and file layout: a packed table of
// canonical code lengths, then the codes, most significant bit first; the last symbol repeats the one before it).

const SYMBOLS: i32 = 65537;
const LONGEST: i32 = 57;
const FAST_BITS: i32 = 12;
const SORTED: usize = 65552;
const FAST: usize = SORTED + 4 * 65540;
const FIRST: usize = FAST + (4 << FAST_BITS);
const COUNT: usize = FIRST + 8 * 60;
const START: usize = COUNT + 4 * 60;

/** Bytes of scratch that `undoHuffman` needs. */
export function huffmanWorkBytes(): i32 {
  return <i32>(START + 4 * 60 + 16);
}

/**
 * Unpacks exactly `count` 16-bit values. Returns 0, or another number when the stream is not one: never reads outside
 * `src` .. `src + bytes`, never writes outside `out`.
 */
export function undoHuffman(src: usize, bytes: i32, out: usize, count: i32, work: usize): i32 {
  if (bytes < 20) return count == 0 && bytes == 0 ? 0 : 1;
  const least = load<u32>(src);
  const most = load<u32>(src + 4);
  const streamBits: u64 = load<u32>(src + 12);
  if (least >= <u32>SYMBOLS || most >= <u32>SYMBOLS || least > most) return 2;
  const end = src + <usize>bytes;
  const codesAt = readLengths(src + 20, end, least, most, work);
  if (codesAt == 0) return 3;
  if (!buildTables(least, most, work)) return 4;
  return decode(codesAt, end, streamBits, most, out, count, work);
}

/** 6 bits a symbol; 59..62 are 2..5 zeroes, 63 is 6 + the next 8 bits of zeroes. Returns where the codes start, 0 when bad. */
function readLengths(from: usize, end: usize, least: u32, most: u32, lengths: usize): usize {
  memory.fill(lengths, 0, SYMBOLS);
  let at = from;
  let hold: u32 = 0;
  let have = 0;
  let symbol = least;
  while (symbol <= most) {
    if (have < 14) {
      while (have <= 24) {
        hold = (hold << 8) | (at < end ? <u32>load<u8>(at) : 0);
        at++;
        have += 8;
      }
    }
    const length = (hold >> (have - 6)) & 63;
    have -= 6;
    if (length < 59) {
      if (length > <u32>LONGEST) return 0;
      store<u8>(lengths + symbol, <u8>length);
      symbol++;
      continue;
    }
    let run: u32 = length - 57;
    if (length == 63) {
      run = ((hold >> (have - 8)) & 255) + 6;
      have -= 8;
    }
    symbol += run;
    if (symbol > most + 1) return 0;
  }
  at -= <usize>(have >> 3);
  return at > end ? 0 : at;
}

function buildTables(least: u32, most: u32, work: usize): bool {
  memory.fill(work + COUNT, 0, 240);
  memory.fill(work + FAST, 0, 4 << FAST_BITS);
  for (let s = least; s <= most; s++) {
    const slot = work + COUNT + 4 * <usize>load<u8>(work + s);
    store<u32>(slot, load<u32>(slot) + 1);
  }
  // Canonical codes: longer codes have smaller values.
  let code: u64 = 0;
  for (let length = 58; length > 0; length--) {
    const slot: usize = <usize>length;
    store<u64>(work + FIRST + 8 * slot, code);
    code = (code + load<u32>(work + COUNT + 4 * slot)) >> 1;
  }
  let start: u32 = 0;
  for (let length: usize = 1; length <= 58; length++) {
    store<u32>(work + START + 4 * length, start);
    start += load<u32>(work + COUNT + 4 * length);
  }
  memory.fill(work + COUNT, 0, 240);
  for (let s = least; s <= most; s++) {
    const length: usize = load<u8>(work + s);
    if (length == 0) continue;
    const slot = work + COUNT + 4 * length;
    const index = load<u32>(slot);
    store<u32>(slot, index + 1);
    store<u32>(work + SORTED + 4 * <usize>(load<u32>(work + START + 4 * length) + index), s);
    if (length > <usize>FAST_BITS) continue;
    const shift = FAST_BITS - <i32>length;
    const first = (load<u64>(work + FIRST + 8 * length) + index) << shift;
    // A table that is no prefix code would run past the end.
    if (first + (<u64>1 << shift) > 1 << FAST_BITS) return false;
    const entry = (s << 8) | <u32>length;
    for (let k: u64 = 0; k < <u64>1 << shift; k++) store<u32>(work + FAST + 4 * <usize>(first + k), entry);
  }
  return true;
}

function decode(from: usize, end: usize, streamBits: u64, repeat: u32, out: usize, count: i32, work: usize): i32 {
  const outEnd = out + 2 * <usize>count;
  const fastTable = work + FAST;
  let at = from;
  let o = out;
  let hold: u64 = 0;
  let have = 0;
  let used: u64 = 0;
  while (o < outEnd) {
    if (have < 32) {
      if (at + 4 <= end) {
        hold = (hold << 32) | <u64>bswap<u32>(load<u32>(at));
        at += 4;
        have += 32;
      } else {
        while (have <= 56) {
          hold = (hold << 8) | (at < end ? <u64>load<u8>(at) : 0);
          at++;
          have += 8;
        }
      }
    }
    const entry = load<u32>(fastTable + 4 * <usize>((hold >> (have - FAST_BITS)) & ((1 << FAST_BITS) - 1)));
    let length = <i32>(entry & 255);
    let symbol = entry >> 8;
    if (length == 0) {
      while (have <= 56) {
        hold = (hold << 8) | (at < end ? <u64>load<u8>(at) : 0);
        at++;
        have += 8;
      }
      length = FAST_BITS + 1;
      for (; length <= LONGEST; length++) {
        const code = (hold >> (have - length)) & ((<u64>1 << length) - 1);
        const first = load<u64>(work + FIRST + 8 * <usize>length);
        if (code >= first && code - first < <u64>load<u32>(work + COUNT + 4 * <usize>length)) {
          symbol = load<u32>(work + SORTED + 4 * <usize>(load<u32>(work + START + 4 * <usize>length) + <u32>(code - first)));
          break;
        }
      }
      if (length > LONGEST) return 5;
    }
    have -= length;
    used += length;
    if (symbol == repeat) {
      while (have < 8) {
        hold = (hold << 8) | (at < end ? <u64>load<u8>(at) : 0);
        at++;
        have += 8;
      }
      have -= 8;
      used += 8;
      const times = <usize>((hold >> have) & 255);
      if (o == out || o + 2 * times > outEnd) return 6;
      const value = load<u16>(o - 2);
      const runEnd = o + 2 * times;
      for (; o < runEnd; o += 2) store<u16>(o, value);
    } else {
      store<u16>(o, <u16>symbol);
      o += 2;
    }
    if (used > streamBits) return 7;
  }
  return 0;
}
