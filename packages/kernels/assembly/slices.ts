// The blur's inner loop: for each output pixel the ways of the layers that can show there are worked out for all time
// slices, then for each slice the layers are sampled front to back, composited, and averaged over the slices.
//
// A layer record is 24 words of 4 bytes: colour pointer, colour x0, y0, width, height (i32);
// path pointer, x and y of its first node (f32), nodes across and down, orders (i32);
// pointer to its highlights (0: none), their x0, y0, width, height (i32), counted from the colour's own corner;
// pointer to its cells (cells.ts), the first one's x and y, cells across and down (i32);
// pixels from one of its nodes to the next, and 1 over that (f32); pointer to what is near its colour (0: all of it may be).
// Colour: RGBA f32 a pixel. Path: `orders` x 8 f32 each: for every power of the time from 1 on
// (g or d).x, .y, (L or m).xx, .xy, .yx, .yy and two spare; the parameter at time t is X = t X1 + t^2 X2 + ...
// Places are in display-window pixels; a pixel outside the nodes means that the layer can't get there.

import { blocksByStretch, CELL, CHUNK, isAtColour, isNearColour, isOneFlow, SPAN_BYTES, spanTimes } from "./cells";

const RECORD: usize = 96;
/** The work area: a pixel's path, a path at each of four places, knots (times, places before and after they are settled), what each knot counts in each slice, a layer's places, slices. */
const LANES_AT: usize = 128, KNOTS_AT: usize = 256, BASIS_AT: usize = 384;
/** Light that gets by, below which nothing more is seen. */
const DARK: f32 = 0.0005;
/** Bytes of the work area for one pixel. */
@inline
function pixelWorkBytes(slices: i32): i32 {
  return <i32>BASIS_AT + (64 + 32 + 64) * ((slices + 3) >> 2);
}

/** Most stretches that an exposure is cut into: a layer is followed only in those in which it can show. */
const STRETCHES: i32 = 16;

/** Bytes that `renderBox` needs for its own use: for a pixel, the stretches' times, and by layer the blocks it shows in by stretch and its place in a block's list. */
export function boxWorkBytes(slices: i32, layerCount: i32): i32 {
  return pixelWorkBytes(slices) + STRETCHES * (<i32>SPAN_BYTES + 8) + (8 * STRETCHES + 8) * layerCount;
}

/**
 * Renders a box of the picture into out (RGBA f32, row by row).
 * layers: records, nearest first. times, weights: f32, `slices` of each, times padded to a multiple of four.
 * ends: i32, `parts` of them, the slice after each part's last. shares: f32 by part and pixel of the box: what the part's slices count there.
 * arc: 1 = X holds (g, L) of an affine flow, 0 = X holds (displacement, its gradient).
 * cubic: 1 = Catmull-Rom, 0 = bilinear. work: `boxWorkBytes`.
 */
