// A picture at falling sizes, as matching wants it: evenly noisy, softened once, halved level by level. RGBA, 4 floats a pixel.

/**
 * To `out` (`outWidth` x `outHeight`): the means of squares of `reduced` pixels of premultiplied `rgba`, square root of light and half of alpha. Light and alpha
 * are held to 0 .. `most` first, what is no number to 0. Beyond the border a picture goes on as it ends.
 */
export function lightOf(rgba: usize, width: i32, height: i32, reduced: i32, out: usize, outWidth: i32, outHeight: i32, most: f32): void {
  const none = f32x4.splat(0);
  const top = f32x4.splat(most);
  const share = f32x4.splat(<f32>1 / <f32>(reduced * reduced));
  let to = out;
  for (let y = 0; y < outHeight; y++) {
    for (let x = 0; x < outWidth; x++, to += 16) {
      let sum = none;
      for (let dy = 0; dy < reduced; dy++) {
        const row = rgba + (<usize>(min(height - 1, y * reduced + dy) * width) << 4);
        for (let dx = 0; dx < reduced; dx++) {
          const light = v128.load(row + (<usize>min(width - 1, x * reduced + dx) << 4));
          // pmax of nothing and what is no number is nothing.
          sum = f32x4.add(sum, f32x4.pmin(top, f32x4.pmax(none, light)));
        }
      }
      const mean = f32x4.mul(sum, share);
      v128.store(to, f32x4.replace_lane(f32x4.sqrt(mean), 3, f32x4.extract_lane(mean, 3) * 0.5));
    }
  }
}

/** 1-2-1 along both axes; beyond the border a picture goes on as it ends. `along` is room for as much as the picture. */
export function softenPicture(picture: usize, width: i32, height: i32, along: usize, out: usize): void {
  const quarter = f32x4.splat(0.25);
  const half = f32x4.splat(0.5);
  const row = <usize>width << 4;
  for (let y = 0; y < height; y++) {
    const start = picture + <usize>y * row;
    const to = along + <usize>y * row;
    let before = v128.load(start);
    let here = before;
    for (let x: usize = 0; x < row; x += 16) {
      const after = x + 16 < row ? v128.load(start + x, 16) : here;
      v128.store(to + x, f32x4.add(f32x4.mul(f32x4.add(before, after), quarter), f32x4.mul(here, half)));
      before = here;
      here = after;
    }
  }
  for (let y = 0; y < height; y++) {
    const at = along + <usize>y * row;
    const up = y === 0 ? at : at - row;
    const down = y === height - 1 ? at : at + row;
    const to = out + <usize>y * row;
    for (let x: usize = 0; x < row; x += 16)
      v128.store(
        to + x,
        f32x4.add(f32x4.mul(f32x4.add(v128.load(up + x), v128.load(down + x)), quarter), f32x4.mul(v128.load(at + x), half)),
      );
  }
}

/** Means of squares of two. */
export function halvePicture(picture: usize, width: i32, height: i32, out: usize, outWidth: i32, outHeight: i32): void {
  const quarter = f32x4.splat(0.25);
  let to = out;
  for (let y = 0; y < outHeight; y++) {
    const top = picture + (<usize>(min(height - 1, y * 2) * width) << 4);
    const low = picture + (<usize>(min(height - 1, y * 2 + 1) * width) << 4);
    for (let x = 0; x < outWidth; x++, to += 16) {
      const left = <usize>min(width - 1, x * 2) << 4;
      const right = <usize>min(width - 1, x * 2 + 1) << 4;
      const upper = f32x4.add(v128.load(top + left), v128.load(top + right));
      const lower = f32x4.add(v128.load(low + left), v128.load(low + right));
      v128.store(to, f32x4.mul(f32x4.add(upper, lower), quarter));
    }
  }
}
