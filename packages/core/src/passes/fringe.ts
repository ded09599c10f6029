import { lumaOf } from '../colour/luma';

/**
 * Straight light of half covered pixels against that of nearly covered ones, each over the light of the covered pixels next to it: about 1 where an
 * edge is clean. A dark outline that belongs to the thing is dark however much is covered, and does not count.
 */
export interface FringeMeasure {
  readonly ratio: number;
  /** Edge pixels that were looked at. */
  readonly pixels: number;
}

/** Beyond these an edge is seen as a dark or a bright line; clean renders of the demo lie between 0.9 and 1.1. */
export const DARK_FRINGE = 0.75,
  BRIGHT_FRINGE = 1.4;

const REACH_PX = 3,
  FEWEST = 200,
  /** Darker than this tells nothing. */
  LEAST_LIGHT = 0.01,
  /** Cover of the pixels that are looked at, and in how many classes of cover. */
  LOW = 0.2,
  HIGH = 0.8,
  BINS = 4;

/** Premultiplied red, green, blue and alpha planes. Null with too few soft edges beside covered pixels. */
export function measureFringe(
  [red, green, blue]: readonly [ArrayLike<number>, ArrayLike<number>, ArrayLike<number>],
  alpha: ArrayLike<number>,
  width: number,
): FringeMeasure | null {
  const height = alpha.length / width,
    bins: number[][] = Array.from({ length: BINS }, () => []);
  let pixels = 0;
  const light = (i: number) => lumaOf(red[i], green[i], blue[i]);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x,
        a = alpha[i];
      if (!(a > LOW && a < HIGH)) continue;
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
        if (inside > LEAST_LIGHT) {
          bins[Math.min(BINS - 1, Math.floor(((a - LOW) / (HIGH - LOW)) * BINS))].push(light(i) / a / inside);
          pixels++;
        }
        break;
      }
    }
  }
  const told = bins.flatMap((ratios, n) =>
    ratios.length < FEWEST / BINS / 2
      ? []
      : [
          {
            cover: LOW + ((n + 0.5) / BINS) * (HIGH - LOW),
            ratio: Math.log(Math.max(1e-3, ratios.sort((p, q) => p - q)[ratios.length >> 1])),
          },
        ],
  );
  if (pixels < FEWEST || told.length < 3) return null;
  const mean = (of: (t: (typeof told)[number]) => number) => told.reduce((sum, t) => sum + of(t), 0) / told.length;
  // Logarithms: a bright rim is as far from clean as a dark one.
  const cover = mean((t) => t.cover),
    ratio = mean((t) => t.ratio);
  const slope = mean((t) => (t.cover - cover) * (t.ratio - ratio)) / mean((t) => (t.cover - cover) ** 2);
  return { ratio: Math.exp(slope * (0.5 - 1)), pixels };
}