export function renderBox(layers: usize, layerCount: i32, times: usize, weights: usize, slices: i32, ends: usize, parts: i32, shares: usize,
  x0: i32, y0: i32, width: i32, height: i32, arc: i32, cubic: i32, out: usize, work: usize): void {
  const fours = (slices + 3) >> 2, stretches = min<i32>(STRETCHES, fours);
  setKnots(times, fours, work);
  const spans = work + <usize>pixelWorkBytes(slices), masks = spans + <usize>(STRETCHES + 1) * SPAN_BYTES, list = masks + <usize>(layerCount * STRETCHES << 3);
  for (let j = 0; j < stretches; j++)
    spanTimes(load<f32>(times + (<usize>firstFour(j, fours, stretches) << 4)), load<f32>(times + (<usize>firstFour(j + 1, fours, stretches) << 4) - 4), spans + <usize>j * SPAN_BYTES);
  spanTimes(load<f32>(times), load<f32>(times + (<usize>fours << 4) - 4), spans + <usize>stretches * SPAN_BYTES);
  const shareStride = <usize>(width * height) << 2;
  for (let top = y0 & ~(CELL - 1); top < y0 + height; top += CELL * CHUNK)
    for (let left = x0 & ~(CELL - 1); left < x0 + width; left += CELL * CHUNK) {
      const across = min<i32>(CHUNK, (x0 + width - left + CELL - 1) / CELL), down = min<i32>(CHUNK, (y0 + height - top + CELL - 1) / CELL);
      for (let l = 0; l < layerCount; l++) blocksByStretch(layers + <usize>l * RECORD, left, top, across, down, spans, stretches, arc, masks + <usize>(l * stretches << 3), work + LANES_AT);
      for (let by = 0; by < down; by++)
        for (let bx = 0; bx < across; bx++) {
          const block = <u64>(by * CHUNK + bx);
          let shown = 0;
          for (let l = 0; l < layerCount; l++) {
            let when: u32 = 0;
            for (let j = 0; j < stretches; j++) when |= <u32>((load<u64>(masks + (<usize>(l * stretches + j) << 3)) >> block) & 1) << j;
            if (when === 0) continue;
            store<usize>(list + (<usize>shown << 3), layers + <usize>l * RECORD);
            store<u32>(list + (<usize>shown << 3), when, 4);
            shown++;
          }
          const blockX = left + bx * CELL, blockY = top + by * CELL;
          for (let y = max<i32>(y0, blockY); y < min<i32>(y0 + height, blockY + CELL); y++)
            for (let x = max<i32>(x0, blockX); x < min<i32>(x0 + width, blockX + CELL); x++) {
              const pixel = <usize>((y - y0) * width + x - x0), share = shares + (pixel << 2);
              let sum = f32x4.splat(0);
              if (shown > 0 && countsAt(share, shareStride, parts)) {
                sum = renderPixel(list, shown, times, weights, slices, ends, parts, share, shareStride, <f32>x, <f32>y, arc, cubic, work);
                // Catmull-Rom's lobes would leave less than no light beside what is bright: no channel goes farther below zero than without them.
                if (cubic && v128.any_true(f32x4.lt(sum, f32x4.splat(0)))) {
                  const linear = renderPixel(list, shown, times, weights, slices, ends, parts, share, shareStride, <f32>x, <f32>y, arc, 0, work);
                  sum = f32x4.max(sum, f32x4.min(linear, f32x4.splat(0)));
                }
              }
              v128.store(out + (pixel << 4), sum);
            }
        }
    }
}

/** A stretch's first four slices. */
@inline
function firstFour(stretch: i32, fours: i32, stretches: i32): i32 {
  return (stretch * fours) / stretches;
}

/** Whether anything of a pixel counts. */
@inline
function countsAt(shares: usize, shareStride: usize, parts: i32): bool {
  for (let part = 0; part < parts; part++) if (load<f32>(shares + <usize>part * shareStride) !== 0) return true;
  return false;
}

/** A pixel's layers at their places, the nearest first into all slices that are not full yet, and the mean of the slices. */
function renderPixel(list: usize, layerCount: i32, times: usize, weights: usize, slices: i32, ends: usize, parts: i32, shares: usize, shareStride: usize,
  x: f32, y: f32, arc: i32, cubic: i32, work: usize): v128 {
  const fours = (slices + 3) >> 2;
  const places = work + BASIS_AT + (<usize>fours << 6), overs = places + (<usize>fours << 5);
  // What does not count is full from the start.
  let open = 0, s = 0;
  for (let part = 0; part < parts; part++) {
    const counts = load<f32>(shares + <usize>part * shareStride) !== 0, end = load<i32>(ends + (<usize>part << 2));
    if (counts) open += end - s;
    for (; s < end; s++) v128.store(overs + (<usize>s << 4), counts ? f32x4.splat(0) : f32x4(0, 0, 0, 1));
  }
  for (; s < fours << 2; s++) v128.store(overs + (<usize>s << 4), f32x4(0, 0, 0, 1));
  for (let l = 0; l < layerCount && open > 0; l++) {
    const record = load<usize>(list + (<usize>l << 3)), when = load<u32>(list + (<usize>l << 3), 4);
    if (!blendPath(record, x, y, work)) continue;
    if (!followPath(record, work, times, when, overs, fours, x, y, arc, places)) continue;
    open -= addLayer(record, places, when, overs, slices, cubic);
  }
  let sum = f32x4.splat(0);
  s = 0;
  for (let part = 0; part < parts; part++) {
    const share = load<f32>(shares + <usize>part * shareStride), end = load<i32>(ends + (<usize>part << 2));
    if (share === 0) s = end;
    for (; s < end; s++) sum = f32x4.add(sum, f32x4.mul(v128.load(overs + (<usize>s << 4)), f32x4.splat(load<f32>(weights + (<usize>s << 2)) * share)));
  }
  return sum;
}

