// The blur's inner loop: for each output pixel the ways of the layers that can show there are worked out for all time
// slices, then for each slice the layers are sampled front to back, composited, and averaged over the slices.
//
// A layer record is 25 words of 4 bytes: colour pointer, colour x0, y0, width, height (i32);
// path pointer, x and y of its first node (f32), nodes across and down, orders (i32);
// pointer to its highlights (0: none), their x0, y0, width, height (i32), counted from the colour's own corner;
// pointer to its cells (cells.ts), the first one's x and y, cells across and down (i32);
// pixels from one of its nodes to the next, and 1 over that (f32); pointer to what is near its colour (0: all of it may be);
// 1 where all nodes are of one affine flow (i32).
// Colour: RGBA f32 a pixel. Path: `orders` x 8 f32 each: for every power of the time from 1 on
// (g or d).x, .y, (L or m).xx, .xy, .yx, .yy and two spare; the parameter at time t is X = t X1 + t^2 X2 + ...
// Places are in display-window pixels; a pixel outside the nodes means that the layer can't get there.

import { blockBytes, findWays, layRow, placeEven } from "./blocks";
import { blocksByStretch, CELL, CHUNK, SPAN_BYTES, spanTimes } from "./cells";
import { AWAY, DARK, EVEN, firstFour, isOpen, openOf, STRETCHES } from "./exposure";
import { blendPath } from "./nodes";
import { BASIS_AT, followPath, LANES_AT, setKnots } from "./paths";
import { FOUND, sampleFour } from "./samples";

const RECORD: usize = 100;
const BLOCK_PIXELS: i32 = CELL * CELL;

/** Bytes of the work area for one block: basis, a pixel's places, which fours are open, the block's ways, then by pixel colours and what gets by, and by pixel the slices that are open. */
@inline
function blockWorkBytes(slices: i32): i32 {
  const fours = (slices + 3) >> 2;
  return <i32>BASIS_AT + (64 + 32) * fours + ((fours + 15) & ~15) + blockBytes(fours) + BLOCK_PIXELS * (64 + 16) * fours + BLOCK_PIXELS * 4;
}

/** Bytes that `renderBox` needs for its own use: for a block, the stretches' times, and by layer the blocks it shows in by stretch and its place in a block's list. */
export function boxWorkBytes(slices: i32, layerCount: i32): i32 {
  return blockWorkBytes(slices) + STRETCHES * (<i32>SPAN_BYTES + 8) + (8 * STRETCHES + 8) * layerCount;
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
  const spans = work + <usize>blockWorkBytes(slices), masks = spans + <usize>(STRETCHES + 1) * SPAN_BYTES, list = masks + <usize>(layerCount * STRETCHES << 3);
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
          renderBlock(list, shown, times, weights, slices, ends, parts, shares, x0, y0, width, height, blockX, blockY, arc, cubic, out, work);
        }
    }
}

// What a block's layers are rendered with.
let fours: i32, arcs: i32, kindsAt: usize, placesAt: usize, openAt: usize, oversAt: usize, clearAt: usize, opensAt: usize;
/** The pixels of the block that are in the box. */
let fromX: i32, fromY: i32, toX: i32, toY: i32;

/** Nothing in the block's pixels of the box. */
function clearBox(to: usize, row: usize): void {
  for (let y = fromY; y < toY; y++) clearFours(to + ((<usize>(y - fromY) * row) << 2), toX - fromX);
}

/**
 * A block that one layer alone can show in: nothing lies in front of it, and slices are added up as they are sampled. The same numbers in the same order as
 * `fillBlock` and `meanOf` have.
 */
