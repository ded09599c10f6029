import type { MotionField } from '@ivrex/core';

/**
 * The usual blur of a compositing package, as a baseline: every pixel averages the picture along its own vector (bilinear); pixels without a
 * vector stay as they are.
 */
export function ownVectorGather(rgba: Float32Array, motion: MotionField, opens: number, closes: number, samples: number): Float32Array {
  const { width, height, toNext, toPrevious, valid } = motion;
  const out = new Float32Array(rgba.length);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      for (let s = 0; s < samples; s++) {
        const t = opens + ((s + 0.5) / samples) * (closes - opens);
        const way = t < 0 ? toPrevious : toNext,
          length = valid[i] === 0 ? 0 : Math.abs(t);
        addSample(rgba, width, height, x - way[i * 2] * length, y - way[i * 2 + 1] * length, 1 / samples, out, i * 4);
      }
    }
  }
  return out;
}

function addSample(
  rgba: Float32Array,
  width: number,
  height: number,
  sx: number,
  sy: number,
  weight: number,
  out: Float32Array,
  at: number,
): void {
  const fx = Math.min(width - 1, Math.max(0, sx)),
    fy = Math.min(height - 1, Math.max(0, sy));
  const x0 = Math.min(width - 2, Math.floor(fx)),
    y0 = Math.min(height - 2, Math.floor(fy)),
    u = fx - x0,
    v = fy - y0,
    p = (y0 * width + x0) * 4,
    q = p + width * 4;
  for (let c = 0; c < 4; c++)
    out[at + c] += weight * ((rgba[p + c] * (1 - u) + rgba[p + 4 + c] * u) * (1 - v) + (rgba[q + c] * (1 - u) + rgba[q + 4 + c] * u) * v);
}