/** What of a slice's light still gets by. */
@inline
function clearAt(overs: usize, slice: i32): f32 {
  return max<f32>(1 - load<f32>(overs + (<usize>slice << 4), 12), 0);
}

/** A layer behind what is in the slices already. Returns how many it filled. */
function addLayer(record: usize, places: usize, when: u32, overs: usize, slices: i32, cubic: i32): i32 {
  const fours = (slices + 3) >> 2, stretches = min<i32>(STRETCHES, fours);
  const colour = load<usize>(record, 0), lights = load<usize>(record, 44);
  const cx = load<i32>(record, 4), cy = load<i32>(record, 8), w = load<i32>(record, 12), h = load<i32>(record, 16);
  let filled = 0;
  for (let stretch = 0; stretch < stretches; stretch++) {
    if (((when >> stretch) & 1) === 0) continue;
    const end = min<i32>(slices, firstFour(stretch + 1, fours, stretches) << 2);
    for (let s = firstFour(stretch, fours, stretches) << 2; s < end; s++) {
    const clear = clearAt(overs, s);
    if (clear < DARK) continue;
    const at = places + <usize>((s >> 2) * 32 + ((s & 3) << 2));
    const fx = load<f32>(at), fy = load<f32>(at, 16);
    // Beyond the reach of the cubic filter, and for NaN, the layer is absent.
    if (!(fx > <f32>(cx - 2) && fy > <f32>(cy - 2) && fx < <f32>(cx + w + 1) && fy < <f32>(cy + h + 1))) continue;
    // Places stay the picture's own until they are whole numbers: a layer cut elsewhere gives the same bits.
    const flX = floor(fx), flY = floor(fy), ix = <i32>flX - cx, iy = <i32>flY - cy;
    let c = cubic ? sampleCubic(colour, w, h, ix, iy, fx - flX, fy - flY) : sampleLinear(colour, w, h, ix, iy, fx - flX, fy - flY);
    if (lights) {
      const lx = ix - load<i32>(record, 48), ly = iy - load<i32>(record, 52), lw = load<i32>(record, 56), lh = load<i32>(record, 60);
      if (lx >= -1 && ly >= -1 && lx < lw && ly < lh) c = f32x4.add(c, sampleLinear(lights, lw, lh, lx, ly, fx - flX, fy - flY));
    }
    const to = overs + (<usize>s << 4);
    v128.store(to, f32x4.add(v128.load(to), f32x4.mul(c, f32x4.splat(clear))));
    if (clearAt(overs, s) < DARK) filled++;
    }
  }
  return filled;
}

/** Whether light still gets by in any of four slices. */
@inline
function isOpen(overs: usize, four: i32): bool {
  const s = four << 2;
  return clearAt(overs, s) >= DARK || clearAt(overs, s + 1) >= DARK || clearAt(overs, s + 2) >= DARK || clearAt(overs, s + 3) >= DARK;
}

/** The path at a pixel, from the four nodes around it, into `to`. False outside the nodes. */
@inline
function blendPath(record: usize, x: f32, y: f32, to: usize): bool {
  const perPx = load<f32>(record, 88), u = (x - load<f32>(record, 24)) * perPx, v = (y - load<f32>(record, 28)) * perPx;
  const across = load<i32>(record, 32), down = load<i32>(record, 36);
  if (!(u >= 0 && v >= 0 && u <= <f32>(across - 1) && v <= <f32>(down - 1))) return false;
  const ix = min<i32>(<i32>u, across - 2), iy = min<i32>(<i32>v, down - 2);
  const bytes = load<i32>(record, 40) << 5;
  const stride = <usize>bytes * <usize>across;
  let p = load<usize>(record, 20) + <usize>iy * stride + <usize>(ix * bytes);
  const fu = f32x4.splat(u - <f32>ix), fv = f32x4.splat(v - <f32>iy);
  for (let k = 0; k < bytes; k += 16) {
    const a = v128.load(p), c = v128.load(p + stride);
    const top = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(p + bytes), a), fu));
    const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(p + stride + bytes), c), fu));
    v128.store(to, f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), fv)));
    p += 16;
    to += 16;
  }
  return true;
}

