// Which layers can show where: a layer's colour and ways by cells of CELL pixels, so that a block of the picture follows only
// layers whose colour can get there. Where all nodes are of one flow, that is worked out as it is; else by cells. A cell of a layer is
// 1 + 5 x orders f32: 1 where it has colour, -1 beside such cells; then by power of the time the least and largest g.x and g.y (or d) of the nodes that its ways come from (x, y, x, y), and the largest L (or M), rows added up.
// Before the first cell stands one for the whole layer. Cells lie on multiples of CELL of the picture.

import { isOneFlow, pathsAt } from "./nodes";

export const CELL: i32 = 8;
/** Blocks of a chunk across and down: as many as there are bits. */
export const CHUNK: i32 = 8;
/** Pixels: the cubic filter reaches two, and what is settled may be a little off. */
const REACH: f32 = 3;
/** Farther than any picture is wide. */
const FAR: f32 = 1e6;

/** Words of the record, see slices.ts. */
const CELLS: usize = 64, CELL_X: usize = 68, CELL_Y: usize = 72, CELLS_ACROSS: usize = 76, CELLS_DOWN: usize = 80;

@inline
function cellBytes(orders: i32): usize {
  return <usize>(4 + 20 * orders);
}

// Where a single flow takes the colour between two times, the filter's reach included.
let flowX0: f32, flowY0: f32, flowX1: f32, flowY1: f32;

/** Sets them for a layer of one flow, from where the middle of its colour is at the stretch's ends and middle; `lanes`: 32 bytes. */
function boundFlow(record: usize, spans: usize, arc: i32, lanes: usize): void {
  const halfX = <f32>(load<i32>(record, 12) - 1) * 0.5, halfY = <f32>(load<i32>(record, 16) - 1) * 0.5;
  const x = <f32>load<i32>(record, 4) + halfX, y = <f32>load<i32>(record, 8) + halfY;
  const first = load<f32>(spans), last = load<f32>(spans, 4);
  goAlong(record, x, y, first, arc, lanes);
  const ax = atX, ay = atY;
  let grown = atGrown;
  goAlong(record, x, y, last, arc, lanes);
  const bx = atX, by = atY;
  grown = max<f32>(grown, atGrown);
  goAlong(record, x, y, (first + last) * 0.5, arc, lanes);
  // Between the ends a path bows by little more than in the middle. What is around is turned and scaled with it.
  const bend = max<f32>(abs<f32>(atX - (ax + bx) * 0.5), abs<f32>(atY - (ay + by) * 0.5));
  const more = REACH + 2 * bend + max<f32>(halfX, halfY) * (grown - 1);
  flowX0 = min<f32>(ax, bx) - halfX - more; flowX1 = max<f32>(ax, bx) + halfX + more;
  flowY0 = min<f32>(ay, by) - halfY - more; flowY1 = max<f32>(ay, by) + halfY + more;
}

let atX: f32, atY: f32, atGrown: f32;
/** The first of four places and times, as `pathsAt` reads them. */
const PLACE: usize = memory.data(32, 16), TIME: usize = memory.data(16, 16);

/** Sets where a place is at a time: phi(L) g, or the displacement, on; and how many times as far from it what is around may be. */
function goAlong(record: usize, x: f32, y: f32, t: f32, arc: i32, lanes: usize): void {
  store<f32>(PLACE, x); store<f32>(PLACE, y, 16); store<f32>(TIME, t);
  pathsAt(record, PLACE, TIME, 1, lanes);
  const gx = load<f32>(lanes), gy = load<f32>(lanes, 4), xx = load<f32>(lanes, 8), xy = load<f32>(lanes, 12), yx = load<f32>(lanes, 16), yy = load<f32>(lanes, 20);
  let vx = gx, vy = gy;
  if (arc) {
    let termX = gx, termY = gy;
    for (let k: f32 = 2; k < 12; k += 1) {
      const n = (xx * termX + xy * termY) / k;
      termY = (yx * termX + yy * termY) / k; termX = n;
      vx += termX; vy += termY;
    }
  }
  atX = x + vx; atY = y + vy;
  const size = max<f32>(abs<f32>(xx) + abs<f32>(xy), abs<f32>(yx) + abs<f32>(yy));
  // e^s for a flow, 1 + s for a displacement.
  atGrown = size < 0.2 ? 1 + size * 1.12 : size < 0.7 ? 1 + size * 1.45 : size < 2 ? 1 + size * 3.2 : 1e3;
}

