// A layer's colour at places between its pixels, and its highlights, which are sampled apart.

@inline
function texel(colour: usize, w: i32, h: i32, x: i32, y: i32): v128 {
  if (<u32>x >= <u32>w || <u32>y >= <u32>h) return f32x4.splat(0);
  return v128.load(colour + (<usize>(y * w + x) << 4));
}

export function sampleLinear(colour: usize, w: i32, h: i32, x: i32, y: i32, fu: f32, fv: f32): v128 {
  const u = f32x4.splat(fu), v = f32x4.splat(fv);
  let a: v128, b: v128, c: v128, d: v128;
  if (x >= 0 && y >= 0 && x + 1 < w && y + 1 < h) {
    const p = colour + (<usize>(y * w + x) << 4);
    const below = p + (<usize>w << 4);
    a = v128.load(p); b = v128.load(p, 16); c = v128.load(below); d = v128.load(below, 16);
  } else {
    a = texel(colour, w, h, x, y); b = texel(colour, w, h, x + 1, y);
    c = texel(colour, w, h, x, y + 1); d = texel(colour, w, h, x + 1, y + 1);
  }
  const top = f32x4.add(a, f32x4.mul(f32x4.sub(b, a), u));
  const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(d, c), u));
  return f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), v));
}

/** Light above this, and above so many times the least of the pixels around, is sampled apart. */
const LIGHT: f32 = 1, LIGHT_RATIO: f32 = 4;

/**
 * Whether a picture has highlights: pixels whose colour stands out of what lies within two pixels. Their box goes to `box`: x0, y0, width, height
 * (i32), in pixels of the picture.
 */
export function findHighlights(colour: usize, w: i32, h: i32, box: usize): bool {
  let x0 = w, x1 = -1, y0 = h, y1 = -1;
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      if (!v128.any_true(f32x4.gt(highlight(colour, w, h, x, y), f32x4.splat(0)))) continue;
      x0 = min<i32>(x0, x); x1 = max<i32>(x1, x); y0 = min<i32>(y0, y); y1 = y;
    }
  store<i32>(box, x0); store<i32>(box, y0, 4); store<i32>(box, x1 - x0 + 1, 8); store<i32>(box, y1 - y0 + 1, 12);
  return x1 >= 0;
}

/** Takes the highlights of a box out of the picture, into `lights`: sampled bilinearly they keep all their light and take none from beside them. */
export function takeHighlights(colour: usize, w: i32, h: i32, box: usize, lights: usize): void {
  const x0 = load<i32>(box), y0 = load<i32>(box, 4), lw = load<i32>(box, 8), lh = load<i32>(box, 12);
  for (let y = 0; y < lh; y++)
    for (let x = 0; x < lw; x++) v128.store(lights + (<usize>(y * lw + x) << 4), highlight(colour, w, h, x0 + x, y0 + y));
  for (let y = 0; y < lh; y++)
    for (let x = 0; x < lw; x++) {
      const at = colour + (<usize>((y0 + y) * w + x0 + x) << 4);
      v128.store(at, f32x4.sub(v128.load(at), v128.load(lights + (<usize>(y * lw + x) << 4))));
    }
}

/** What of a pixel's colour is highlight; 0 in alpha. Nothing lies beyond the picture's edge. */
function highlight(colour: usize, w: i32, h: i32, x: i32, y: i32): v128 {
  const own = v128.load(colour + (<usize>(y * w + x) << 4));
  if (!v128.any_true(f32x4.gt(own, f32x4(LIGHT, LIGHT, LIGHT, 3.4e38)))) return f32x4.splat(0);
  let least = own;
  for (let dy = -2; dy <= 2; dy++)
    for (let dx = -2; dx <= 2; dx++) least = f32x4.min(least, texel(colour, w, h, x + dx, y + dy));
  const kept = f32x4.max(f32x4.splat(LIGHT), f32x4.mul(least, f32x4.splat(LIGHT_RATIO)));
  return f32x4.mul(f32x4.max(f32x4.sub(own, kept), f32x4.splat(0)), f32x4(1, 1, 1, 0));
}

