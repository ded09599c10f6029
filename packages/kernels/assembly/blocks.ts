// Where a layer's colour lies, for a whole block of CELL x CELL pixels: on an even surface places change evenly over a block, so they are
// looked for at nine of its pixels' places, held against each other, and carried to the rest by the parabolas through them. What is of one
// flow is a plane. Only where a fold, a jump or a rim lies in a block does each pixel look for itself (paths.ts). See slices.ts for the record.

import { CELL, isColourWithin, isNearWithin } from "./cells";
import { AWAY, EVEN, firstFour, ROUGH, STRETCHES } from "./exposure";
import { blendPath, isOneFlow } from "./nodes";
import { backAlong, flowTerms, LANES_AT, settle, SETTLED } from "./paths";

/** Bytes by four slices: a layer's way at nine places of the block (x, y by place), and along one of its rows (three terms of x, then of y). */
const GRID_BYTES: usize = 288, ROW_BYTES: usize = 96;
/** Pixels from one of the nine places to the next. */
const APART: f32 = (<f32>CELL - 1) / 2;
/** Pixels: where the middle of two places is off by more than this, a surface is not even. */
const BOWED: f32 = 0.1;

/** Bytes of `findWays`' work: kinds, rows, nine paths, the grid. */
export function blockBytes(fours: i32): i32 {
  return ((fours + 15) & ~15) + fours * <i32>(GRID_BYTES + ROW_BYTES) + 9 * 128;
}

@inline
export function rowsAt(block: usize, fours: i32): usize {
  return block + <usize>((fours + 15) & ~15);
}

@inline
function pathsAt(block: usize, fours: i32): usize {
  return rowsAt(block, fours) + <usize>fours * ROW_BYTES;
}

@inline
function gridAt(block: usize, fours: i32): usize {
  return pathsAt(block, fours) + 9 * 128;
}

/**
 * Fills `block`: first the kind of every four slices, a byte each; then what `layRow` needs. Returns the kinds that there are: 1 even, 2 rough, added.
 * when: a bit for each stretch in which the layer can show. open: a byte for each four, whether light still gets by anywhere in the block.
 */
export function findWays(record: usize, left: i32, top: i32, when: u32, open: usize, times: usize, slices: i32, arc: i32, block: usize, work: usize): i32 {
  const orders = load<i32>(record, 40), isFlow = isOneFlow(record), fours = (slices + 3) >> 2;
  const paths = pathsAt(block, fours), grid = gridAt(block, fours), stretches = min<i32>(STRETCHES, fours);
  const first = load<f32>(times), last = load<f32>(times + (<usize>fours << 4) - 4);
  let terms = 0;
  for (let n = 0; n < 9; n++) {
    // A plane is known from three of them.
    if (isFlow && n !== 0 && n !== 2 && n !== 6) continue;
    const path = paths + <usize>n * 128;
    blendPath(record, placeOf(left, n % 3), placeOf(top, n / 3), path);
    if (arc) terms = max<i32>(terms, flowTerms(path, orders, first, last));
  }
  memory.fill(block, AWAY, <usize>fours);
  let kinds = 0;
  for (let stretch = 0; stretch < stretches; stretch++) {
    if (((when >> stretch) & 1) === 0) continue;
    for (let i = firstFour(stretch, fours, stretches); i < firstFour(stretch + 1, fours, stretches); i++) {
      if (load<u8>(open + <usize>i) === 0) continue;
      const ways = grid + <usize>i * GRID_BYTES, at = times + (<usize>i << 4);
      const kind = isFlow ? planeOf(record, paths, orders, at, left, top, arc, terms, ways) : evenOf(record, paths, orders, at, min<i32>(4, slices - (i << 2)), left, top, arc, terms, ways, work + LANES_AT);
      store<u8>(block + <usize>i, kind);
      kinds |= <i32>kind;
    }
  }
  return kinds;
}

@inline
function placeOf(first: i32, n: i32): f32 {
  return <f32>first + APART * <f32>n;
}