/** A place that a whole number can hold; no number is far outside. */
@inline
function within(place: f32): f32 {
  return place > -FAR ? min<f32>(place, FAR) : -FAR;
}

/** The cell that a place lies in. */
@inline
function cellOf(place: f32): i32 {
  return <i32>floor(within(place) * (1 / <f32>CELL));
}

/** Writes into the record which cells the layer has. Returns the bytes that they need: none where one flow says all. */
export function layOutCells(record: usize): i32 {
  if (isOneFlow(record)) return 0;
  let left = <f32>load<i32>(record, 4), top = <f32>load<i32>(record, 8);
  let right = left + <f32>(load<i32>(record, 12) - 1), bottom = top + <f32>(load<i32>(record, 16) - 1);
  const px = load<f32>(record, 24), py = load<f32>(record, 28), step = load<f32>(record, 84);
  left = min<f32>(left, px); right = max<f32>(right, px + step * <f32>(load<i32>(record, 32) - 1));
  top = min<f32>(top, py); bottom = max<f32>(bottom, py + step * <f32>(load<i32>(record, 36) - 1));
  const x0 = cellOf(left), y0 = cellOf(top), x1 = cellOf(right), y1 = cellOf(bottom);
  store<i32>(record, x0, CELL_X); store<i32>(record, y0, CELL_Y);
  store<i32>(record, x1 - x0 + 1, CELLS_ACROSS); store<i32>(record, y1 - y0 + 1, CELLS_DOWN);
  return <i32>cellBytes(load<i32>(record, 40)) * ((x1 - x0 + 1) * (y1 - y0 + 1) + 1);
}

/** Measures the cells of a layer into `cells`. */
export function measureCells(record: usize, cells: usize): void {
  const orders = load<i32>(record, 40), bytes = cellBytes(orders);
  const across = load<i32>(record, CELLS_ACROSS), down = load<i32>(record, CELLS_DOWN);
  store<usize>(record, cells, CELLS);
  noBounds(cells, orders);
  let cell = cells + bytes;
  for (let y = 0; y < down; y++)
    for (let x = 0; x < across; x++) {
      const left = (load<i32>(record, CELL_X) + x) * CELL, top = (load<i32>(record, CELL_Y) + y) * CELL;
      noBounds(cell, orders);
      boundNodes(record, left, top, cell);
      const isColoured = hasColour(record, left, top);
      store<f32>(cell, isColoured ? 1 : 0);
      if (isColoured) store<f32>(cells, 1);
      for (let k = 0; k < orders; k++) {
        const at = <usize>(4 + 20 * k);
        widen(cells + at, v128.load(cell + at), v128.load(cell + at), load<f32>(cell + at, 16));
      }
      cell += bytes;
    }
  cell = cells + bytes;
  for (let y = 0; y < down; y++)
    for (let x = 0; x < across; x++, cell += bytes)
      if (load<f32>(cell) === 0 && isColoured(cells, bytes, across, x - 1, x + 1, y - 1, y + 1, down)) store<f32>(cell, -1);
}

/** Whether a layer has colour in a place's cell or beside it. */
@inline
function isNearColour(record: usize, x: f32, y: f32): bool {
  const cx = cellOf(x) - load<i32>(record, CELL_X), cy = cellOf(y) - load<i32>(record, CELL_Y), across = load<i32>(record, CELLS_ACROSS);
  if (<u32>cx >= <u32>across || <u32>cy >= <u32>load<i32>(record, CELLS_DOWN)) return false;
  return load<f32>(load<usize>(record, CELLS) + cellBytes(load<i32>(record, 40)) * <usize>(cy * across + cx + 1)) !== 0;
}

/** Whether a layer has colour in a box's cells or beside them: for layers that have cells. */
export function isNearWithin(record: usize, x0: f32, y0: f32, x1: f32, y1: f32): bool {
  const left = load<i32>(record, CELL_X), top = load<i32>(record, CELL_Y), across = load<i32>(record, CELLS_ACROSS);
  const fromX = max<i32>(0, cellOf(x0) - left), toX = min<i32>(across - 1, cellOf(x1) - left);
  const fromY = max<i32>(0, cellOf(y0) - top), toY = min<i32>(load<i32>(record, CELLS_DOWN) - 1, cellOf(y1) - top);
  const cells = load<usize>(record, CELLS), bytes = cellBytes(load<i32>(record, 40));
  for (let y = fromY; y <= toY; y++)
    for (let x = fromX; x <= toX; x++)
      if (load<f32>(cells + bytes * <usize>(y * across + x + 1)) !== 0) return true;
  return false;
}

