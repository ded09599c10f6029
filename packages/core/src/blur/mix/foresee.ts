import { BLOCK_PX } from '../model/frame-mix';
import type { BlurPlan, OpenSlices } from '../model/blur-plan';
import { renderRows } from '../render/apply';

/** Of the rows of a block this one is looked at, and stands for the others. */
const LOOKED_AT = BLOCK_PX >> 1;

/**
 * How far a frame's plan is off where the truth is at hand: what it shows at a neighbour's time against the neighbour's sharp picture. Squares of the
 * difference, the mean of four channels, by pixel of the neighbour.
 * @param at when the neighbour is, in frames; the plan has to reach that far
 */
export function foresightErrors(plan: BlurPlan, at: number, neighbour: BlurPlan, open: OpenSlices): Float32Array {
  const row = new Float32Array(plan.width * 4),
    session = open(plan.layers);
  try {
    return errorsByRow(neighbour, (y) => {
      renderRows(plan, session, { shutter: { opens: at, closes: at, strength: 1 }, quality: 'final', samples: 1 }, y, y + 1, row);
      return row;
    });
  } finally {
    session.close();
  }
}

/** The same of a frame's sharp picture: what nothing foresees that does not move. */
export function plainErrors({ sharp, width }: BlurPlan, neighbour: BlurPlan): Float32Array {
  return errorsByRow(neighbour, (y) => sharp.subarray(y * width * 4, (y + 1) * width * 4));
}

function errorsByRow({ sharp, width, height }: BlurPlan, shownAt: (y: number) => Float32Array): Float32Array {
  const out = new Float32Array(width * height);
  for (let block = 0; block < height; block += BLOCK_PX) {
    const y = Math.min(height - 1, block + LOOKED_AT),
      shown = shownAt(y);
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let c = 0; c < 4; c++) {
        const off = bounded(shown[x * 4 + c]) - bounded(sharp[(y * width + x) * 4 + c]);
        sum += off * off;
      }
      out[block * width + x] = sum / 4;
    }
    for (let copy = block + 1; copy < Math.min(height, block + BLOCK_PX); copy++)
      out.copyWithin(copy * width, block * width, (block + 1) * width);
  }
  return out;
}

/** Light up to 1 as it is, the brightest as 2. */
function bounded(light: number): number {
  return light <= 1 ? light : 2 - 1 / light;
}