/** One component of the path's parameter for four times. */
@inline
function power(path: usize, orders: i32, t: v128): v128 {
  let sum = v128.load32_splat(path + (<usize>(orders - 1) << 5));
  for (let k = orders - 2; k >= 0; k--) sum = f32x4.add(f32x4.mul(sum, t), v128.load32_splat(path + (<usize>k << 5)));
  return f32x4.mul(sum, t);
}

/** One step of Horner's rule: g c - L v, one component. */
@inline
function flowTerm(g: v128, lx: v128, ly: v128, vx: v128, vy: v128, c: f32): v128 {
  return f32x4.sub(f32x4.mul(g, f32x4.splat(c)), f32x4.add(f32x4.mul(lx, vx), f32x4.mul(ly, vy)));
}

/**
 * How many terms of phi keep the rest below a ten-thousandth of a pixel for ways up to 100 px, from the largest L that the times can ask for
 * (its entries' sizes added up over the powers of the time). The rest after K terms is |g| |L|^K / (K + 1)!.
 */
@inline
function flowTerms(path: usize, orders: i32, first: f32, last: f32): i32 {
  const far = max<f32>(abs<f32>(first), abs<f32>(last));
  let size: f32 = 0, t = far;
  for (let k = 0; k < orders; k++) {
    const at = path + (<usize>k << 5);
    size += t * max<f32>(abs<f32>(load<f32>(at, 8)) + abs<f32>(load<f32>(at, 12)), abs<f32>(load<f32>(at, 16)) + abs<f32>(load<f32>(at, 20)));
    t *= far;
  }
  return size < 0.002 ? 2 : size < 0.1 ? 4 : size < 0.4 ? 6 : 8;
}

/** Where a pixel's colour lies at four times, by one step back along the path at the pixel itself: exact where all around moves as one affine flow. */
@inline
function stepBack(path: usize, orders: i32, t: v128, x: f32, y: f32, arc: i32, terms: i32, to: usize): void {
  const gx = power(path, orders, t), gy = power(path + 4, orders, t);
  const xx = power(path + 8, orders, t), xy = power(path + 12, orders, t);
  const yx = power(path + 16, orders, t), yy = power(path + 20, orders, t);
  let vx: v128, vy: v128, n: v128;
  if (arc) {
    // phi(-L) g = sum (-L)^k g / (k+1)!, by Horner: as many terms as the path's bend asks for.
    vx = v128.splat<f32>(0); vy = vx;
    if (terms > 6) {
      vx = f32x4.mul(gx, f32x4.splat(1.0 / 40320.0)); vy = f32x4.mul(gy, f32x4.splat(1.0 / 40320.0));
      n = flowTerm(gx, xx, xy, vx, vy, 1.0 / 5040.0); vy = flowTerm(gy, yx, yy, vx, vy, 1.0 / 5040.0); vx = n;
    }
    if (terms > 4) {
      n = flowTerm(gx, xx, xy, vx, vy, 1.0 / 720.0); vy = flowTerm(gy, yx, yy, vx, vy, 1.0 / 720.0); vx = n;
      n = flowTerm(gx, xx, xy, vx, vy, 1.0 / 120.0); vy = flowTerm(gy, yx, yy, vx, vy, 1.0 / 120.0); vx = n;
    }
    if (terms > 2) {
      n = flowTerm(gx, xx, xy, vx, vy, 1.0 / 24.0); vy = flowTerm(gy, yx, yy, vx, vy, 1.0 / 24.0); vx = n;
      n = flowTerm(gx, xx, xy, vx, vy, 1.0 / 6.0); vy = flowTerm(gy, yx, yy, vx, vy, 1.0 / 6.0); vx = n;
    }
    n = flowTerm(gx, xx, xy, vx, vy, 0.5); vy = flowTerm(gy, yx, yy, vx, vy, 0.5); vx = n;
    n = flowTerm(gx, xx, xy, vx, vy, 1); vy = flowTerm(gy, yx, yy, vx, vy, 1); vx = n;
  } else {
    // p + D(p) = q with D linear around q: the step back is (1 + M)^-1 D(q).
    const one = f32x4.splat(1);
    const a = f32x4.add(one, xx), d = f32x4.add(one, yy);
    const inverse = f32x4.div(one, f32x4.max(f32x4.sub(f32x4.mul(a, d), f32x4.mul(xy, yx)), f32x4.splat(0.01)));
    vx = f32x4.mul(f32x4.sub(f32x4.mul(d, gx), f32x4.mul(xy, gy)), inverse);
    vy = f32x4.mul(f32x4.sub(f32x4.mul(a, gy), f32x4.mul(yx, gx)), inverse);
  }
  v128.store(to, f32x4.sub(f32x4.splat(x), vx));
  v128.store(to, f32x4.sub(f32x4.splat(y), vy), 16);
}