/** Whether a box lies on a layer's colour; no numbers do not. */
@inline
export function isColourWithin(record: usize, x0: f32, y0: f32, x1: f32, y1: f32): bool {
  const left = <f32>load<i32>(record, 4), top = <f32>load<i32>(record, 8);
  return x1 >= left && y1 >= top && x0 <= left + <f32>(load<i32>(record, 12) - 1) && y0 <= top + <f32>(load<i32>(record, 16) - 1);
}

/** Pixels around colour in which a place is worth a first step to settle it, and another one. */
const FIRST: i32 = 8, NEAR: i32 = 4;
/** Layers of which less than this share of their box has colour have a map of what is near it. */
const THIN: f32 = 0.95;

/** What a map says of a pixel: it is within FIRST of colour, within NEAR of it, and a sample between it and the next pixels takes in colour. */
const IS_FIRST: u8 = 1, IS_NEAR: u8 = 2, IS_SEEN: u8 = 4;

/** Bytes that `mapNear` needs; 0 for a layer that has no map. */
export function nearBytes(record: usize): i32 {
  const colour = load<usize>(record, 0), w = load<i32>(record, 12), h = load<i32>(record, 16);
  const zero = f32x4.splat(0), most = <i32>(<f32>(w * h) * THIN);
  let coloured = 0;
  for (let i = 0; i < w * h && coloured <= most; i++) if (v128.any_true(f32x4.ne(v128.load(colour + (<usize>i << 4)), zero))) coloured++;
  return coloured > most ? 0 : <i32>mapStride(w) * (h + 2 * FIRST);
}

/** Bytes of a map's row: full vectors of 16. */
@inline
function mapStride(w: i32): usize {
  return <usize>((w + 2 * FIRST + 15) & ~15);
}

/** Bytes that `mapNear` needs while it works. */
export function nearWorkBytes(record: usize): i32 {
  return <i32>(mapStride(load<i32>(record, 12)) * <usize>(load<i32>(record, 16) + 1)) + 16;
}

/** What lies up to FIRST before and after 16 pixels of a map: `from` is FIRST before them, `step` bytes from one to the next, of which those from `first` to `last` are there. */
@inline
function spread(to: usize, from: usize, step: usize, first: i32, last: i32): void {
  let any = i8x16.splat(0), near = any, seen = any;
  for (let d = first; d <= last; d++) {
    const there = v128.load(from + step * <usize>d);
    any = v128.or(any, there);
    if (d >= FIRST - NEAR && d <= FIRST + NEAR) near = v128.or(near, there);
    if (d >= FIRST - 1 && d <= FIRST + 2) seen = v128.or(seen, there);
  }
  v128.store(to, v128.or(v128.and(any, i8x16.splat(IS_FIRST)), v128.or(v128.and(near, i8x16.splat(IS_NEAR)), v128.and(seen, i8x16.splat(IS_SEEN)))));
}

/** A byte a pixel of the colour's box and FIRST around it: what lies along its row, and then down its column. */
export function mapNear(record: usize, map: usize, work: usize): void {
  const colour = load<usize>(record, 0), w = load<i32>(record, 12), h = load<i32>(record, 16), stride = mapStride(w);
  const rows = work, zero = f32x4.splat(0), line = rows + stride * <usize>h;
  memory.fill(line, 0, stride + 16);
  for (let y = 0; y < h; y++) {
    // Colour itself begins 2 FIRST on, so that what comes FIRST later is read at its own place.
    let from = colour + (<usize>(y * w) << 4);
    for (let x = 0; x < w; x++, from += 16) store<u8>(line + <usize>(x + 2 * FIRST), v128.any_true(f32x4.ne(v128.load(from), zero)) ? IS_FIRST | IS_NEAR | IS_SEEN : 0);
    for (let x: usize = 0; x < stride; x += 16) spread(rows + stride * <usize>y + x, line + x, 1, 0, 2 * FIRST);
  }
  for (let y = 0; y < h + 2 * FIRST; y++)
    for (let x: usize = 0; x < stride; x += 16)
      spread(map + stride * <usize>y + x, rows + x + <usize>(y - 2 * FIRST) * stride, stride, max<i32>(0, 2 * FIRST - y), min<i32>(2 * FIRST, h - 1 - y + 2 * FIRST));
  store<usize>(record, map, 92);
}

