import { brightnessOf } from './flow/pyramid';
import type { MotionField } from '../raster/motion-field';

/** The frame and its neighbours, premultiplied linear RGBA of one size; null where there is none. */
export interface NeighbourPictures {
  readonly width: number;
  readonly height: number;
  readonly now: Float32Array;
  readonly next: Float32Array | null;
  readonly previous: Float32Array | null;
}

/** Mean differences of brightness at pixels with texture, 0 to 0.15: the neighbours as they are, and fetched back along the vectors. */
export interface Proof {
  readonly before: number;
  readonly after: number;
  readonly points: number;
}

/** Larger differences count as this: something was hidden or lit anew. */
const MOST = 0.15,
  /** Slopes of brightness a pixel below this say nothing about motion. */
  LEAST_SLOPE = 0.01;

/** Holds a motion field against the pictures. Null when no neighbour or no texture is there. */
export function proveMotion(pictures: NeighbourPictures, field: MotionField): Proof | null {
  const { width, height } = pictures,
    now = brightnessOf(pictures.now);
  let before = 0,
    after = 0,
    points = 0;
  for (const [picture, vectors] of [
    [pictures.next, field.toNext],
    [pictures.previous, field.toPrevious],
  ] as const) {
    if (picture === null) continue;
    const other = brightnessOf(picture);
    for (let y = 1; y < height - 1; y++) {
      for (let x = 1; x < width - 1; x++) {
        const i = y * width + x;
        if (field.valid[i] === 0) continue;
        if (Math.abs(now[i + 1] - now[i - 1]) + Math.abs(now[i + width] - now[i - width]) < 2 * LEAST_SLOPE) continue;
        const sx = x + vectors[i * 2],
          sy = y + vectors[i * 2 + 1];
        if (!(sx >= 0 && sy >= 0 && sx < width - 1 && sy < height - 1)) continue;
        points++;
        before += Math.min(MOST, Math.abs(other[i] - now[i]));
        after += Math.min(MOST, Math.abs(sampled(other, width, sx, sy) - now[i]));
      }
    }
  }
  return points === 0 ? null : { before: before / points, after: after / points, points };
}

function sampled(plane: Float32Array, width: number, x: number, y: number): number {
  const x0 = Math.floor(x),
    y0 = Math.floor(y),
    u = x - x0,
    v = y - y0,
    i = y0 * width + x0;
  return (plane[i] * (1 - u) + plane[i + 1] * u) * (1 - v) + (plane[i + width] * (1 - u) + plane[i + width + 1] * u) * v;
}