/** Pixels: places that lead back to within this are right; where all steps still miss by more, one step back is as good a guess as any. */
const SETTLED: f32 = 0.02, LOST: f32 = 0.5;
const SETTLE_STEPS: i32 = 5;
/** So many fours are settled each for itself: the knots are as many places. */
const FEW: i32 = 2;
/** A place is looked for this far outside a layer's colour: settling may move it there. */
const SETTLE_REACH: i32 = 8;

/** A place held to a row of nodes; no number counts as the first. */
@inline
function heldTo(place: f32, first: f32, count: i32, step: f32): f32 {
  return place > first ? min<f32>(place, first + <f32>(count - 1) * step) : first;
}

/** g and L of the path at one place, held to the nodes, at one time: x, y, xx, xy, yx, yy and two spare. */
export function pathAt(record: usize, x: f32, y: f32, t: f32, to: usize): void {
  const across = load<i32>(record, 32), down = load<i32>(record, 36), orders = load<i32>(record, 40);
  const x0 = load<f32>(record, 24), y0 = load<f32>(record, 28), step = load<f32>(record, 84), perPx = load<f32>(record, 88);
  const hx = heldTo(x, x0, across, step), hy = heldTo(y, y0, down, step);
  // Whole pixels and the rest apart: nodes that start elsewhere give the same bits.
  const wholeX = floor(hx), wholeY = floor(hy), fromX = wholeX - x0, fromY = wholeY - y0;
  const ix = min<i32>(<i32>(fromX * perPx), across - 2), iy = min<i32>(<i32>(fromY * perPx), down - 2);
  const bytes = <usize>orders << 5, stride = bytes * <usize>across;
  const first = load<usize>(record, 20) + <usize>iy * stride + <usize>ix * bytes;
  const fu = f32x4.splat((fromX - <f32>ix * step + (hx - wholeX)) * perPx), fv = f32x4.splat((fromY - <f32>iy * step + (hy - wholeY)) * perPx);
  const ft = f32x4.splat(t);
  for (let half: usize = 0; half < 32; half += 16) {
    let sum = f32x4.splat(0);
    for (let p = first + half + bytes - 32; p >= first; p -= 32) {
      const a = v128.load(p), c = v128.load(p + stride);
      const top = f32x4.add(a, f32x4.mul(f32x4.sub(v128.load(p + bytes), a), fu));
      const bottom = f32x4.add(c, f32x4.mul(f32x4.sub(v128.load(p + stride + bytes), c), fu));
      sum = f32x4.mul(f32x4.add(sum, f32x4.add(top, f32x4.mul(f32x4.sub(bottom, top), fv))), ft);
    }
    v128.store(to + half, sum);
  }
}

/** One step of Horner's rule: g c + L v, one component. */
@inline
function wayTerm(g: v128, lx: v128, ly: v128, vx: v128, vy: v128, c: f32): v128 {
  return f32x4.add(f32x4.mul(g, f32x4.splat(c)), f32x4.add(f32x4.mul(lx, vx), f32x4.mul(ly, vy)));
}

/**
 * Moves four places to where the layer's own path there leads to the pixel (Newton's method with the flow's own gradient): on curved surfaces and in strong
 * perspective the path at the pixel is another one. Returns how far each still missed before its last step, squared; all at once settled ones do not move.
 * letsGo: once all four are away from any colour they are no numbers.
 */