/** Whether a place is worth a first step to settle it: by the layer's map, else by its cells. */
@inline
export function isWorthATry(record: usize, near: usize, px: f32, py: f32): bool {
  return near ? (mapNearest(record, near, px, py) & IS_FIRST) !== 0 : isNearColour(record, px, py);
}

@inline
export function isAtColour(record: usize, near: usize, px: f32, py: f32): bool {
  return (mapNearest(record, near, px, py) & IS_NEAR) !== 0;
}

@inline
function mapNearest(record: usize, near: usize, px: f32, py: f32): u8 {
  return mapAt(record, near, <i32>floor(within(px) + 0.5) - load<i32>(record, 4), <i32>floor(within(py) + 0.5) - load<i32>(record, 8));
}

/** Whether a sample between a pixel of a layer's colour and the next ones takes in any. */
@inline
export function isSeenAt(record: usize, near: usize, x: i32, y: i32): bool {
  return (mapAt(record, near, x, y) & IS_SEEN) !== 0;
}

@inline
function mapAt(record: usize, near: usize, x: i32, y: i32): u8 {
  const w = load<i32>(record, 12), across = w + 2 * FIRST;
  if (<u32>(x + FIRST) >= <u32>across || <u32>(y + FIRST) >= <u32>(load<i32>(record, 16) + 2 * FIRST)) return 0;
  return load<u8>(near + mapStride(w) * <usize>(y + FIRST) + <usize>(x + FIRST));
}

function noBounds(cell: usize, orders: i32): void {
  store<f32>(cell, 0);
  for (let k = 0; k < orders; k++) {
    const at = cell + <usize>(4 + 20 * k);
    v128.store(at, f32x4(Infinity, Infinity, -Infinity, -Infinity));
    store<f32>(at, 0, 16);
  }
}

/** Bounds made wide enough for others: `least` and `most` hold them in their first and last two lanes. */
@inline
function widen(at: usize, least: v128, most: v128, size: f32): void {
  const own = v128.load(at);
  v128.store(at, v128.shuffle<f32>(f32x4.min(own, least), f32x4.max(own, most), 0, 1, 6, 7));
  store<f32>(at, max<f32>(load<f32>(at, 16), size), 16);
}

/** Bounds of the nodes around a cell, of the outermost ones where it lies outside. */
function boundNodes(record: usize, left: i32, top: i32, cell: usize): void {
  const orders = load<i32>(record, 40), across = load<i32>(record, 32), down = load<i32>(record, 36), bytes = <usize>orders << 5;
  const perPx = load<f32>(record, 88), span = <f32>CELL * perPx;
  const u = (<f32>left - load<f32>(record, 24)) * perPx, v = (<f32>top - load<f32>(record, 28)) * perPx;
  const x0 = heldIn(<i32>floor(u), across), x1 = heldIn(<i32>ceil(u + span), across);
  const y0 = heldIn(<i32>floor(v), down), y1 = heldIn(<i32>ceil(v + span), down);
  for (let y = y0; y <= y1; y++) {
    let p = load<usize>(record, 20) + (<usize>y * <usize>across + <usize>x0) * bytes;
    for (let x = x0; x <= x1; x++)
      for (let k = 0; k < orders; k++, p += 32) {
        const a = v128.load(p), g = v128.shuffle<f32>(a, a, 0, 1, 0, 1);
        widen(cell + <usize>(4 + 20 * k), g, g, rowsOf(p));
      }
  }
}

/** The largest of L's rows, its entries' sizes added up. */
@inline
function rowsOf(node: usize): f32 {
  return max<f32>(abs<f32>(load<f32>(node, 8)) + abs<f32>(load<f32>(node, 12)), abs<f32>(load<f32>(node, 16)) + abs<f32>(load<f32>(node, 20)));
}

@inline
function heldIn(index: i32, count: i32): i32 {
  return max<i32>(0, min<i32>(count - 1, index));
}

function hasColour(record: usize, left: i32, top: i32): bool {
  const colour = load<usize>(record, 0), w = load<i32>(record, 12), h = load<i32>(record, 16);
  const cx = left - load<i32>(record, 4), cy = top - load<i32>(record, 8);
  const zero = f32x4.splat(0);
  for (let y = max<i32>(0, cy); y < min<i32>(h, cy + CELL); y++)
    for (let x = max<i32>(0, cx); x < min<i32>(w, cx + CELL); x++)
      if (v128.any_true(f32x4.ne(v128.load(colour + (<usize>(y * w + x) << 4)), zero))) return true;
  return false;
}

/** Bytes of `spanTimes`. */
export const SPAN_BYTES: usize = 64;

