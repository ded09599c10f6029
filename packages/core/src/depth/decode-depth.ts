import type { SampleType } from '../raster/image';
import type { DepthEncoding } from './depth-encoding';

/** Stored values of a depth pass. */
export interface StoredDepth {
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
  readonly width: number;
}

/** A nothing this large stands for all that is at least half as large: renderers write it along the line of sight, or let it grow a little. */
const FAR_NOTHING = 1e5;

/** Distance in front of which nothing is told apart, in stored units: what a linear pass stores at its zero or before it. */
const NEAREST = 1e-6;

/** Whether a stored value stands for nothing; within half a step of what the type can hold. */
export function isNothing(value: number, type: SampleType, nothing: readonly number[]): boolean {
  if (value - value !== 0) return true;
  for (const n of nothing) {
    const tolerance = type === 'u8' ? 0.5 / 255 : type === 'u16' ? 0.5 / 65535 : type === 'uint' ? 0 : Math.abs(n) * 1e-5;
    if (Math.abs(value - n) <= tolerance) return true;
    if (Math.abs(n) >= FAR_NOTHING && value * Math.sign(n) >= Math.abs(n) / 2) return true;
  }
  return false;
}

/**
 * Stored values as distances: above 0, larger is farther, Infinity where nothing is. NaN where a filtered edge mixed two of them and nobody's
 * distance is stored; `completeDepth` fills those.
 */
export function decodeDepth({ type, data, width }: StoredDepth, encoding: DepthEncoding): Float32Array {
  const { law, zero, scale, nothing, filtered } = encoding;
  const out = new Float32Array(data.length);
  for (let i = 0; i < out.length; i++) {
    const value = data[i];
    if (isNothing(value, type, nothing)) {
      out[i] = Infinity;
      continue;
    }
    const above = (value - zero) * scale;
    // Behind the eye is as near as can be; beyond what is infinitely far is nothing.
    if (law === 'linear') out[i] = Math.max(above, NEAREST * Math.abs(scale));
    else out[i] = above > 0 ? scale / (value - zero) : Infinity;
  }
  if (filtered) for (const i of mixedPixels(data, out, width)) out[i] = NaN;
  return out;
}

/** Steps of depth, relative to the nearer distance, that are edges; and where a mixed value lies between both sides. */
const EDGE_STEP = 0.06,
  MIXED_FROM = 0.06,
  MIXED_TO = 0.94,
  /** Beside an edge depth is level, on a slope it rises on: this share of the step tells them apart. */
  LEVEL_SHARE = 0.3;

const DIRECTIONS = [
  [1, 0],
  [0, 1],
  [1, 1],
  [1, -1],
] as const;

/** Pixels on steps of depth whose stored value lies between both sides: filters of up to five pixels. `distance`: the same values decoded. */
export function mixedPixels(stored: ArrayLike<number>, distance: Float32Array, width: number): number[] {
  const height = stored.length / width,
    out: number[] = [];
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (distance[i] === Infinity) continue;
      if (
        DIRECTIONS.some(
          ([dx, dy]) =>
            isMixed(stored, distance, width, height, x, y, dx, dy, 1) || isMixed(stored, distance, width, height, x, y, dx, dy, 2),
        )
      )
        out.push(i);
    }
  return out;
}

function isMixed(
  stored: ArrayLike<number>,
  distance: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  dx: number,
  dy: number,
  reach: 1 | 2,
): boolean {
  const bx = x - dx * reach,
    ax = x + dx * reach,
    by = y - dy * reach,
    ay = y + dy * reach;
  if (bx < 0 || ax < 0 || bx >= width || ax >= width || by < 0 || ay < 0 || by >= height || ay >= height) return false;
  const i = y * width + x,
    before = by * width + bx,
    after = ay * width + ax;
  const near = Math.min(distance[before], distance[after]),
    far = Math.max(distance[before], distance[after]);
  if (!(far - near > EDGE_STEP * near)) return false;
  const step = stored[after] - stored[before],
    share = (stored[i] - stored[before]) / step;
  if (!(share > MIXED_FROM && share < MIXED_TO)) return false;
  const outside = (at: number, fromX: number, fromY: number, sign: number): number => {
    const px = fromX + sign * dx,
      py = fromY + sign * dy;
    // Beyond the border nothing is known: the other side decides.
    return px < 0 || py < 0 || px >= width || py >= height ? Infinity : Math.abs(stored[py * width + px] - stored[at]);
  };
  const level = Math.min(outside(before, bx, by, -1), outside(after, ax, ay, 1));
  return !(level * reach > LEVEL_SHARE * Math.abs(step));
}