function renderLone(record: usize, when: u32, times: usize, weights: usize, slices: i32, ends: usize, parts: i32, shares: usize, shareStride: usize, row: usize,
  blockX: i32, blockY: i32, cubic: i32, to: usize, work: usize): void {
  const kinds = openParts(ends, parts, shares, shareStride, row) ? findWays(record, blockX, blockY, when, openAt, times, slices, arcs, kindsAt, work) : 0;
  if (kinds === 0) {
    clearBox(to, row);
    return;
  }
  const step = load<f32>(record, 84), nodesX = load<f32>(record, 24), nodesY = load<f32>(record, 28);
  const endX = nodesX + step * <f32>(load<i32>(record, 32) - 1), endY = nodesY + step * <f32>(load<i32>(record, 36) - 1);
  const counts = oversAt;
  for (let y = fromY; y < toY; y++) {
    const line = to + ((<usize>(y - fromY) * row) << 2);
    if (!(<f32>y >= nodesY && <f32>y <= endY)) {
      clearFours(line, toX - fromX);
      continue;
    }
    if (kinds & <i32>EVEN) layRow(record, y - blockY, fours, kindsAt);
    for (let x = fromX; x < toX; x++) {
      const at = line + (<usize>(x - fromX) << 4);
      if (!(<f32>x >= nodesX && <f32>x <= endX) || !countSlices(weights, ends, parts, shares + <usize>(y - fromY) * row + (<usize>(x - fromX) << 2), shareStride, counts)) {
        clearFours(at, 1);
        continue;
      }
      if (kinds > <i32>EVEN) {
        blendPath(record, <f32>x, <f32>y, work);
        followPath(record, work, times, kindsAt, clearAt, fours, <f32>x, <f32>y, arcs, placesAt);
      }
      for (let i = 0; i < fours; i++) if (load<u8>(kindsAt + <usize>i) === EVEN && isOpen(clearAt, i)) placeEven(kindsAt, fours, i, <f32>x, <f32>y, <f32>(x - blockX), placesAt + (<usize>i << 5));
      addSlices(record, counts, cubic);
      let sum = v128.load(SUM);
      if (cubic && v128.any_true(f32x4.lt(sum, f32x4.splat(0)))) {
        addSlices(record, counts, 0);
        sum = f32x4.max(sum, f32x4.min(v128.load(SUM), f32x4.splat(0)));
      }
      v128.store(at, sum);
    }
  }
}

/** What a pixel's slices add up to. */
const SUM: usize = memory.data(16, 16);

/** Adds up a lone layer's slices at a pixel's places, each as much as it counts, to `SUM`. */
function addSlices(record: usize, counts: usize, cubic: i32): void {
  const left = f32x4.splat(<f32>(load<i32>(record, 4) - 2)), right = f32x4.splat(<f32>(load<i32>(record, 4) + load<i32>(record, 12) + 1));
  const top = f32x4.splat(<f32>(load<i32>(record, 8) - 2)), bottom = f32x4.splat(<f32>(load<i32>(record, 8) + load<i32>(record, 16) + 1));
  let sum = f32x4.splat(0);
  for (let i = 0; i < fours; i++) {
    if (load<u8>(kindsAt + <usize>i) === AWAY || !isOpen(clearAt, i)) continue;
    const at = placesAt + (<usize>i << 5), px = v128.load(at), py = v128.load(at, 16);
    const isIn = v128.and(v128.and(f32x4.gt(px, left), f32x4.gt(py, top)), v128.and(f32x4.lt(px, right), f32x4.lt(py, bottom)));
    const asked = i32x4.bitmask(v128.and(isIn, openOf(clearAt, i)));
    if (asked === 0) continue;
    for (let lanes = sampleFour(record, at, asked, cubic); lanes !== 0; lanes &= lanes - 1) {
      const s = <usize>ctz(lanes);
      sum = f32x4.add(sum, f32x4.mul(v128.load(FOUND + (s << 4)), v128.load32_splat(counts + (<usize>i << 4) + (s << 2))));
    }
  }
  v128.store(SUM, sum);
}

