/** Margin around every level, filled with the border's values, so that a patch may leave the picture without a test a pixel. */
export const MARGIN_PX = 16;

/** One picture at one size: brightness only, with its slopes. Rows are `stride` floats apart; (0, 0) lies at `origin`. */
export interface PyramidLevel {
  readonly width: number;
  readonly height: number;
  readonly stride: number;
  readonly origin: number;
  readonly values: Float32Array;
  readonly slopeX: Float32Array;
  readonly slopeY: Float32Array;
}

/** Finest first; each next one is half as large. */
export type Pyramid = readonly PyramidLevel[];

/** Below this side a level holds too little to find anything in. */
const SMALLEST_SIDE_PX = 12;

/**
 * Brightness of premultiplied linear RGBA as the eye grades it: the square root keeps dark texture and bounds highlights.
 * NaN and negative light count as black.
 */
export function brightnessOf(rgba: Float32Array, out = new Float32Array(rgba.length / 4)): Float32Array {
  for (let i = 0; i < out.length; i++) {
    const light = 0.25 * rgba[i * 4] + 0.6 * rgba[i * 4 + 1] + 0.15 * rgba[i * 4 + 2];
    out[i] = light > 0 ? Math.sqrt(Math.min(light, 16)) : 0;
  }
  return out;
}

export function buildPyramid(brightness: Float32Array, width: number, height: number): Pyramid {
  const levels = [levelOf(brightness, width, height)];
  let values = brightness,
    w = width,
    h = height;
  while (Math.min(w, h) >= 2 * SMALLEST_SIDE_PX) {
    [values, w, h] = [halved(values, w, h), w >> 1, h >> 1];
    levels.push(levelOf(values, w, h));
  }
  return levels;
}

/** Means of 2 x 2; an odd last row or column is left out, which is the same everywhere and so moves nothing. */
function halved(src: Float32Array, width: number, height: number): Float32Array {
  const w = width >> 1,
    h = height >> 1,
    out = new Float32Array(w * h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const i = 2 * y * width + 2 * x;
      out[y * w + x] = (src[i] + src[i + 1] + src[i + width] + src[i + width + 1]) / 4;
    }
  }
  return out;
}

function levelOf(src: Float32Array, width: number, height: number): PyramidLevel {
  const stride = width + 2 * MARGIN_PX,
    rows = height + 2 * MARGIN_PX;
  const values = new Float32Array(stride * rows),
    slopeX = new Float32Array(stride * rows),
    slopeY = new Float32Array(stride * rows);
  for (let y = 0; y < rows; y++) {
    const from = Math.min(height - 1, Math.max(0, y - MARGIN_PX)) * width;
    for (let x = 0; x < stride; x++) values[y * stride + x] = src[from + Math.min(width - 1, Math.max(0, x - MARGIN_PX))];
  }
  for (let y = 1; y < rows - 1; y++) {
    for (let x = 1; x < stride - 1; x++) {
      const i = y * stride + x;
      slopeX[i] = (values[i + 1] - values[i - 1]) / 2;
      slopeY[i] = (values[i + stride] - values[i - stride]) / 2;
    }
  }
  return { width, height, stride, origin: MARGIN_PX * stride + MARGIN_PX, values, slopeX, slopeY };
}

/** A level's values, or its slopes, between pixels: bilinear without a look at the border, which goes on for the margin and beyond it. */
export function sampleLevel(level: PyramidLevel, plane: Float32Array, x: number, y: number): number {
  const { stride, origin, width, height } = level;
  const px = Math.min(width + MARGIN_PX - 2, Math.max(-MARGIN_PX + 1, x)),
    py = Math.min(height + MARGIN_PX - 2, Math.max(-MARGIN_PX + 1, y));
  const x0 = Math.floor(px),
    y0 = Math.floor(py),
    fx = px - x0,
    fy = py - y0,
    i = origin + y0 * stride + x0;
  return (plane[i] * (1 - fx) + plane[i + 1] * fx) * (1 - fy) + (plane[i + stride] * (1 - fx) + plane[i + stride + 1] * fx) * fy;
}