/** A layer of one flow: the ways of the block's first pixel, of the last one in its row, and of the last one in its column. */
function planeOf(record: usize, paths: usize, orders: i32, times: usize, left: i32, top: i32, arc: i32, terms: i32, ways: usize): u8 {
  backAlong(paths, orders, times, arc, terms, ways);
  backAlong(paths + 256, orders, times, arc, terms, ways + 64);
  backAlong(paths + 768, orders, times, arc, terms, ways + 192);
  const x0 = v128.load(ways), y0 = v128.load(ways, 16), acrossX = f32x4.sub(v128.load(ways, 64), x0), acrossY = f32x4.sub(v128.load(ways, 80), y0);
  const downX = f32x4.sub(v128.load(ways, 192), x0), downY = f32x4.sub(v128.load(ways, 208), y0), zero = f32x4.splat(0);
  const leastX = f32x4.add(x0, f32x4.add(f32x4.min(acrossX, zero), f32x4.min(downX, zero))), mostX = f32x4.add(x0, f32x4.add(f32x4.max(acrossX, zero), f32x4.max(downX, zero)));
  const leastY = f32x4.add(y0, f32x4.add(f32x4.min(acrossY, zero), f32x4.min(downY, zero))), mostY = f32x4.add(y0, f32x4.add(f32x4.max(acrossY, zero), f32x4.max(downY, zero)));
  boundPlaces(left, top, leastX, mostX, leastY, mostY);
  return isColourWithin(record, placesX0 - 2, placesY0 - 2, placesX1 + 2, placesY1 + 2) ? EVEN : AWAY;
}

/** Where the block's pixels lie in the layer: a box around all of them, at four times. */
let placesX0: f32, placesY0: f32, placesX1: f32, placesY1: f32;

/** Sets it from the ways at the least and at most, by time. */
@inline
function boundPlaces(left: i32, top: i32, leastX: v128, mostX: v128, leastY: v128, mostY: v128): void {
  placesX0 = <f32>left - mostOf(mostX); placesX1 = <f32>(left + CELL - 1) - leastOf(leastX);
  placesY0 = <f32>top - mostOf(mostY); placesY1 = <f32>(top + CELL - 1) - leastOf(leastY);
}

@inline
function mostOf(v: v128): f32 {
  return max<f32>(max<f32>(f32x4.extract_lane(v, 0), f32x4.extract_lane(v, 1)), max<f32>(f32x4.extract_lane(v, 2), f32x4.extract_lane(v, 3)));
}

@inline
function leastOf(v: v128): f32 {
  return min<f32>(min<f32>(f32x4.extract_lane(v, 0), f32x4.extract_lane(v, 1)), min<f32>(f32x4.extract_lane(v, 2), f32x4.extract_lane(v, 3)));
}

/** Sets the box from the nine ways, and says whether all are numbers. */
function boundGrid(left: i32, top: i32, ways: usize): bool {
  let leastX = v128.load(ways), mostX = leastX, leastY = v128.load(ways, 16), mostY = leastY;
  for (let n = 1; n < 9; n++) {
    const x = v128.load(ways + (<usize>n << 5)), y = v128.load(ways + (<usize>n << 5), 16);
    leastX = f32x4.min(leastX, x); mostX = f32x4.max(mostX, x); leastY = f32x4.min(leastY, y); mostY = f32x4.max(mostY, y);
  }
  boundPlaces(left, top, leastX, mostX, leastY, mostY);
  return placesX1 - placesX0 < Infinity && placesY1 - placesY0 < Infinity;
}

/** In which order the nine are settled, and which three lie in a line then: the same three times where none do yet. */
const ORDER: usize = memory.data<u8>([4, 4, 4, 4, 0, 0, 0, 0, 8, 0, 4, 8, 2, 2, 2, 2, 6, 2, 4, 6, 1, 0, 1, 2, 3, 0, 3, 6, 5, 2, 5, 8, 7, 6, 7, 8]);

/** A curved layer: ways of nine places, settled, if they tell of all others. count: of the four times, the first that are slices. */
function evenOf(record: usize, paths: usize, orders: i32, times: usize, count: i32, left: i32, top: i32, arc: i32, terms: i32, ways: usize, lanes: usize): u8 {
  for (let n = 0; n < 9; n++) backAlong(paths + <usize>n * 128, orders, times, arc, terms, ways + (<usize>n << 5));
  if (!boundGrid(left, top, ways)) return ROUGH;
  // Far from all colour nothing is looked for.
  if (!isNearWithin(record, placesX0, placesY0, placesX1, placesY1)) return AWAY;
  // From the middle outwards: what is not even is mostly found at once.
  for (let step = ORDER; step < ORDER + 36; step += 4) if (!settleWay(record, load<u8>(step), times, count, left, top, arc, terms, ways, lanes) || isBowed(ways, step + 1, count)) return ROUGH;
  boundGrid(left, top, ways);
  return isColourWithin(record, placesX0 - 3, placesY0 - 3, placesX1 + 3, placesY1 + 3) ? EVEN : AWAY;
}