function settle(record: usize, lanes: usize, t: v128, x: f32, y: f32, arc: i32, terms: i32, letsGo: bool, places: usize): v128 {
  const qx = f32x4.splat(x), qy = f32x4.splat(y);
  // No farther than this from where they start: what is held of a layer for some rows alone reaches as far.
  const fromX = v128.load(places), fromY = v128.load(places, 16), half = f32x4.splat(0.5);
  const far = f32x4.add(f32x4.splat(<f32>SETTLE_REACH), f32x4.mul(half, f32x4.max(f32x4.abs(f32x4.sub(fromX, qx)), f32x4.abs(f32x4.sub(fromY, qy)))));
  const minX = f32x4.sub(fromX, far), maxX = f32x4.add(fromX, far), minY = f32x4.sub(fromY, far), maxY = f32x4.add(fromY, far);
  let missed = f32x4.splat(0);
  for (let step = 0; step < SETTLE_STEPS; step++) {
    const px = v128.load(places), py = v128.load(places, 16);
    pathAt(record, f32x4.extract_lane(px, 0), f32x4.extract_lane(py, 0), f32x4.extract_lane(t, 0), lanes);
    pathAt(record, f32x4.extract_lane(px, 1), f32x4.extract_lane(py, 1), f32x4.extract_lane(t, 1), lanes + 32);
    pathAt(record, f32x4.extract_lane(px, 2), f32x4.extract_lane(py, 2), f32x4.extract_lane(t, 2), lanes + 64);
    pathAt(record, f32x4.extract_lane(px, 3), f32x4.extract_lane(py, 3), f32x4.extract_lane(t, 3), lanes + 96);
    const a = v128.load(lanes), b = v128.load(lanes, 32), c = v128.load(lanes, 64), d = v128.load(lanes, 96);
    const ab = v128.shuffle<f32>(a, b, 0, 4, 1, 5), cd = v128.shuffle<f32>(c, d, 0, 4, 1, 5);
    const gx = v128.shuffle<f32>(ab, cd, 0, 1, 4, 5), gy = v128.shuffle<f32>(ab, cd, 2, 3, 6, 7);
    const ef = v128.shuffle<f32>(a, b, 2, 6, 3, 7), gh = v128.shuffle<f32>(c, d, 2, 6, 3, 7);
    const xx = v128.shuffle<f32>(ef, gh, 0, 1, 4, 5), xy = v128.shuffle<f32>(ef, gh, 2, 3, 6, 7);
    const ij = v128.shuffle<f32>(v128.load(lanes, 16), v128.load(lanes, 48), 0, 4, 1, 5), kl = v128.shuffle<f32>(v128.load(lanes, 80), v128.load(lanes, 112), 0, 4, 1, 5);
    const yx = v128.shuffle<f32>(ij, kl, 0, 1, 4, 5), yy = v128.shuffle<f32>(ij, kl, 2, 3, 6, 7);
    let vx = gx, vy = gy;
    if (arc) {
      // phi(L) g = sum L^k g / (k+1)!
      let over: f32 = terms > 6 ? 1.0 / 40320.0 : terms > 4 ? 1.0 / 720.0 : terms > 2 ? 1.0 / 24.0 : 0.5;
      vx = f32x4.mul(gx, f32x4.splat(over)); vy = f32x4.mul(gy, f32x4.splat(over));
      for (let k = <f32>terms; k > 1; k -= 1) {
        over *= k;
        const n = wayTerm(gx, xx, xy, vx, vy, over);
        vy = wayTerm(gy, yx, yy, vx, vy, over); vx = n;
      }
    }
    const rx = f32x4.sub(f32x4.sub(qx, vx), px), ry = f32x4.sub(f32x4.sub(qy, vy), py);
    missed = f32x4.add(f32x4.mul(rx, rx), f32x4.mul(ry, ry));
    const isSettled = !v128.any_true(f32x4.ge(missed, f32x4.splat(SETTLED * SETTLED)));
    if (isSettled && step === 0) break;
    const nx = f32x4.add(px, f32x4.sub(rx, f32x4.add(f32x4.mul(xx, rx), f32x4.mul(xy, ry))));
    const ny = f32x4.add(py, f32x4.sub(ry, f32x4.add(f32x4.mul(yx, rx), f32x4.mul(yy, ry))));
    v128.store(places, f32x4.max(minX, f32x4.min(maxX, nx)));
    v128.store(places, f32x4.max(minY, f32x4.min(maxY, ny)), 16);
    if (letsGo && !anyAtColour(record, v128.load(places), v128.load(places, 16))) {
      v128.store(places, f32x4.splat(NaN));
      break;
    }
    if (isSettled) break;
  }
  return missed;
}

