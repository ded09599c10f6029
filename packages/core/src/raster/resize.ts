import { sampleBilinear } from './bilinear';

/**
 * Bilinear resampling of one plane, pixel centres aligned (pixel i covers [i, i+1)).
 * Nearest instead keeps labels and invalid marks apart.
 */
export function resizePlane(
  src: Float32Array,
  width: number,
  height: number,
  toWidth: number,
  toHeight: number,
  filter: 'linear' | 'nearest',
): Float32Array {
  if (width === toWidth && height === toHeight) return src;
  const out = new Float32Array(toWidth * toHeight);
  for (let y = 0; y < toHeight; y++) {
    const sy = ((y + 0.5) * height) / toHeight - 0.5;
    for (let x = 0; x < toWidth; x++) {
      const sx = ((x + 0.5) * width) / toWidth - 0.5;
      out[y * toWidth + x] =
        filter === 'nearest'
          ? src[clamp(Math.round(sy), height) * width + clamp(Math.round(sx), width)]
          : sampleBilinear(src, width, height, sx, sy);
    }
  }
  return out;
}

/** A picture of interleaved RGBA, resampled as `resizePlane` does. The same array when the size is right already. */
export function resizePicture(rgba: Float32Array, width: number, height: number, toWidth: number, toHeight: number): Float32Array {
  if (width === toWidth && height === toHeight) return rgba;
  const out = new Float32Array(toWidth * toHeight * 4);
  for (let c = 0; c < 4; c++) {
    const plane = Float32Array.from({ length: width * height }, (_, i) => rgba[i * 4 + c]);
    resizePlane(plane, width, height, toWidth, toHeight, 'linear').forEach((v, i) => (out[i * 4 + c] = v));
  }
  return out;
}

function clamp(i: number, size: number): number {
  return Math.min(size - 1, Math.max(0, i));
}