/** Settles the way of one of the nine places; false when it does not come to rest. */
function settleWay(record: usize, n: i32, times: usize, count: i32, left: i32, top: i32, arc: i32, terms: i32, ways: usize, lanes: usize): bool {
  const at = ways + (<usize>n << 5), x = placeOf(left, n % 3), y = placeOf(top, n / 3);
  v128.store(at, f32x4.sub(f32x4.splat(x), v128.load(at)));
  v128.store(at, f32x4.sub(f32x4.splat(y), v128.load(at, 16)), 16);
  const missed = settle(record, lanes, times, x, y, arc, terms, (1 << count) - 1, false, at);
  v128.store(at, f32x4.sub(f32x4.splat(x), v128.load(at)));
  v128.store(at, f32x4.sub(f32x4.splat(y), v128.load(at, 16)), 16);
  return !v128.any_true(f32x4.ge(missed, f32x4.splat(SETTLED * SETTLED)));
}

/** Whether the second of three places in a line (a byte each) is far from the middle of the others. */
@inline
function isBowed(ways: usize, line: usize, count: i32): bool {
  const half = f32x4.splat(0.5), a = <usize>load<u8>(line), b = <usize>load<u8>(line, 1), c = <usize>load<u8>(line, 2);
  const x = f32x4.sub(f32x4.mul(half, f32x4.add(v128.load(ways + (a << 5)), v128.load(ways + (c << 5)))), v128.load(ways + (b << 5)));
  const y = f32x4.sub(f32x4.mul(half, f32x4.add(v128.load(ways + (a << 5), 16), v128.load(ways + (c << 5), 16))), v128.load(ways + (b << 5), 16));
  return (i32x4.bitmask(f32x4.gt(f32x4.max(f32x4.abs(x), f32x4.abs(y)), f32x4.splat(BOWED))) & ((1 << count) - 1)) !== 0;
}

/** Lays out the even ways along the block's row `down`: a + b dx + c dx^2 for dx pixels from its first one. */
export function layRow(record: usize, down: i32, fours: i32, block: usize): void {
  const isFlow = isOneFlow(record), rows = rowsAt(block, fours), grid = gridAt(block, fours);
  const s = <f32>down / APART;
  for (let i = 0; i < fours; i++) {
    if (load<u8>(block + <usize>i) !== EVEN) continue;
    for (let axis: usize = 0; axis < 2; axis++) {
      const ways = grid + <usize>i * GRID_BYTES + (axis << 4), row = rows + <usize>i * ROW_BYTES + 48 * axis;
      if (isFlow) {
        const first = v128.load(ways);
        v128.store(row, f32x4.add(first, f32x4.mul(f32x4.splat(0.5 * s), f32x4.sub(v128.load(ways, 192), first))));
        v128.store(row, f32x4.mul(f32x4.splat(0.5 / APART), f32x4.sub(v128.load(ways, 64), first)), 16);
        v128.store(row, f32x4.splat(0), 32);
      } else {
        const a = downTo(ways, s), b = downTo(ways + 32, s), c = downTo(ways + 64, s);
        v128.store(row, a);
        v128.store(row, f32x4.mul(f32x4.splat(0.5 / APART), f32x4.sub(f32x4.sub(f32x4.mul(f32x4.splat(4), b), f32x4.mul(f32x4.splat(3), a)), c)), 16);
        v128.store(row, f32x4.mul(f32x4.splat(0.5 / (APART * APART)), f32x4.add(f32x4.sub(a, f32x4.add(b, b)), c)), 32);
      }
    }
  }
}

/** A column's three ways, at s times APART below its first. */
@inline
function downTo(ways: usize, s: f32): v128 {
  const a = f32x4.mul(v128.load(ways), f32x4.splat(0.5 * (s - 1) * (s - 2))), b = f32x4.mul(v128.load(ways, 96), f32x4.splat(s * (2 - s)));
  return f32x4.add(f32x4.add(a, b), f32x4.mul(v128.load(ways, 192), f32x4.splat(0.5 * s * (s - 1))));
}

/** Where a pixel's colour lies in an even layer at four times, x and then y, to `to`. */
@inline
export function placeEven(block: usize, fours: i32, i: i32, x: f32, y: f32, dx: f32, to: usize): void {
  const row = rowsAt(block, fours) + <usize>i * ROW_BYTES, d = f32x4.splat(dx);
  const wayX = f32x4.add(v128.load(row), f32x4.mul(d, f32x4.add(v128.load(row, 16), f32x4.mul(d, v128.load(row, 32)))));
  const wayY = f32x4.add(v128.load(row, 48), f32x4.mul(d, f32x4.add(v128.load(row, 64), f32x4.mul(d, v128.load(row, 80)))));
  v128.store(to, f32x4.sub(f32x4.splat(x), wayX));
  v128.store(to, f32x4.sub(f32x4.splat(y), wayY), 16);
}