/**
 * How far a place is from one step back is smooth in time and 0 at time 0: known at four times, the knots, it is known at all (Lagrange's polynomial through
 * them and through 0). Writes the knots, and what each counts in each slice.
 */
function setKnots(times: usize, fours: i32, work: usize): void {
  const first = load<f32>(times), last = load<f32>(times + (<usize>(fours << 4) - 4));
  const knots = work + KNOTS_AT;
  // Two on either side of 0 where the exposure reaches far enough on both, else four up to its far end.
  const far = abs<f32>(last) > abs<f32>(first) ? last : first, near = far === last ? first : last;
  const spans = first * last < 0 && abs<f32>(near) >= 0.25 * abs<f32>(far);
  for (let k: i32 = 0; k < 4; k++)
    store<f32>(knots + (<usize>k << 2), !spans ? far * 0.25 * <f32>(k + 1) : (k < 2 ? near : far) * (k === 0 || k === 3 ? <f32>1 : <f32>0.5));
  for (let i = 0; i < fours; i++) {
    const t = v128.load(times + (<usize>i << 4));
    for (let k: i32 = 0; k < 4; k++) {
      const own = load<f32>(knots + (<usize>k << 2));
      let part = f32x4.mul(t, f32x4.splat(1 / own));
      for (let j: i32 = 0; j < 4; j++) {
        if (j === k) continue;
        const other = load<f32>(knots + (<usize>j << 2));
        part = f32x4.mul(part, f32x4.mul(f32x4.sub(t, f32x4.splat(other)), f32x4.splat(1 / (own - other))));
      }
      v128.store(work + BASIS_AT + (<usize>i << 6) + (<usize>k << 4), part);
    }
  }
}

/**
 * Where a pixel's colour lies in the layer at each time that light still gets by: x of four slices, then y of the same. False when none of them can touch
 * the layer's colour.
 */
@inline
function followPath(record: usize, path: usize, times: usize, when: u32, overs: usize, fours: i32, x: f32, y: f32, arc: i32, to: usize): bool {
  const orders = load<i32>(record, 40);
  const cx = load<i32>(record, 4) - SETTLE_REACH, cy = load<i32>(record, 8) - SETTLE_REACH;
  const left = f32x4.splat(<f32>(cx - 2)), right = f32x4.splat(<f32>(cx + load<i32>(record, 12) + 2 * SETTLE_REACH + 1));
  const top = f32x4.splat(<f32>(cy - 2)), bottom = f32x4.splat(<f32>(cy + load<i32>(record, 16) + 2 * SETTLE_REACH + 1));
  const terms = arc ? flowTerms(path, orders, load<f32>(times), load<f32>(times + (<usize>(fours << 4) - 4))) : 0;
  let touches = i32x4.splat(0), looked = 0;
  const isBent = !isOneFlow(record);
  const stretches = min<i32>(STRETCHES, fours);
  for (let stretch = 0; stretch < stretches; stretch++) {
    if (((when >> stretch) & 1) === 0) continue;
    for (let i = firstFour(stretch, fours, stretches); i < firstFour(stretch + 1, fours, stretches); i++) {
    if (!isOpen(overs, i)) continue;
    const at = to + (<usize>i << 5);
    stepBack(path, orders, v128.load(times + (<usize>i << 4)), x, y, arc, terms, at);
    const px = v128.load(at), py = v128.load(at, 16);
    const isIn = v128.and(v128.and(f32x4.gt(px, left), f32x4.gt(py, top)), v128.and(f32x4.lt(px, right), f32x4.lt(py, bottom)));
    // Far from all colour nothing is looked for.
    if (!isBent || (v128.any_true(isIn) && anyNearColour(record, px, py))) {
      touches = v128.or(touches, isIn);
      looked++;
    } else v128.store(at, f32x4.splat(NaN));
    }
  }
  if (!v128.any_true(touches)) return false;
  if (!isBent) return true;
  const knots = path + KNOTS_AT, lanes = path + LANES_AT;
  let offX = f32x4.splat(0), offY = offX, isSmooth = false;
  if (looked > FEW) {
    const t = v128.load(knots);
    stepBack(path, orders, t, x, y, arc, terms, knots + 32);
    const startX = v128.load(knots, 32), startY = v128.load(knots, 48);
    const missed = settle(record, lanes, t, x, y, arc, terms, false, knots + 32);
    offX = f32x4.sub(v128.load(knots, 32), startX); offY = f32x4.sub(v128.load(knots, 48), startY);
    if (!v128.any_true(v128.or(f32x4.ne(offX, f32x4.splat(0)), f32x4.ne(offY, f32x4.splat(0))))) return true;
    // Where a fold or a jump lies on the way, each slice looks for itself.
    isSmooth = !v128.any_true(f32x4.ge(missed, f32x4.splat(SETTLED * SETTLED)));
  }
  for (let stretch = 0; stretch < stretches; stretch++) {
    if (((when >> stretch) & 1) === 0) continue;
    for (let i = firstFour(stretch, fours, stretches); i < firstFour(stretch + 1, fours, stretches); i++) {
    if (!isOpen(overs, i)) continue;
    const at = to + (<usize>i << 5);
    if (isNaN(load<f32>(at))) continue;
    if (isSmooth) {
      const basis = path + BASIS_AT + (<usize>i << 6);
      v128.store(at, f32x4.add(v128.load(at), knotSum(basis, offX)));
      v128.store(at, f32x4.add(v128.load(at, 16), knotSum(basis, offY)), 16);
    } else keepSettled(record, lanes, v128.load(times + (<usize>i << 4)), x, y, arc, terms, at);
    }
  }
  return true;
}

