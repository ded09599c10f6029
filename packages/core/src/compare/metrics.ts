import { lumaOf } from '../colour/luma';
/** What two pictures differ by. RGBA premultiplied, interleaved; dB against a peak of 1. */
export interface Comparison {
  /** Infinity when equal. */
  readonly psnr: number;
  /** Over the pixels that the blur changed; null without a sharp picture or when nothing changed. */
  readonly maskedPsnr: number | null;
  readonly ssim: number;
  readonly maxAbs: number;
  readonly meanAbs: number;
}

/** Growth of the mask, in pixels each way (a square), and what counts as changed. */
const MASK_GROW_PX = 4,
  MASK_DIFFERENCE = 0.002;

/** psnr, maskedPsnr and ssim on values clamped to 0..1; maxAbs and meanAbs on the values as they are. NaN counts as 0. */
export function comparePictures(a: Float32Array, b: Float32Array, width: number, height: number, sharp: Float32Array | null): Comparison {
  let sum = 0,
    maxAbs = 0,
    absolute = 0;
  for (let i = 0; i < a.length; i++) {
    const d = clamp01(a[i]) - clamp01(b[i]);
    sum += d * d;
    const raw = Math.abs((a[i] || 0) - (b[i] || 0));
    if (raw > maxAbs) maxAbs = raw;
    absolute += raw;
  }
  return {
    psnr: decibel(sum / a.length),
    maskedPsnr: sharp === null ? null : maskedPsnr(a, b, blurMask(b, sharp, width, height)),
    ssim: ssim(luma(a), luma(b), width, height),
    maxAbs,
    meanAbs: absolute / a.length,
  };
}

/** NaN counts as 0. */
export function clamp01(v: number): number {
  return v > 0 ? (v < 1 ? v : 1) : 0;
}

export function decibel(meanSquare: number): number {
  return meanSquare === 0 ? Infinity : -10 * Math.log10(meanSquare);
}

/** 1 where `blurred` differs from `sharp` by more than 0.002 in any channel, grown by 4 px. */
export function blurMask(blurred: Float32Array, sharp: Float32Array, width: number, height: number): Uint8Array {
  const mask = new Uint8Array(width * height);
  for (let i = 0; i < mask.length; i++) {
    for (let c = 0; c < 4; c++) if (Math.abs(blurred[i * 4 + c] - sharp[i * 4 + c]) > MASK_DIFFERENCE) mask[i] = 1;
  }
  return growRows(growRows(mask, width, height, 1, width), height, width, width, 1);
}

/** Maximum over a run of 2 * MASK_GROW_PX + 1 along one axis. */
function growRows(mask: Uint8Array, length: number, lines: number, step: number, lineStep: number): Uint8Array {
  const out = new Uint8Array(mask.length);
  for (let line = 0; line < lines; line++) {
    const start = line * lineStep;
    let last = -Infinity;
    for (let i = 0; i < length + MASK_GROW_PX; i++) {
      if (i < length && mask[start + i * step] === 1) last = i;
      const at = i - MASK_GROW_PX;
      if (at >= 0 && last >= at - MASK_GROW_PX) out[start + at * step] = 1;
    }
  }
  return out;
}

function maskedPsnr(a: Float32Array, b: Float32Array, mask: Uint8Array): number | null {
  let sum = 0,
    count = 0;
  for (let i = 0; i < mask.length; i++) {
    if (mask[i] === 0) continue;
    count += 4;
    for (let c = i * 4; c < i * 4 + 4; c++) {
      const d = clamp01(a[c]) - clamp01(b[c]);
      sum += d * d;
    }
  }
  return count === 0 ? null : decibel(sum / count);
}

function luma(rgba: Float32Array): Float64Array {
  const out = new Float64Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = lumaOf(clamp01(rgba[i * 4]), clamp01(rgba[i * 4 + 1]), clamp01(rgba[i * 4 + 2]));
  return out;
}

/** Mean structural similarity of two lumas, 11 x 11 Gaussian of 1.5 px (Wang et al. 2004, K1 = 0.01, K2 = 0.03). */
export function ssim(a: Float64Array, b: Float64Array, width: number, height: number): number {
  const kernel = Array.from({ length: 11 }, (_, i) => Math.exp(-((i - 5) ** 2) / 4.5));
  const total = kernel.reduce((sum, v) => sum + v, 0);
  const blur = (src: Float64Array) => convolve(convolve(src, kernel, total, width, height, 1), kernel, total, width, height, width);
  const product = (x: Float64Array, y: Float64Array) => x.map((v, i) => v * y[i]);
  const ma = blur(a),
    mb = blur(b),
    aa = blur(product(a, a)),
    bb = blur(product(b, b)),
    ab = blur(product(a, b));
  const c1 = 0.01 ** 2,
    c2 = 0.03 ** 2;
  let sum = 0;
  for (let i = 0; i < a.length; i++) {
    const va = aa[i] - ma[i] * ma[i],
      vb = bb[i] - mb[i] * mb[i],
      cov = ab[i] - ma[i] * mb[i];
    sum += ((2 * ma[i] * mb[i] + c1) * (2 * cov + c2)) / ((ma[i] * ma[i] + mb[i] * mb[i] + c1) * (va + vb + c2));
  }
  return sum / a.length;
}

/** One axis of a separable filter; the picture's border is repeated. */
function convolve(src: Float64Array, kernel: readonly number[], total: number, width: number, height: number, step: number): Float64Array {
  const out = new Float64Array(src.length);
  const length = step === 1 ? width : height;
  for (let i = 0; i < src.length; i++) {
    const at = step === 1 ? i % width : Math.floor(i / width);
    let sum = 0;
    for (let k = -5; k <= 5; k++) {
      const clamped = Math.min(length - 1, Math.max(0, at + k));
      sum += src[i + (clamped - at) * step] * kernel[k + 5];
    }
    out[i] = sum / total;
  }
  return out;
}