/** For powers 1 to 4 of the time between two: the least, the largest, and the farthest from 0, at `spans`. */
export function spanTimes(first: f32, last: f32, spans: usize): void {
  const from = min<f32>(first, last), to = max<f32>(first, last);
  let a: f32 = 1, b: f32 = 1;
  for (let k = 0; k < 4; k++) {
    a *= from; b *= to;
    const at = spans + (<usize>k << 4);
    store<f32>(at, (k & 1) === 1 && from < 0 && to > 0 ? 0 : min<f32>(a, b));
    store<f32>(at, max<f32>(a, b), 4);
    store<f32>(at, max<f32>(abs<f32>(a), abs<f32>(b)), 8);
  }
}

// Where a cell's ways lead between two times, at the least and at most, the filter's reach included.
let leastX: f32, leastY: f32, mostX: f32, mostY: f32;

/** Sets them; false when there is no telling. */
function boundWays(cell: usize, orders: i32, spans: usize, arc: i32): bool {
  let x0: f32 = 0, y0: f32 = 0, x1: f32 = 0, y1: f32 = 0, size: f32 = 0;
  for (let k = 0; k < orders; k++) {
    const at = cell + <usize>(4 + 20 * k), span = spans + (<usize>k << 4);
    const g = v128.load(at), low = f32x4.mul(g, v128.load32_splat(span)), high = f32x4.mul(g, v128.load32_splat(span + 4));
    const least = f32x4.min(low, high), most = f32x4.max(low, high);
    x0 += min<f32>(f32x4.extract_lane(least, 0), f32x4.extract_lane(least, 2));
    y0 += min<f32>(f32x4.extract_lane(least, 1), f32x4.extract_lane(least, 3));
    x1 += max<f32>(f32x4.extract_lane(most, 0), f32x4.extract_lane(most, 2));
    y1 += max<f32>(f32x4.extract_lane(most, 1), f32x4.extract_lane(most, 3));
    size += load<f32>(at, 16) * load<f32>(span, 8);
  }
  // What the flow's turn adds: |phi(L) g - g| <= |g| s/2 e^s, and |(1 + M)^-1 d - d| <= |d| s / (1 - s).
  const part = arc
    ? size < 0.2 ? size * 0.625 : size < 0.7 ? size * 1.05 : size < 2 ? size * 3.7 : <f32>Infinity
    : size < 0.5 ? size / (1 - size) : <f32>Infinity;
  const far = max<f32>(abs<f32>(x0), abs<f32>(x1)) + max<f32>(abs<f32>(y0), abs<f32>(y1));
  const more = REACH + (part > 0 ? part * far : 0);
  leastX = x0 - more; leastY = y0 - more; mostX = x1 + more; mostY = y1 + more;
  return more < 1e6;
}

/**
 * The blocks of a chunk of the picture that a layer can show in, by stretch of the exposure, to `masks`. `spans`: the stretches' times, and
 * after them the whole exposure's.
 */
export function blocksByStretch(record: usize, x0: i32, y0: i32, across: i32, down: i32, spans: usize, stretches: i32, arc: i32, masks: usize, lanes: usize): void {
  if (isOneFlow(record)) {
    boundFlow(record, spans + <usize>stretches * SPAN_BYTES, arc, lanes);
    const isOut = flowX1 < <f32>x0 || flowY1 < <f32>y0 || flowX0 > <f32>(x0 + across * CELL) || flowY0 > <f32>(y0 + down * CELL);
    for (let j = 0; j < stretches; j++) {
      if (!isOut) boundFlow(record, spans + <usize>j * SPAN_BYTES, arc, lanes);
      store<u64>(masks + (<usize>j << 3), blocksIn(cellOf(flowX0 - <f32>x0), cellOf(flowX1 - <f32>x0), cellOf(flowY0 - <f32>y0), cellOf(flowY1 - <f32>y0), across, down));
    }
    return;
  }
  const all = blocksOf(record, x0, y0, across, down, spans + <usize>stretches * SPAN_BYTES, arc);
  // What hardly moves shows all the time.
  const isApart = all !== 0 && stretches > 1 && wayGoesFar(record, spans + <usize>stretches * SPAN_BYTES, arc);
  for (let j = 0; j < stretches; j++)
    store<u64>(masks + (<usize>j << 3), isApart ? all & blocksOf(record, x0, y0, across, down, spans + <usize>j * SPAN_BYTES, arc) : all);
}

