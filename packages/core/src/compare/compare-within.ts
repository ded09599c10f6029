import { blurMask, clamp01, comparePictures, decibel, type Comparison } from './metrics';

/** Half open, pixels. */
export interface CompareBox {
  readonly x0: number;
  readonly y0: number;
  readonly x1: number;
  readonly y1: number;
}

export interface PlacedComparison extends Comparison {
  /** Where the largest difference is. */
  readonly maxAt: { readonly x: number; readonly y: number };
  /** How many pixels count. */
  readonly pixels: number;
}

/**
 * What two pictures differ by in a part of them: a box, or the pixels of `inside`, or both. Outside of `inside` they count as equal for the
 * structural similarity, and not at all for the rest. Null when nothing is left to compare.
 * @param sharp the sharp picture; `maskedPsnr` then counts what the blur changed in B.
 */
export function compareWithin(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  sharp: Float32Array | null,
  box: CompareBox | null,
  inside: Uint8Array | null,
): PlacedComparison | null {
  const x0 = Math.max(0, Math.floor(box?.x0 ?? 0)),
    y0 = Math.max(0, Math.floor(box?.y0 ?? 0)),
    w = Math.min(width, Math.ceil(box?.x1 ?? width)) - x0,
    h = Math.min(height, Math.ceil(box?.y1 ?? height)) - y0;
  if (w <= 0 || h <= 0) return null;
  const cut = (src: Float32Array) => {
    const out = new Float32Array(w * h * 4);
    for (let y = 0; y < h; y++) out.set(src.subarray(((y0 + y) * width + x0) * 4, ((y0 + y) * width + x0 + w) * 4), y * w * 4);
    return out;
  };
  const counts = new Uint8Array(w * h).fill(1);
  if (inside !== null) for (let y = 0; y < h; y++) counts.set(inside.subarray((y0 + y) * width + x0, (y0 + y) * width + x0 + w), y * w);
  const ours = cut(a),
    theirs = cut(b);
  const mask = sharp === null ? null : blurMask(theirs, cut(sharp), w, h);
  let squares = 0,
    maskedSquares = 0,
    masked = 0,
    pixels = 0,
    most = -1,
    at = 0,
    absolute = 0;
  for (let i = 0; i < counts.length; i++) {
    if (counts[i] === 0) {
      for (let c = i * 4; c < i * 4 + 4; c++) ours[c] = theirs[c];
      continue;
    }
    pixels++;
    let square = 0;
    for (let c = i * 4; c < i * 4 + 4; c++) {
      square += (clamp01(ours[c]) - clamp01(theirs[c])) ** 2;
      const d = Math.abs((ours[c] || 0) - (theirs[c] || 0));
      absolute += d;
      if (d > most) {
        most = d;
        at = i;
      }
    }
    squares += square;
    if (mask !== null && mask[i] !== 0) {
      maskedSquares += square;
      masked++;
    }
  }
  if (pixels === 0) return null;
  return {
    psnr: decibel(squares / (pixels * 4)),
    maskedPsnr: masked === 0 ? null : decibel(maskedSquares / (masked * 4)),
    ssim: comparePictures(ours, theirs, w, h, null).ssim,
    maxAbs: most,
    meanAbs: absolute / (pixels * 4),
    maxAt: { x: x0 + (at % w), y: y0 + Math.floor(at / w) },
    pixels,
  };
}
