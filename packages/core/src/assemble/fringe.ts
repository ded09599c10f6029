import { LUMA } from './grade';

/** Light of partly covered pixels, straight, over that of the covered ones next to them: about 1 where an edge is clean. */
export interface FringeMeasure {
  /** Median over the edge. */
  readonly ratio: number;
  /** Edge pixels that were looked at. */
  readonly pixels: number;
}

/** Beyond these an edge is seen as a dark or a bright line; clean renders of the demo lie between 0.93 and 1.05. */
export const DARK_FRINGE = 0.75,
  BRIGHT_FRINGE = 1.4;

const REACH_PX = 3,
  FEWEST = 200,
  /** Darker than this tells nothing. */
  LEAST_LIGHT = 0.01;

/** Premultiplied red, green, blue and alpha planes. Null with too few soft edges beside covered pixels. */
export function measureFringe(
  [red, green, blue]: readonly [ArrayLike<number>, ArrayLike<number>, ArrayLike<number>],
  alpha: ArrayLike<number>,
  width: number,
): FringeMeasure | null {
  const height = alpha.length / width,
    ratios: number[] = [];
  const light = (i: number) => LUMA[0] * red[i] + LUMA[1] * green[i] + LUMA[2] * blue[i];
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x,
        a = alpha[i];
      if (!(a > 0.2 && a < 0.8)) continue;
      const gx = alpha[i + 1] - alpha[i - 1],
        gy = alpha[i + width] - alpha[i - width],
        steep = Math.hypot(gx, gy);
      // A veil has no edge that could have a fringe.
      if (!(steep > 0.4)) continue;
      for (let step = 1; step <= REACH_PX; step++) {
        const px = Math.round(x + (gx / steep) * step),
          py = Math.round(y + (gy / steep) * step);
        if (px < 0 || py < 0 || px >= width || py >= height) break;
        const k = py * width + px;
        if (!(alpha[k] > 0.98)) continue;
        const inside = light(k) / alpha[k];
        if (inside > LEAST_LIGHT) ratios.push(light(i) / a / inside);
        break;
      }
    }
  }
  if (ratios.length < FEWEST) return null;
  return { ratio: ratios.sort((a, b) => a - b)[ratios.length >> 1], pixels: ratios.length };
}