function wayGoesFar(record: usize, span: usize, arc: i32): bool {
  return boundWays(load<usize>(record, CELLS), load<i32>(record, 40), span, arc) && max<f32>(mostX - leastX, mostY - leastY) > 2 * REACH + <f32>CELL;
}

/**
 * The blocks of a chunk of the picture that a layer can show in, a bit each, row by row. `x0`, `y0`: the chunk's corner, multiples of CELL.
 * Both ways are looked at: where the blocks' own paths come from, and where the colour's paths lead to.
 */
function blocksOf(record: usize, x0: i32, y0: i32, across: i32, down: i32, spans: usize, arc: i32): u64 {
  const orders = load<i32>(record, 40), bytes = cellBytes(orders), cells = load<usize>(record, CELLS);
  const cellX = load<i32>(record, CELL_X), cellY = load<i32>(record, CELL_Y);
  const cellsAcross = load<i32>(record, CELLS_ACROSS), cellsDown = load<i32>(record, CELLS_DOWN);
  const all = across === CHUNK && down === CHUNK ? <u64>-1 : wholeOf(across, down);
  if (load<f32>(cells) === 0) return 0;
  if (!boundWays(cells, orders, spans, arc)) return all;
  // The colour that can get to the chunk.
  const fromX = max<i32>(0, cellOf(<f32>x0 - mostX) - cellX), toX = min<i32>(cellsAcross - 1, cellOf(<f32>(x0 + across * CELL) - leastX) - cellX);
  const fromY = max<i32>(0, cellOf(<f32>y0 - mostY) - cellY), toY = min<i32>(cellsDown - 1, cellOf(<f32>(y0 + down * CELL) - leastY) - cellY);
  let mask: u64 = 0;
  for (let y = fromY; y <= toY; y++)
    for (let x = fromX; x <= toX; x++) {
      const cell = cells + bytes * <usize>(y * cellsAcross + x + 1);
      if (!(load<f32>(cell) > 0)) continue;
      if (!boundWays(cell, orders, spans, arc)) return all;
      const left = <f32>((cellX + x) * CELL - x0), top = <f32>((cellY + y) * CELL - y0);
      mask |= blocksIn(cellOf(left + leastX), cellOf(left + <f32>CELL + mostX), cellOf(top + leastY), cellOf(top + <f32>CELL + mostY), across, down);
      if (mask === all) return all;
    }
  for (let y = 0; y < down; y++)
    for (let x = 0; x < across; x++) {
      const bit = <u64>1 << <u64>(y * CHUNK + x);
      const bx = x0 / CELL + x - cellX, by = y0 / CELL + y - cellY;
      if ((mask & bit) !== 0 || bx < 0 || by < 0 || bx >= cellsAcross || by >= cellsDown) continue;
      if (!boundWays(cells + bytes * <usize>(by * cellsAcross + bx + 1), orders, spans, arc)) return all;
      const left = <f32>((cellX + bx) * CELL), top = <f32>((cellY + by) * CELL);
      if (isColoured(cells, bytes, cellsAcross, cellOf(left - mostX) - cellX, cellOf(left + <f32>CELL - leastX) - cellX, cellOf(top - mostY) - cellY, cellOf(top + <f32>CELL - leastY) - cellY, cellsDown)) mask |= bit;
    }
  return mask;
}

/** A bit for every block of a chunk. */
function wholeOf(across: i32, down: i32): u64 {
  return blocksIn(0, across - 1, 0, down - 1, across, down);
}

function blocksIn(x0: i32, x1: i32, y0: i32, y1: i32, across: i32, down: i32): u64 {
  x0 = max<i32>(0, x0); x1 = min<i32>(across - 1, x1); y1 = min<i32>(down - 1, y1);
  if (x0 > x1) return 0;
  const row = (((<u64>1 << <u64>(x1 - x0 + 1)) - 1) << <u64>x0);
  let mask: u64 = 0;
  for (let y = max<i32>(0, y0); y <= y1; y++) mask |= row << <u64>(y * CHUNK);
  return mask;
}

function isColoured(cells: usize, bytes: usize, cellsAcross: i32, x0: i32, x1: i32, y0: i32, y1: i32, cellsDown: i32): bool {
  for (let y = max<i32>(0, y0); y <= min<i32>(cellsDown - 1, y1); y++)
    for (let x = max<i32>(0, x0); x <= min<i32>(cellsAcross - 1, x1); x++)
      if (load<f32>(cells + bytes * <usize>(y * cellsAcross + x + 1)) > 0) return true;
  return false;
}
