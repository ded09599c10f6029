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

import { blocksByStretch, CELL, CHUNK, SPAN_BYTES, spanTimes } from "./cells";
import { clearAt, DARK, firstFour, STRETCHES } from "./exposure";
import { blendPath } from "./nodes";
import { BASIS_AT, followPath, LANES_AT, setKnots } from "./paths";
import { sampleCubic, sampleLinear } from "./samples";

const RECORD: usize = 96;
/** Bytes of the work area for one pixel. */
@inline
function pixelWorkBytes(slices: i32): i32 {
  return <i32>BASIS_AT + (64 + 32 + 64) * ((slices + 3) >> 2);
}

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