/** Marks the fours that hold slices of a part that counts anywhere in the block. False when none does. */
function openParts(ends: usize, parts: i32, shares: usize, shareStride: usize, row: usize): bool {
  for (let i = 0; i < fours; i++) store<u8>(openAt + <usize>i, 0);
  let any = false, s = 0;
  for (let part = 0; part < parts; part++) {
    const end = load<i32>(ends + (<usize>part << 2));
    if (countsAnywhere(shares + <usize>part * shareStride, row)) {
      any = true;
      for (let i = s >> 2; i << 2 < end; i++) store<u8>(openAt + <usize>i, 1);
    }
    s = end;
  }
  return any;
}

function countsAnywhere(shares: usize, row: usize): bool {
  for (let y = fromY; y < toY; y++)
    for (let x = fromX; x < toX; x++) if (load<f32>(shares + <usize>(y - fromY) * row + (<usize>(x - fromX) << 2)) !== 0) return true;
  return false;
}

/** What each of a pixel's slices counts, and which are open (1, else 0) to `clearAt`. False when none is. */
@inline
function countSlices(weights: usize, ends: usize, parts: i32, shares: usize, shareStride: usize, counts: usize): bool {
  clearFours(clearAt, fours);
  let any = false, s = 0;
  for (let part = 0; part < parts; part++) {
    const share = load<f32>(shares + <usize>part * shareStride), end = load<i32>(ends + (<usize>part << 2));
    if (share === 0) s = end;
    else any = true;
    for (; s < end; s++) {
      store<f32>(clearAt + (<usize>s << 2), 1);
      store<f32>(counts + (<usize>s << 2), load<f32>(weights + (<usize>s << 2)) * share);
    }
  }
  return any;
}

/** So few bytes are sooner stored than asked to be filled. */
@inline
function clearFours(at: usize, count: i32): void {
  for (let i = 0; i < count; i++) v128.store(at + (<usize>i << 4), i32x4.splat(0));
}

function renderBlock(list: usize, shown: i32, times: usize, weights: usize, slices: i32, ends: usize, parts: i32, shares: usize,
  x0: i32, y0: i32, width: i32, height: i32, blockX: i32, blockY: i32, arc: i32, cubic: i32, out: usize, work: usize): void {
  fours = (slices + 3) >> 2; arcs = arc;
  placesAt = work + BASIS_AT + (<usize>fours << 6); openAt = placesAt + (<usize>fours << 5); kindsAt = openAt + <usize>((fours + 15) & ~15);
  oversAt = kindsAt + <usize>blockBytes(fours); clearAt = oversAt + <usize>BLOCK_PIXELS * (<usize>fours << 6); opensAt = clearAt + <usize>BLOCK_PIXELS * (<usize>fours << 4);
  fromX = max<i32>(x0, blockX); fromY = max<i32>(y0, blockY); toX = min<i32>(x0 + width, blockX + CELL); toY = min<i32>(y0 + height, blockY + CELL);
  const first = shares + (<usize>((fromY - y0) * width + fromX - x0) << 2), to = out + (<usize>((fromY - y0) * width + fromX - x0) << 4);
  const stride = <usize>(width * height) << 2, row = <usize>width << 2;
  if (shown === 1) {
    renderLone(load<usize>(list), load<u32>(list, 4), times, weights, slices, ends, parts, first, stride, row, blockX, blockY, cubic, to, work);
    return;
  }
  if (!fillBlock(list, shown, times, slices, ends, parts, first, stride, row, -1, blockX, blockY, cubic, work)) {
    clearBox(to, row);
    return;
  }
  let below: u64 = 0;
  for (let y = fromY; y < toY; y++)
    for (let x = fromX; x < toX; x++) {
      const pixel = (y - blockY) * CELL + x - blockX, share = first + <usize>(y - fromY) * row + (<usize>(x - fromX) << 2);
      const sum = meanOf(pixel, weights, ends, parts, share, stride);
      if (cubic && v128.any_true(f32x4.lt(sum, f32x4.splat(0)))) below |= <u64>1 << <u64>pixel;
      v128.store(to + ((share - first) << 2), sum);
    }
  if (below === 0) return;
  // Catmull-Rom's lobes would leave less than no light beside what is bright: no channel goes farther below zero than without them.
  fillBlock(list, shown, times, slices, ends, parts, first, stride, row, below, blockX, blockY, 0, work);
  for (let y = fromY; y < toY; y++)
    for (let x = fromX; x < toX; x++) {
      const pixel = (y - blockY) * CELL + x - blockX, share = first + <usize>(y - fromY) * row + (<usize>(x - fromX) << 2);
      if (((below >> <u64>pixel) & 1) === 0) continue;
      const at = to + ((share - first) << 2);
      v128.store(at, f32x4.max(v128.load(at), f32x4.min(meanOf(pixel, weights, ends, parts, share, stride), f32x4.splat(0))));
    }
}

