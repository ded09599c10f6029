/**
 * Decoded motion of one frame: pixels of the display window per frame, x right, y down.
 * Interleaved x, y. `valid` is 1 where there is a vector; vectors are 0 elsewhere.
 */
export interface MotionField {
  readonly width: number;
  readonly height: number;
  readonly toNext: Float32Array;
  readonly toPrevious: Float32Array;
  readonly valid: Uint8Array;
  /** False when toPrevious is only the mirrored toNext. */
  readonly twoSided: boolean;
}

export function emptyMotionField(width: number, height: number, twoSided: boolean): MotionField {
  const count = width * height;
  return {
    width,
    height,
    twoSided,
    toNext: new Float32Array(count * 2),
    toPrevious: new Float32Array(count * 2),
    valid: new Uint8Array(count),
  };
}

/** Vectors whose four neighbours differ by more than this lie on an edge and are not mixed when a field is resized. */
const EDGE_PX = 2;

/** The field at another frame size, vectors scaled with it. Smooth inside objects, nearest across their edges. */
export function resizeMotionField(field: MotionField, width: number, height: number): MotionField {
  if (field.width === width && field.height === height) return field;
  const out = emptyMotionField(width, height, field.twoSided);
  const scaleX = width / field.width,
    scaleY = height / field.height;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const taps = tapsAt(field, (x + 0.5) / scaleX - 0.5, (y + 0.5) / scaleY - 0.5);
      const i = y * width + x;
      for (const [src, dst] of [
        [field.toNext, out.toNext],
        [field.toPrevious, out.toPrevious],
      ] as const) {
        let vx = 0,
          vy = 0;
        for (const { index, weight } of taps) {
          vx += src[index * 2] * weight;
          vy += src[index * 2 + 1] * weight;
        }
        dst[i * 2] = vx * scaleX;
        dst[i * 2 + 1] = vy * scaleY;
      }
      out.valid[i] = taps.length === 0 ? 0 : 1;
    }
  }
  return out;
}

interface Tap {
  readonly index: number;
  readonly weight: number;
}

function tapsAt(field: MotionField, sx: number, sy: number): readonly Tap[] {
  const { width, height, valid, toNext } = field;
  const clampTo = (v: number, size: number) => Math.min(size - 1, Math.max(0, v));
  const nearest = clampTo(Math.round(sy), height) * width + clampTo(Math.round(sx), width);
  if (valid[nearest] === 0) return [];
  const x = Math.floor(sx),
    y = Math.floor(sy),
    u = sx - x,
    v = sy - y;
  const taps: Tap[] = [];
  for (const [dx, dy, weight] of [
    [0, 0, (1 - u) * (1 - v)],
    [1, 0, u * (1 - v)],
    [0, 1, (1 - u) * v],
    [1, 1, u * v],
  ] as const) {
    const index = clampTo(y + dy, height) * width + clampTo(x + dx, width);
    const far = Math.abs(toNext[index * 2] - toNext[nearest * 2]) + Math.abs(toNext[index * 2 + 1] - toNext[nearest * 2 + 1]) > EDGE_PX;
    if (valid[index] === 0 || far) return [{ index: nearest, weight: 1 }];
    taps.push({ index, weight });
  }
  return taps;
}

/** The longest vector, in pixels per frame, either way. */
export function peakSpeed(field: MotionField): number {
  let peak = 0;
  for (const vectors of [field.toNext, field.toPrevious]) {
    for (let i = 0; i < vectors.length; i += 2) peak = Math.max(peak, vectors[i] * vectors[i] + vectors[i + 1] * vectors[i + 1]);
  }
  return Math.sqrt(peak);
}
