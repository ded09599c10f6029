import { narrow, widen } from '../../raster/half';

/** One or three planes that are coded together, already in the perceptual curve. Three are red, green, blue. */
export interface BlockSet {
  readonly width: number;
  readonly rows: number;
  readonly planes: readonly Float32Array[];
}

/** The quality that the reference library writes with unless it is told otherwise. */
const LEVEL = 45;
const BASE_ERROR = LEVEL / 100000;

// Which frequencies matter less to the eye: ITU-T T.81 (JPEG), tables K.1 and K.2, relative to their smallest entry.
const LUMA = [
  16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22, 29, 51, 87, 80, 62, 18, 22,
  37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103, 121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
].map((v) => (v / 10) * BASE_ERROR);
const COLOUR = Array.from({ length: 64 }, (_, i) => {
  const corner = [17, 18, 24, 47, 18, 21, 26, 66, 24, 26, 56, 99, 47, 66, 99, 99],
    x = i & 7,
    y = i >> 3;
  return ((x < 4 && y < 4 ? corner[y * 4 + x] : 99) / 17) * BASE_ERROR;
});

const DIAGONAL = Array.from({ length: 64 }, (_, i) => i).sort((a, b) => {
  const sum = (i: number) => (i >> 3) + (i & 7);
  return sum(a) - sum(b) || (sum(a) % 2 === 1 ? (a >> 3) - (b >> 3) : (a & 7) - (b & 7));
});
const COSINES = Float64Array.from(
  { length: 64 },
  (_, i) => (i < 8 ? Math.sqrt(1 / 8) : 0.5) * Math.cos(((2 * (i & 7) + 1) * (i >> 3) * Math.PI) / 16),
);
const END_OF_BLOCK = 0xff00;

/** Cosine blocks of all sets, in the form that `undoBlocks` of the kernels reads. */
export function packBlocks(sets: readonly BlockSet[]): { ac: Uint16Array; dc: Uint16Array } {
  const ac: number[] = [],
    dc: number[] = [];
  for (const set of sets) {
    const blocksX = Math.ceil(set.width / 8),
      blocksY = Math.ceil(set.rows / 8);
    const dcPlanes: number[][] = set.planes.map(() => []);
    for (let by = 0; by < blocksY; by++) {
      for (let bx = 0; bx < blocksX; bx++) {
        const blocks = set.planes.map((plane) => cut(plane, set, bx * 8, by * 8));
        if (blocks.length === 3) toLuma(blocks);
        blocks.forEach((block, c) => {
          const coefficients = cosines(block);
          dcPlanes[c].push(narrow(coefficients[0]));
          writeDetails(coefficients, c === 0 ? LUMA : COLOUR, ac);
        });
      }
    }
    for (const plane of dcPlanes) for (const v of plane) dc.push(v);
  }
  return { ac: Uint16Array.from(ac), dc: Uint16Array.from(dc) };
}

/** 8 x 8 values; beyond the edge the last row and column go on. */
function cut(plane: Float32Array, { width, rows }: BlockSet, x0: number, y0: number): Float64Array {
  const block = new Float64Array(64);
  for (let y = 0; y < 8; y++)
    for (let x = 0; x < 8; x++) block[y * 8 + x] = plane[Math.min(rows - 1, y0 + y) * width + Math.min(width - 1, x0 + x)];
  return block;
}

/** Rec.709: luma, then the blue and the red difference. In place. */
function toLuma([red, green, blue]: Float64Array[]): void {
  for (let i = 0; i < 64; i++) {
    const r = red[i],
      g = green[i],
      b = blue[i];
    red[i] = 0.2126 * r + 0.7152 * g + 0.0722 * b;
    green[i] = -0.1146 * r - 0.3854 * g + 0.5 * b;
    blue[i] = 0.5 * r - 0.4542 * g - 0.0458 * b;
  }
}

function cosines(block: Float64Array): Float64Array {
  const rows = new Float64Array(64),
    out = new Float64Array(64);
  for (let y = 0; y < 8; y++)
    for (let k = 0; k < 8; k++) {
      let sum = 0;
      for (let x = 0; x < 8; x++) sum += block[y * 8 + x] * COSINES[k * 8 + x];
      rows[y * 8 + k] = sum;
    }
  for (let k = 0; k < 8; k++)
    for (let x = 0; x < 8; x++) {
      let sum = 0;
      for (let y = 0; y < 8; y++) sum += rows[y * 8 + x] * COSINES[k * 8 + y];
      out[k * 8 + x] = sum;
    }
  return out;
}

function writeDetails(coefficients: Float64Array, errors: readonly number[], ac: number[]): void {
  let zeroes = 0;
  for (let place = 1; place < 64; place++) {
    const code = roundest(coefficients[DIAGONAL[place]], errors[DIAGONAL[place]]);
    if (code === 0) {
      zeroes++;
      continue;
    }
    if (zeroes === 1) ac.push(0);
    else if (zeroes > 1) ac.push(END_OF_BLOCK | zeroes);
    zeroes = 0;
    ac.push(code);
  }
  if (zeroes > 0) ac.push(END_OF_BLOCK);
}

/** The half with the fewest significant bits that is no farther than `error`: it packs best. */
function roundest(value: number, error: number): number {
  if (Math.abs(value) <= error) return 0;
  const half = narrow(value);
  for (let bits = 10; bits > 0; bits--) {
    const step = 1 << bits,
      rounded = Math.min(0x7bff, ((half & 0x7fff) + step / 2) & ~(step - 1)) | (half & 0x8000);
    if (Math.abs(widen(rounded) - value) <= error) return rounded;
  }
  return half;
}
