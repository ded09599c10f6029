// Light of points that are out of focus: every pixel gathers what the apertures around it let through.

/** Bytes of a place: dx, dy, dx + dy * width as i32, and the radius from which on it is reached as f32. */
const PLACE: usize = 16;

/**
 * Pixels [x0, x1) x [y0, y1) into `out`, rows `outStride` bytes apart. `rgba`: 4 floats a pixel, `radii` and `shares` 1. Of the places only the first
 * `count` are looked at; `margin`: no place is farther away, so that inside it nothing has to be asked about borders.
 */
export function gatherAperture(
  rgba: usize,
  radii: usize,
  shares: usize,
  width: i32,
  height: i32,
  places: usize,
  count: i32,
  margin: i32,
  x0: i32,
  x1: i32,
  y0: i32,
  y1: i32,
  out: usize,
  outStride: usize,
): void {
  for (let y = y0; y < y1; y++) {
    let to = out + <usize>(y - y0) * outStride;
    const rowInside = y >= margin && y < height - margin;
    for (let x = x0; x < x1; x++, to += 16) {
      const i = y * width + x;
      const inside = rowInside && x >= margin && x < width - margin;
      let sum = f32x4.splat(0);
      let weights: f32 = 0;
      let place = places;
      for (let n = 0; n < count; n++, place += PLACE) {
        if (!inside) {
          const px = x + load<i32>(place);
          const py = y + load<i32>(place, 4);
          if (px < 0 || py < 0 || px >= width || py >= height) continue;
        }
        const k = <usize>(i + load<i32>(place, 8));
        const from = load<f32>(place, 12);
        // The middle pixel is always reached.
        const part: f32 = n == 0 ? 1 : min<f32>(1, load<f32>(radii + (k << 2)) - from + 0.5);
        if (part <= 0) continue;
        const w = part * load<f32>(shares + (k << 2));
        weights += w;
        sum = f32x4.add(sum, f32x4.mul(f32x4.splat(w), v128.load(rgba + (k << 4))));
      }
      v128.store(to, f32x4.div(sum, f32x4.splat(weights)));
    }
  }
}
