import { sampleBilinear } from './bilinear';

/** Bilinear resampling of one plane over the same area: pixel i covers [i, i + 1). The same array when the size is right already. */
export function resizePlane(src: Float32Array, width: number, height: number, toWidth: number, toHeight: number): Float32Array {
  if (width === toWidth && height === toHeight) return src;
  const out = new Float32Array(toWidth * toHeight);
  for (let y = 0, i = 0; y < toHeight; y++) {
    const sy = ((y + 0.5) * height) / toHeight - 0.5;
    for (let x = 0; x < toWidth; x++, i++) out[i] = sampleBilinear(src, width, height, ((x + 0.5) * width) / toWidth - 0.5, sy);
  }
  return out;
}

/** The nearest pixel instead, which keeps labels, depths and invalid marks apart. */
export function resizeNearest<T extends Float32Array | Uint32Array | Uint8Array>(
  src: T,
  width: number,
  height: number,
  toWidth: number,
  toHeight: number,
): T {
  if (width === toWidth && height === toHeight) return src;
  const out = new (src.constructor as new (length: number) => T)(toWidth * toHeight);
  for (let y = 0, i = 0; y < toHeight; y++) {
    const row = Math.floor(((y + 0.5) * height) / toHeight) * width;
    for (let x = 0; x < toWidth; x++, i++) out[i] = src[row + Math.floor(((x + 0.5) * width) / toWidth)];
  }
  return out;
}

/** A picture of interleaved RGBA, resampled as `resizePlane` does. The same array when the size is right already. */
export function resizePicture(rgba: Float32Array, width: number, height: number, toWidth: number, toHeight: number): Float32Array {
  if (width === toWidth && height === toHeight) return rgba;
  const out = new Float32Array(toWidth * toHeight * 4);
  for (let c = 0; c < 4; c++) {
    const plane = Float32Array.from({ length: width * height }, (_, i) => rgba[i * 4 + c]);
    resizePlane(plane, width, height, toWidth, toHeight).forEach((v, i) => (out[i * 4 + c] = v));
  }
  return out;
}
