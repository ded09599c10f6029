import { BLOCK_PX } from '../model/frame-mix';
import type { BlurPlan, OpenSlices } from '../model/blur-plan';
import { layersOfRows, renderRows } from '../render/apply';

/** Of the rows of a block this one is looked at, and stands for the others. */
const LOOKED_AT = BLOCK_PX >> 1;

/** Rows that are looked at with one renderer, which holds what they show. */
const ROWS_AT_ONCE = 64 * BLOCK_PX;

/** What a frame's plan shows at a neighbour's time, held against the neighbour's sharp picture. */
export interface Foresight {
  /** Squares of the difference, the mean of four channels, by pixel of the neighbour. */
  readonly errors: Float32Array;
  /** The same from two rows of each block: what is expected to be off needs more of them than who counts how much. Null: not asked for. */
  readonly finer: Float32Array | null;
  /** The mean of `errors` over what is covered. */
  readonly mean: number;
  /** The correlation of the two pictures: near 1 when the same is seen, brighter or darker; near 0 when they have nothing in common. */
  readonly likeness: number;
}

/**
 * How far a frame's plan is off where the truth is at hand.
 * @param at when the neighbour is, in frames; the plan has to reach that far
 * @param isFiner `finer` is asked for
 */
export function foresee(plan: BlurPlan, at: number, neighbour: BlurPlan, open: OpenSlices, isFiner: boolean): Foresight {
  const { width, height, sharp } = neighbour,
    shown = new Float32Array(ROWS_AT_ONCE * width * 4),
    errors = new Float32Array(width * height),
    finer = isFiner ? new Float32Array(width * height) : null,
    shutter = { opens: at, closes: at, strength: 1 },
    squares = new Float64Array(3);
  let error = 0,
    covered = 0;
  const means = [new Float64Array(4), new Float64Array(4)];
  /** Writes how far row y is off, of what is shown from row `from` on. */
  const look = (from: number, y: number, out: Float32Array) => {
    for (let x = 0, s = (y - from) * width * 4, k = y * width * 4; x < width; x++) {
      let sum = 0;
      for (const end = s + 4; s < end; s++, k++) sum += (bounded(shown[s]) - bounded(sharp[k])) ** 2;
      out[x] = sum / 4;
    }
  };
  /** Adds a row to what tells of the whole picture. */
  const count = (from: number, y: number, off: Float32Array) => {
    for (let x = 0; x < width; x++) {
      const k = (y * width + x) * 4,
        s = ((y - from) * width + x) * 4;
      for (let c = 0; c < 4; c++) {
        const a = bounded(shown[s + c]),
          b = bounded(sharp[k + c]);
        means[0][c] += a;
        means[1][c] += b;
        squares[0] += a * a;
        squares[1] += b * b;
        squares[2] += a * b;
      }
      error += off[x] * sharp[k + 3];
      covered += sharp[k + 3];
    }
  };
  for (let from = 0; from < height; from += ROWS_AT_ONCE) {
    const end = Math.min(height, from + ROWS_AT_ONCE),
      session = open(layersOfRows(plan, shutter, from, end));
    try {
      // All rows: of a block's places most are worked out for two as for eight.
      renderRows(plan, session, { shutter, quality: 'final', samples: 1 }, from, end, shown);
      for (let block = from; block < end; block += BLOCK_PX) {
        const rowOf = (of: Float32Array, y: number) => of.subarray(y * width, (y + 1) * width),
          y = Math.min(height - 1, block + LOOKED_AT),
          after = Math.min(height, block + BLOCK_PX),
          row = rowOf(errors, block);
        look(from, y, row);
        count(from, y, row);
        for (let copy = block + 1; copy < after; copy++) errors.set(row, copy * width);
        if (finer === null) continue;
        look(from, block, rowOf(finer, block));
        for (let copy = block + 1; copy < after; copy++) finer.set(rowOf(copy < y ? finer : errors, block), copy * width);
      }
    } finally {
      session.close();
    }
  }
  const pixels = width * Math.ceil(height / BLOCK_PX),
    less = (a: Float64Array, b: Float64Array) => a.reduce((sum, v, c) => sum + (v * b[c]) / pixels, 0);
  const spread = (squares[0] - less(means[0], means[0])) * (squares[1] - less(means[1], means[1]));
  return {
    errors,
    finer,
    mean: covered === 0 ? 0 : error / covered,
    likeness: spread > 0 ? (squares[2] - less(means[0], means[1])) / Math.sqrt(spread) : 1,
  };
}

/** Light up to 1 as it is, the brightest as 2. */
function bounded(light: number): number {
  return light <= 1 ? light : 2 - 1 / light;
}
