import type { CosineBlocks, WaveletGrid } from '@ivrex/kernels/interface';
import { narrow, widen } from '../raster/half';

/** The plain versions of the kernels that undo PIZ and DWA blocks. */

/** Bits of a byte array, most significant first; zeroes after the end. */
class Bits {
  position = 0;
  constructor(private readonly bytes: Uint8Array) {}
  take(count: number): number {
    let value = 0;
    for (let i = 0; i < count; i++, this.position++)
      value = value * 2 + (((this.bytes[this.position >> 3] ?? 0) >> (7 - (this.position & 7))) & 1);
    return value;
  }
}

export function undoHuffman(packed: Uint8Array, out: Uint16Array): boolean {
  if (packed.length < 20) return packed.length === 0 && out.length === 0;
  const head = new DataView(packed.buffer, packed.byteOffset, 20);
  const least = head.getUint32(0, true),
    most = head.getUint32(4, true),
    streamBits = head.getUint32(12, true);
  if (least > 65536 || most > 65536 || least > most) return false;
  const table = new Bits(packed.subarray(20));
  const lengths = new Map<number, number>();
  for (let symbol = least; symbol <= most;) {
    const length = table.take(6);
    if (length === 63) symbol += table.take(8) + 6;
    else if (length >= 59) symbol += length - 57;
    else if (length > 57) return false;
    else lengths.set(symbol++, length);
    if (symbol > most + 1) return false;
  }
  // Canonical codes, the longest first (BigInt: they have up to 57 bits).
  const used = [...lengths].filter(([, length]) => length > 0);
  const next = new Map<number, bigint>();
  let code = 0n;
  for (let length = 58; length > 0; length--) {
    next.set(length, code);
    code = (code + BigInt(used.filter(([, l]) => l === length).length)) >> 1n;
  }
  const symbols = new Map<string, number>();
  for (const [symbol, length] of used) {
    const mine = next.get(length) ?? 0n;
    next.set(length, mine + 1n);
    symbols.set(mine.toString(2).padStart(length, '0'), symbol);
  }
  const stream = new Bits(packed.subarray(20 + Math.ceil(table.position / 8)));
  for (let filled = 0; filled < out.length;) {
    let word = '';
    while (!symbols.has(word)) {
      if (word.length > 57) return false;
      word += String(stream.take(1));
    }
    const symbol = symbols.get(word) ?? 0;
    if (symbol === most) {
      const times = stream.take(8);
      if (filled === 0 || filled + times > out.length) return false;
      out.fill(out[filled - 1], filled, filled + times);
      filled += times;
    } else out[filled++] = symbol;
    if (stream.position > streamBits) return false;
  }
  return true;
}

/** One pair of the wavelet, in modulo arithmetic or, for small values, with signs. */
function undoPair(l: number, h: number, maxValue: number): [number, number] {
  if (maxValue < 1 << 14) {
    const ls = (l << 16) >> 16,
      hs = (h << 16) >> 16;
    const a = ls + (hs & 1) + (hs >> 1);
    return [a & 0xffff, (a - hs) & 0xffff];
  }
  const b = (l - (h >> 1)) & 0xffff;
  return [(h + b - 0x8000) & 0xffff, b];
}

/** Level by level, coarse to fine: first columns, then rows of every 2 x 2 group; what has no partner is left alone. */
export function undoWavelet(data: Uint16Array, grid: WaveletGrid, maxValue: number): void {
  const { width, height, stepX, stepY } = grid;
  const at = (x: number, y: number) => x * stepX + y * stepY;
  const pair = (a: number, b: number) => ([data[a], data[b]] = undoPair(data[a], data[b], maxValue));
  let step = 1;
  while (step * 2 <= Math.min(width, height)) step *= 2;
  for (step /= 2; step >= 1; step /= 2) {
    const columns = Array.from({ length: Math.floor(width / (2 * step)) }, (_, i) => i * 2 * step);
    const rows = Array.from({ length: Math.floor(height / (2 * step)) }, (_, i) => i * 2 * step);
    const loneColumn = width & step ? columns.length * 2 * step : null,
      loneRow = height & step ? rows.length * 2 * step : null;
    for (const y of rows) {
      for (const x of columns) {
        pair(at(x, y), at(x, y + step));
        pair(at(x + step, y), at(x + step, y + step));
        pair(at(x, y), at(x + step, y));
        pair(at(x, y + step), at(x + step, y + step));
      }
      if (loneColumn !== null) pair(at(loneColumn, y), at(loneColumn, y + step));
    }
    if (loneRow !== null) for (const x of columns) pair(at(x, loneRow), at(x + step, loneRow));
  }
}

/** Places of an 8 x 8 block along its diagonals, alternately upwards and downwards (as JPEG orders them). */
export const DIAGONAL: readonly number[] = Array.from({ length: 64 }, (_, i) => i).sort((a, b) => {
  const sum = (i: number) => (i >> 3) + (i & 7);
  return sum(a) - sum(b) || (sum(a) % 2 === 1 ? (a >> 3) - (b >> 3) : (a & 7) - (b & 7));
});

export function undoBlocks({ ac, dc, components, width, height }: CosineBlocks, out: Uint16Array): number {
  const blocksX = Math.ceil(width / 8),
    blocksY = Math.ceil(height / 8);
  let at = 0;
  for (let b = 0; b < blocksX * blocksY; b++) {
    const planes: number[][] = [];
    for (let c = 0; c < components; c++) {
      const block = new Array<number>(64).fill(0);
      block[0] = widen(dc[c * blocksX * blocksY + b]);
      for (let place = 1; place < 64;) {
        if (at >= ac.length) return -1;
        const value = ac[at++];
        if (value === 0xff00) break;
        if (value >> 8 === 0xff) place += value & 255;
        else block[DIAGONAL[place++]] = widen(value);
      }
      planes.push(inverseCosine(block));
    }
    for (let i = 0; i < 64; i++) {
      const x = (b % blocksX) * 8 + (i & 7),
        y = Math.floor(b / blocksX) * 8 + (i >> 3);
      if (x >= width || y >= height) continue;
      colourOf(planes.map((p) => p[i])).forEach((v, c) => {
        out[c * width * height + y * width + x] = narrow(Math.fround(v));
      });
    }
  }
  return at;
}

function inverseCosine(block: readonly number[]): number[] {
  const wave = (k: number, n: number) => (k === 0 ? Math.SQRT1_2 : 1) * 0.5 * Math.cos(((2 * n + 1) * k * Math.PI) / 16);
  return Array.from({ length: 64 }, (_, i) => {
    let sum = 0;
    for (let k = 0; k < 64; k++) if (block[k] !== 0) sum += block[k] * wave(k >> 3, i >> 3) * wave(k & 7, i & 7);
    return sum;
  });
}

function colourOf(values: readonly number[]): readonly number[] {
  if (values.length === 1) return values;
  const [luma, blue, red] = values;
  return [luma + 1.5747 * red, luma - 0.1873 * blue - 0.4682 * red, luma + 1.8556 * blue];
}
