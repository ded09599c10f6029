/**
 * The value between pixels, bilinear: pixel (0, 0) has its centre at x = 0, y = 0; beyond the border its pixels are repeated.
 * `values` are width x height pixels of `channels` numbers, of which `channel` is read.
 */
export function sampleBilinear(
  values: ArrayLike<number>,
  width: number,
  height: number,
  x: number,
  y: number,
  channels = 1,
  channel = 0,
): number {
  const px = Math.min(width - 1, Math.max(0, x)),
    py = Math.min(height - 1, Math.max(0, y)),
    x0 = Math.floor(px),
    y0 = Math.floor(py),
    u = px - x0,
    v = py - y0,
    right = x0 + 1 < width ? channels : 0,
    down = y0 + 1 < height ? width * channels : 0,
    i = (y0 * width + x0) * channels + channel;
  return (values[i] * (1 - u) + values[i + right] * u) * (1 - v) + (values[i + down] * (1 - u) + values[i + down + right] * u) * v;
}
