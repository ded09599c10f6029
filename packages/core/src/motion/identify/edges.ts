import { quantile } from './pass-samples';
import type { StoredPass } from './stored-pass';

const FEWEST = 60,
  REACH_PX = 3;

/** A value is told apart from alpha times itself where alpha is this far from 1, in the median. */
const TELLS_FROM = 0.1,
  IS_ALPHA = 0.06,
  IS_ALPHA_SHARE = 0.3;

/**
 * Do values at soft edges shrink to `zero` as alpha does? With zero 0 they were multiplied by alpha, with the value of no motion they were mixed with what
 * stands still. Distance from zero over that of the nearest covered pixel is alpha then, and 1 when it was not: medians over partly covered pixels. Whatever
 * curve lies on the values, this holds for 0. Null where too few pixels are partly covered, or their values are too near zero to tell.
 */
export function followsAlpha(pass: StoredPass, channel: number, alpha: Float32Array, zero: number): boolean | null {
  const { width, height } = pass,
    { data } = pass.channels[channel];
  const fromAlpha: number[] = [],
    fromOne: number[] = [];
  let most = 0;
  for (let i = 0; i < data.length; i += 7) if (alpha[i] > 0.99 && data[i] - data[i] === 0) most = Math.max(most, Math.abs(data[i] - zero));
  for (let y = REACH_PX; y < height - REACH_PX; y++) {
    for (let x = REACH_PX; x < width - REACH_PX; x++) {
      const i = y * width + x;
      if (!(alpha[i] > 0.1 && alpha[i] < 0.9)) continue;
      const inside = coveredBeside(alpha, i, width);
      if (inside < 0) continue;
      const full = data[inside] - zero;
      if (!(Math.abs(full) > 0.15 * most)) continue;
      const ratio = (data[i] - zero) / full;
      fromAlpha.push(Math.abs(ratio - alpha[i]));
      fromOne.push(Math.abs(ratio - 1));
    }
  }
  if (fromAlpha.length < FEWEST) return null;
  const offAlpha = quantile(fromAlpha, 0.5),
    offOne = quantile(fromOne, 0.5);
  return offOne > TELLS_FROM && offAlpha < Math.min(IS_ALPHA, IS_ALPHA_SHARE * offOne);
}

/** The nearest covered pixel in the eight directions, -1 when there is none near. */
function coveredBeside(alpha: Float32Array, i: number, width: number): number {
  for (let d = 1; d <= REACH_PX; d++) {
    for (const step of [1, -1, width, -width, width + 1, width - 1, -width + 1, -width - 1]) {
      if (alpha[i + d * step] > 0.99) return i + d * step;
    }
  }
  return -1;
}

/** A jump between two plateaus, pixels: PLATEAU on both sides, and what is looked at between them. */
const PLATEAU = 3,
  BETWEEN = 6,
  JUMP_SHARE = 0.3,
  /** A plateau differs by less than this share of the jump beside it. */
  FLAT_SHARE = 0.05,
  FEWEST_JUMPS = 40;
/** Of a sharp edge the largest step is all of the jump; a filter of three pixels leaves a half of it, a wider one a third. */
export const FILTERED_STEP = 0.6;

/**
 * Was a channel filtered or resized? At jumps between two even motions the largest step from pixel to pixel is the whole jump in a sharp pass: the median of its
 * share, null where hardly any such jump is there.
 */
export function largestStepShare(pass: StoredPass, channel: number, range: number): number | null {
  const { data } = pass.channels[channel],
    known = stepShares.get(data);
  if (known !== undefined) return known;
  const share = measureStepShare(pass, channel, range);
  stepShares.set(data, share);
  return share;
}

/** Every candidate asks the same of its channels. */
const stepShares = new WeakMap<Float32Array, number | null>();

function measureStepShare({ width, height, channels }: StoredPass, channel: number, range: number): number | null {
  const { data } = channels[channel],
    shares: number[] = [];
  const reach = 2 * PLATEAU + BETWEEN;
  for (const [step, across, along] of [
    [1, width, height],
    [width, height, width],
  ]) {
    const other = step === 1 ? width : 1;
    for (let line = 0; line < along; line += 2) {
      for (let k = 0; k + reach < across; k++) {
        const i = line * other + k * step;
        const from = data[i + PLATEAU * step],
          to = data[i + (PLATEAU + BETWEEN) * step],
          jump = Math.abs(to - from);
        if (!(jump > JUMP_SHARE * range)) continue;
        if (!(Math.abs(from - data[i]) < FLAT_SHARE * jump && Math.abs(data[i + reach * step] - to) < FLAT_SHARE * jump)) continue;
        let largest = 0;
        for (let n = PLATEAU; n < PLATEAU + BETWEEN; n++)
          largest = Math.max(largest, Math.abs(data[i + (n + 1) * step] - data[i + n * step]));
        shares.push(largest / jump);
      }
    }
  }
  return shares.length < FEWEST_JUMPS ? null : quantile(shares, 0.5);
}

export function isFiltered(pass: StoredPass, channel: number, range: number): boolean {
  const share = largestStepShare(pass, channel, range);
  return share !== null && share < FILTERED_STEP;
}