/** The mean of a pixel's slices. */
function meanOf(pixel: i32, weights: usize, ends: usize, parts: i32, shares: usize, shareStride: usize): v128 {
  const overs = oversAt + <usize>pixel * (<usize>fours << 6);
  let sum = f32x4.splat(0), s = 0;
  for (let part = 0; part < parts; part++) {
    const share = load<f32>(shares + <usize>part * shareStride), end = load<i32>(ends + (<usize>part << 2));
    if (share === 0) s = end;
    for (; s < end; s++) sum = f32x4.add(sum, f32x4.mul(v128.load(overs + (<usize>s << 4)), f32x4.splat(load<f32>(weights + (<usize>s << 2)) * share)));
  }
  return sum;
}

/**
 * Composites a block's layers, the nearest first into all slices that are not full yet, in the pixels of `mask` (bits, row by row of the block). False when
 * nothing counts there.
 */
function fillBlock(list: usize, shown: i32, times: usize, slices: i32, ends: usize, parts: i32, shares: usize, shareStride: usize, row: usize,
  mask: u64, blockX: i32, blockY: i32, cubic: i32, work: usize): bool {
  let left = shown === 0 ? 0 : openBlock(ends, parts, shares, shareStride, row, mask, blockX, blockY);
  if (left === 0) return false;
  for (let l = 0; l < shown && left > 0; l++) {
    const record = load<usize>(list + (<usize>l << 3));
    findOpen(blockX, blockY);
    const kinds = findWays(record, blockX, blockY, load<u32>(list + (<usize>l << 3), 4), openAt, times, slices, arcs, kindsAt, work);
    if (kinds !== 0) left -= addLayer(record, kinds, times, blockX, blockY, cubic, work);
  }
  return true;
}

/** Opens the slices that count; what does not count is full from the start. Returns how many are open. */
function openBlock(ends: usize, parts: i32, shares: usize, shareStride: usize, row: usize, mask: u64, blockX: i32, blockY: i32): i32 {
  let all = 0;
  for (let y = fromY; y < toY; y++)
    for (let x = fromX; x < toX; x++) {
      const pixel = (y - blockY) * CELL + x - blockX, share = shares + <usize>(y - fromY) * row + (<usize>(x - fromX) << 2);
      const clear = clearAt + <usize>pixel * (<usize>fours << 4);
      let open = 0, s = 0;
      clearFours(clear, fours);
      if ((mask >> <u64>pixel) & 1)
        for (let part = 0; part < parts; part++) {
          const end = load<i32>(ends + (<usize>part << 2));
          if (load<f32>(share + <usize>part * shareStride) === 0) s = end;
          else open += end - s;
          for (; s < end; s++) store<f32>(clear + (<usize>s << 2), 1);
        }
      if (open > 0) clearFours(oversAt + <usize>pixel * (<usize>fours << 6), fours << 2);
      store<i32>(opensAt + (<usize>pixel << 2), open);
      all += open;
    }
  return all;
}