/** Catmull-Rom's four weights: interpolates, so that a still pixel comes back unchanged (Keys 1981, a = -1/2). */
@inline
function cubicWeights(u: f32): v128 {
  const t = f32x4.splat(u);
  let w = f32x4.add(f32x4.mul(f32x4(-0.5, 1.5, -1.5, 0.5), t), f32x4(1.0, -2.5, 2.0, -0.5));
  w = f32x4.add(f32x4.mul(w, t), f32x4(-0.5, 0.0, 0.5, 0.0));
  return f32x4.add(f32x4.mul(w, t), f32x4(0.0, 1.0, 0.0, 0.0));
}

export function sampleCubic(colour: usize, w: i32, h: i32, ix: i32, iy: i32, u: f32, v: f32): v128 {
  const x = ix - 1, y = iy - 1;
  const wx = cubicWeights(u), wy = cubicWeights(v);
  const wx0 = v128.shuffle<f32>(wx, wx, 0, 0, 0, 0), wx1 = v128.shuffle<f32>(wx, wx, 1, 1, 1, 1);
  const wx2 = v128.shuffle<f32>(wx, wx, 2, 2, 2, 2), wx3 = v128.shuffle<f32>(wx, wx, 3, 3, 3, 3);
  const wy0 = v128.shuffle<f32>(wy, wy, 0, 0, 0, 0), wy1 = v128.shuffle<f32>(wy, wy, 1, 1, 1, 1);
  const wy2 = v128.shuffle<f32>(wy, wy, 2, 2, 2, 2), wy3 = v128.shuffle<f32>(wy, wy, 3, 3, 3, 3);
  if (x >= 0 && y >= 0 && x + 3 < w && y + 3 < h) {
    const stride = <usize>w << 4;
    const p = colour + (<usize>(y * w + x) << 4), q = p + (stride << 1);
    const a = f32x4.add(f32x4.mul(cubicRow(p, wx0, wx1, wx2, wx3), wy0), f32x4.mul(cubicRow(p + stride, wx0, wx1, wx2, wx3), wy1));
    const b = f32x4.add(f32x4.mul(cubicRow(q, wx0, wx1, wx2, wx3), wy2), f32x4.mul(cubicRow(q + stride, wx0, wx1, wx2, wx3), wy3));
    return f32x4.add(a, b);
  }
  let sum = f32x4.mul(cubicBorder(colour, w, h, x, y, wx0, wx1, wx2, wx3), wy0);
  sum = f32x4.add(sum, f32x4.mul(cubicBorder(colour, w, h, x, y + 1, wx0, wx1, wx2, wx3), wy1));
  sum = f32x4.add(sum, f32x4.mul(cubicBorder(colour, w, h, x, y + 2, wx0, wx1, wx2, wx3), wy2));
  return f32x4.add(sum, f32x4.mul(cubicBorder(colour, w, h, x, y + 3, wx0, wx1, wx2, wx3), wy3));
}

function cubicBorder(colour: usize, w: i32, h: i32, x: i32, y: i32, w0: v128, w1: v128, w2: v128, w3: v128): v128 {
  let row = f32x4.mul(texel(colour, w, h, x, y), w0);
  row = f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 1, y), w1));
  row = f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 2, y), w2));
  return f32x4.add(row, f32x4.mul(texel(colour, w, h, x + 3, y), w3));
}

@inline
function cubicRow(p: usize, w0: v128, w1: v128, w2: v128, w3: v128): v128 {
  const left = f32x4.add(f32x4.mul(v128.load(p), w0), f32x4.mul(v128.load(p, 16), w1));
  return f32x4.add(left, f32x4.add(f32x4.mul(v128.load(p, 32), w2), f32x4.mul(v128.load(p, 48), w3)));
}
