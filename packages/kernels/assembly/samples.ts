// A layer's colour at places between its pixels, and its highlights, which are sampled apart.

import { isSeenAt } from "./cells";

/** What `sampleFour` found: RGBA f32 of each place. */
export const FOUND: usize = memory.data(64, 16);
/** By place: its weights across and down (four each, by weight), how far it lies from the pixel before it, that pixel, and the first pixel's bytes. */
const ACROSS: usize = memory.data(64, 16), DOWN: usize = memory.data(64, 16), REST_X: usize = memory.data(16, 16), REST_Y: usize = memory.data(16, 16);
const PIXEL_X: usize = memory.data(16, 16), PIXEL_Y: usize = memory.data(16, 16), OFFSET: usize = memory.data(16, 16);

/**
 * A layer's colour at four places, to `FOUND`. places: x of the four, then y, in the picture. lanes: a bit for each that is asked for. Returns those in which
 * there is any: what is far from the layer's colour is not looked at.
 */
export function sampleFour(record: usize, places: usize, lanes: i32, cubic: i32): i32 {
  const colour = load<usize>(record, 0), w = load<i32>(record, 12), h = load<i32>(record, 16), near = load<usize>(record, 92), lights = load<usize>(record, 44);
  const px = v128.load(places), py = v128.load(places, 16), flX = f32x4.floor(px), flY = f32x4.floor(py);
  // Places stay the picture's own until they are whole numbers: a layer cut elsewhere gives the same bits.
  const u = f32x4.sub(px, flX), v = f32x4.sub(py, flY);
  const ix = i32x4.sub(i32x4.trunc_sat_f32x4_s(flX), v128.load32_splat(record + 4)), iy = i32x4.sub(i32x4.trunc_sat_f32x4_s(flY), v128.load32_splat(record + 8));
  v128.store(PIXEL_X, ix); v128.store(PIXEL_Y, iy);
  if (near)
    for (let left = lanes; left !== 0; left &= left - 1) {
      const at = <usize>ctz(left) << 2;
      if (!isSeenAt(record, near, load<i32>(PIXEL_X + at), load<i32>(PIXEL_Y + at))) lanes &= ~(left & -left);
    }
  const one = i32x4.splat(1);
  const isInside = v128.and(v128.and(i32x4.ge_s(ix, one), i32x4.ge_s(iy, one)), v128.and(i32x4.lt_s(ix, i32x4.splat(w - 2)), i32x4.lt_s(iy, i32x4.splat(h - 2))));
  if (cubic && (lanes & ~i32x4.bitmask(isInside)) === 0) {
    const stride = <usize>w << 4;
    laneWeights(u, ACROSS); laneWeights(v, DOWN);
    v128.store(OFFSET, i32x4.shl(i32x4.add(i32x4.mul(i32x4.sub(iy, one), i32x4.splat(w)), i32x4.sub(ix, one)), 4));
    for (let left = lanes; left !== 0; left &= left - 1) {
      const lane = <usize>ctz(left) << 2, p = colour + <usize>load<i32>(OFFSET + lane), q = p + (stride << 1);
      const x0 = v128.load32_splat(ACROSS + lane), x1 = v128.load32_splat(ACROSS + lane, 16), x2 = v128.load32_splat(ACROSS + lane, 32), x3 = v128.load32_splat(ACROSS + lane, 48);
      const a = f32x4.add(f32x4.mul(cubicRow(p, x0, x1, x2, x3), v128.load32_splat(DOWN + lane)), f32x4.mul(cubicRow(p + stride, x0, x1, x2, x3), v128.load32_splat(DOWN + lane, 16)));
      const b = f32x4.add(f32x4.mul(cubicRow(q, x0, x1, x2, x3), v128.load32_splat(DOWN + lane, 32)), f32x4.mul(cubicRow(q + stride, x0, x1, x2, x3), v128.load32_splat(DOWN + lane, 48)));
      v128.store(FOUND + (lane << 2), f32x4.add(a, b));
    }
    if (!lights) return lanes;
    v128.store(REST_X, u); v128.store(REST_Y, v);
  } else {
    v128.store(REST_X, u); v128.store(REST_Y, v);
    for (let left = lanes; left !== 0; left &= left - 1) {
      const lane = <usize>ctz(left) << 2, x = load<i32>(PIXEL_X + lane), y = load<i32>(PIXEL_Y + lane), fu = load<f32>(REST_X + lane), fv = load<f32>(REST_Y + lane);
      v128.store(FOUND + (lane << 2), cubic ? sampleCubic(colour, w, h, x, y, fu, fv) : sampleLinear(colour, w, h, x, y, fu, fv));
    }
  }
  if (lights) {
    const lw = load<i32>(record, 56), lh = load<i32>(record, 60);
    for (let left = lanes; left !== 0; left &= left - 1) {
      const lane = <usize>ctz(left) << 2, x = load<i32>(PIXEL_X + lane) - load<i32>(record, 48), y = load<i32>(PIXEL_Y + lane) - load<i32>(record, 52);
      if (!(x >= -1 && y >= -1 && x < lw && y < lh)) continue;
      const at = FOUND + (lane << 2);
      v128.store(at, f32x4.add(v128.load(at), sampleLinear(lights, lw, lh, x, y, load<f32>(REST_X + lane), load<f32>(REST_Y + lane))));
    }
  }
  return lanes;
}

/** Catmull-Rom's four weights (see `cubicWeights`) of four places. */
@inline
function laneWeights(t: v128, to: usize): void {
  v128.store(to, laneWeight(t, -0.5, 1.0, -0.5, 0.0));
  v128.store(to, laneWeight(t, 1.5, -2.5, 0.0, 1.0), 16);
  v128.store(to, laneWeight(t, -1.5, 2.0, 0.5, 0.0), 32);
  v128.store(to, laneWeight(t, 0.5, -0.5, 0.0, 0.0), 48);
}

@inline
function laneWeight(t: v128, a: f32, b: f32, c: f32, d: f32): v128 {
  const w = f32x4.add(f32x4.mul(f32x4.splat(a), t), f32x4.splat(b));
  return f32x4.add(f32x4.mul(f32x4.add(f32x4.mul(w, t), f32x4.splat(c)), t), f32x4.splat(d));
}

@inline
function texel(colour: usize, w: i32, h: i32, x: i32, y: i32): v128 {
  if (<u32>x >= <u32>w || <u32>y >= <u32>h) return f32x4.splat(0);
  return v128.load(colour + (<usize>(y * w + x) << 4));
}

function sampleLinear(colour: usize, w: i32, h: i32, x: i32, y: i32, fu: f32, fv: f32): v128 {
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

function sampleCubic(colour: usize, w: i32, h: i32, ix: i32, iy: i32, u: f32, v: f32): v128 {
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