/** In which fours light still gets by anywhere in the block. */
function findOpen(blockX: i32, blockY: i32): void {
  memory.fill(openAt, 0, <usize>fours);
  for (let y = fromY; y < toY; y++)
    for (let x = fromX; x < toX; x++) {
      const pixel = (y - blockY) * CELL + x - blockX;
      if (load<i32>(opensAt + (<usize>pixel << 2)) === 0) continue;
      const clear = clearAt + <usize>pixel * (<usize>fours << 4);
      for (let i = 0; i < fours; i++) if (isOpen(clear, i)) store<u8>(openAt + <usize>i, 1);
    }
}

/** A layer behind what is in the slices already. Returns how many it filled. */
function addLayer(record: usize, kinds: i32, times: usize, blockX: i32, blockY: i32, cubic: i32, work: usize): i32 {
  // A pixel outside the nodes is one that the layer can't get to.
  const step = load<f32>(record, 84), nodesX = load<f32>(record, 24), nodesY = load<f32>(record, 28);
  const endX = nodesX + step * <f32>(load<i32>(record, 32) - 1), endY = nodesY + step * <f32>(load<i32>(record, 36) - 1);
  const left = f32x4.splat(<f32>(load<i32>(record, 4) - 2)), right = f32x4.splat(<f32>(load<i32>(record, 4) + load<i32>(record, 12) + 1));
  const top = f32x4.splat(<f32>(load<i32>(record, 8) - 2)), bottom = f32x4.splat(<f32>(load<i32>(record, 8) + load<i32>(record, 16) + 1));
  const dark = f32x4.splat(DARK);
  let filled = 0;
  for (let y = fromY; y < toY; y++) {
    if (!(<f32>y >= nodesY && <f32>y <= endY)) continue;
    if (kinds & <i32>EVEN) layRow(record, y - blockY, fours, kindsAt);
    for (let x = fromX; x < toX; x++) {
      const pixel = <usize>((y - blockY) * CELL + x - blockX);
      if (load<i32>(opensAt + (pixel << 2)) === 0 || !(<f32>x >= nodesX && <f32>x <= endX)) continue;
      const overs = oversAt + pixel * (<usize>fours << 6), clear = clearAt + pixel * (<usize>fours << 4);
      if (kinds > <i32>EVEN) {
        blendPath(record, <f32>x, <f32>y, work);
        followPath(record, work, times, kindsAt, clear, fours, <f32>x, <f32>y, arcs, placesAt);
      }
      let full = 0;
      for (let i = 0; i < fours; i++) {
        const kind = load<u8>(kindsAt + <usize>i), at = placesAt + (<usize>i << 5);
        if (kind === AWAY || !isOpen(clear, i)) continue;
        if (kind === EVEN) placeEven(kindsAt, fours, i, <f32>x, <f32>y, <f32>(x - blockX), at);
        const px = v128.load(at), py = v128.load(at, 16);
        // Beyond the reach of the cubic filter, and for NaN, the layer is absent.
        const isIn = v128.and(v128.and(f32x4.gt(px, left), f32x4.gt(py, top)), v128.and(f32x4.lt(px, right), f32x4.lt(py, bottom)));
        const asked = i32x4.bitmask(v128.and(isIn, f32x4.ge(v128.load(clear + (<usize>i << 4)), dark)));
        if (asked === 0) continue;
        for (let lanes = sampleFour(record, at, asked, cubic); lanes !== 0; lanes &= lanes - 1) {
          const s = <usize>ctz(lanes), over = overs + ((<usize>i << 6) + (s << 4)), light = clear + ((<usize>i << 4) + (s << 2));
          const sum = f32x4.add(v128.load(over), f32x4.mul(v128.load(FOUND + (s << 4)), v128.load32_splat(light)));
          v128.store(over, sum);
          const left = max<f32>(1 - f32x4.extract_lane(sum, 3), 0);
          store<f32>(light, left);
          if (left < DARK) full++;
        }
      }
      store<i32>(opensAt + (pixel << 2), load<i32>(opensAt + (pixel << 2)) - full);
      filled += full;
    }
  }
  return filled;
}
