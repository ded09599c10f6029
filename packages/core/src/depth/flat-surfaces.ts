import { isNothing } from './decode-depth';
import type { DepthPlane } from './depth-frame';

/**
 * What flat surfaces say about the law of a depth pass. Over a plane in perspective one over the distance is affine on screen; three places in a row
 * with stored values a, b, c then tell the stored value that means distance 0: zero = (2ac - b(a + c)) / (a + c - 2b). Written as
 * k = (high - low) / (middle - zero): 0 is a pass that stores one over the distance, below 0 one where larger is nearer.
 */
export interface FlatSurfaces {
  readonly k: number;
  /** Share of the places that say about the same; planes agree, curved surfaces do not. */
  readonly share: number;
  readonly places: number;
  /** Share of the places that bend as if smaller were nearer: things bulge towards who looks, and floors and walls come nearer too. */
  readonly bulge: number;
}

const BIN = 0.1,
  MOST = 2.2,
  FEWEST = 60;

export function flatSurfaces(frames: readonly DepthPlane[], nothing: readonly number[], low: number, high: number): FlatSurfaces | null {
  const bins = new Float64Array(Math.round((2 * MOST) / BIN));
  let places = 0,
    bulging = 0;
  const middle = (low + high) / 2,
    range = high - low;
  for (const {
    stored: { data, type },
    alpha,
    width,
    height,
  } of frames) {
    const reach = Math.max(4, Math.round(width / 50)),
      every = Math.max(1, Math.round(Math.sqrt((width * height) / 30_000)));
    const slope = type === 'u8' ? 12 / 255 : Math.max(0.004 * range, type === 'half' ? 0.02 * Math.max(Math.abs(low), Math.abs(high)) : 0);
    const usable = (i: number) => !isNothing(data[i], type, nothing) && (alpha === null || alpha[i] >= 0.99);
    for (let y = reach; y < height - reach; y += every)
      for (let x = reach; x < width - reach; x += every) {
        const i = y * width + x;
        if (!usable(i)) continue;
        for (const step of [1, width]) {
          const a = data[i - reach * step],
            b = data[i],
            c = data[i + reach * step];
          if (!usable(i - reach * step) || !usable(i + reach * step)) continue;
          if (!(Math.abs(c - a) > slope) || !((b - a) * (c - b) > 0) || !isSmooth(data, i, step, reach)) continue;
          const bend = a + c - 2 * b;
          places++;
          const k = (range * bend) / (middle * bend - (2 * a * c - b * (a + c)));
          if (k > 0) bulging++;
          const bin = Math.floor((k + MOST) / BIN);
          if (bin >= 0 && bin < bins.length) bins[bin]++;
        }
      }
  }
  if (places < FEWEST) return null;
  let best = 1;
  const around = (n: number) => bins[n - 1] + bins[n] + bins[n + 1];
  for (let n = 1; n + 1 < bins.length; n++) if (around(n) > around(best)) best = n;
  const share = around(best) / places;
  const mean = [-1, 0, 1].reduce((sum, d) => sum + bins[best + d] * (best + d + 0.5), 0) / around(best);
  return { k: mean * BIN - MOST, share, places, bulge: bulging / places };
}

/** No edge in between: halves of the way differ by no more than a bent surface's. */
function isSmooth(data: ArrayLike<number>, i: number, step: number, reach: number): boolean {
  const whole = data[i + reach * step] - data[i - reach * step],
    first = data[i] - data[i - reach * step];
  if (Math.abs(first / whole - 0.5) > 0.2) return false;
  const limit = Math.abs(whole) / reach;
  for (let n = -reach; n < reach; n++) if (Math.abs(data[i + (n + 1) * step] - data[i + n * step]) > 2 * limit) return false;
  return true;
}