@inline
function anyAtColour(record: usize, x: v128, y: v128): bool {
  const near = load<usize>(record, 92);
  return near === 0 || isAtColour(record, near, f32x4.extract_lane(x, 0), f32x4.extract_lane(y, 0)) || isAtColour(record, near, f32x4.extract_lane(x, 1), f32x4.extract_lane(y, 1)) ||
    isAtColour(record, near, f32x4.extract_lane(x, 2), f32x4.extract_lane(y, 2)) || isAtColour(record, near, f32x4.extract_lane(x, 3), f32x4.extract_lane(y, 3));
}

@inline
function anyNearColour(record: usize, x: v128, y: v128): bool {
  return isNearColour(record, f32x4.extract_lane(x, 0), f32x4.extract_lane(y, 0)) || isNearColour(record, f32x4.extract_lane(x, 1), f32x4.extract_lane(y, 1)) ||
    isNearColour(record, f32x4.extract_lane(x, 2), f32x4.extract_lane(y, 2)) || isNearColour(record, f32x4.extract_lane(x, 3), f32x4.extract_lane(y, 3));
}

/** Settles four places; those that are lost stay where they are. */
function keepSettled(record: usize, lanes: usize, t: v128, x: f32, y: f32, arc: i32, terms: i32, places: usize): void {
  const px = v128.load(places), py = v128.load(places, 16);
  const missed = settle(record, lanes, t, x, y, arc, terms, true, places);
  if (isNaN(load<f32>(places))) return;
  const lost = f32x4.ge(missed, f32x4.splat(LOST * LOST));
  v128.store(places, v128.bitselect(px, v128.load(places), lost));
  v128.store(places, v128.bitselect(py, v128.load(places, 16), lost), 16);
}

@inline
function knotSum(basis: usize, off: v128): v128 {
  const a = f32x4.add(f32x4.mul(v128.load(basis), v128.shuffle<f32>(off, off, 0, 0, 0, 0)), f32x4.mul(v128.load(basis, 16), v128.shuffle<f32>(off, off, 1, 1, 1, 1)));
  const b = f32x4.add(f32x4.mul(v128.load(basis, 32), v128.shuffle<f32>(off, off, 2, 2, 2, 2)), f32x4.mul(v128.load(basis, 48), v128.shuffle<f32>(off, off, 3, 3, 3, 3)));
  return f32x4.add(a, b);
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
