// Where a pixel's colour lies in a layer at each slice's time: one step back along the path at the pixel, and where surfaces curve settled by
// the paths where the places lie. See slices.ts for the record.

import { isAtColour, isWorthATry } from "./cells";
import { isOpen, openOf, ROUGH } from "./exposure";
import { pathsAt } from "./nodes";

/** The work area: a pixel's path, a path at each of four places, knots (times, places before and after they are settled), what each knot counts in each slice; then what slices.ts lays out. */
export const LANES_AT: usize = 128, KNOTS_AT: usize = 256, BASIS_AT: usize = 384;

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
export function flowTerms(path: usize, orders: i32, first: f32, last: f32): i32 {
  const far = max<f32>(abs<f32>(first), abs<f32>(last));
  let size: f32 = 0, t = far;
  for (let k = 0; k < orders; k++) {
    const at = path + (<usize>k << 5);
    size += t * max<f32>(abs<f32>(load<f32>(at, 8)) + abs<f32>(load<f32>(at, 12)), abs<f32>(load<f32>(at, 16)) + abs<f32>(load<f32>(at, 20)));
    t *= far;
  }
  return size < 0.002 ? 2 : size < 0.1 ? 4 : size < 0.4 ? 6 : 8;
}

/** How far a pixel's colour lies away at four times, by one step back along the path at the pixel itself: exact where all around moves as one affine flow. */
export function backAlong(path: usize, orders: i32, times: usize, arc: i32, terms: i32, to: usize): void {
  const t = v128.load(times);
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
  v128.store(to, vx);
  v128.store(to, vy, 16);
}

/** The places themselves. */
@inline
function stepBack(path: usize, orders: i32, times: usize, x: f32, y: f32, arc: i32, terms: i32, to: usize): void {
  backAlong(path, orders, times, arc, terms, to);
  v128.store(to, f32x4.sub(f32x4.splat(x), v128.load(to)));
  v128.store(to, f32x4.sub(f32x4.splat(y), v128.load(to, 16)), 16);
}

/** Pixels: places that lead back to within this are right; where all steps still miss by more, one step back is as good a guess as any. */
export const SETTLED: f32 = 0.02;
const LOST: f32 = 0.5;
const SETTLE_STEPS: i32 = 5;
/** So many fours are settled each for itself: the knots are as many places. */
const FEW: i32 = 2;
/** A place is looked for this far outside a layer's colour: settling may move it there. */
const SETTLE_REACH: i32 = 8;

/** One step of Horner's rule: g c + L v, one component. */
@inline
function wayTerm(g: v128, lx: v128, ly: v128, vx: v128, vy: v128, c: f32): v128 {
  return f32x4.add(f32x4.mul(g, f32x4.splat(c)), f32x4.add(f32x4.mul(lx, vx), f32x4.mul(ly, vy)));
}

/**
 * Moves places to where the layer's own path there leads to the pixel (Newton's method with the flow's own gradient): on curved surfaces and in strong
 * perspective the path at the pixel is another one. Returns how far each of the four still missed before its last step, squared; settled ones do not move.
 * active: a bit for each of the four that is looked for. letsGo: once it is away from any colour it is no number.
 */
export function settle(record: usize, lanes: usize, times: usize, x: f32, y: f32, arc: i32, terms: i32, active: i32, letsGo: bool, places: usize): v128 {
  const qx = f32x4.splat(x), qy = f32x4.splat(y);
  // No farther than this from where they start: what is held of a layer for some rows alone reaches as far.
  const fromX = v128.load(places), fromY = v128.load(places, 16), half = f32x4.splat(0.5);
  const far = f32x4.add(f32x4.splat(<f32>SETTLE_REACH), f32x4.mul(half, f32x4.max(f32x4.abs(f32x4.sub(fromX, qx)), f32x4.abs(f32x4.sub(fromY, qy)))));
  const minX = f32x4.sub(fromX, far), maxX = f32x4.add(fromX, far), minY = f32x4.sub(fromY, far), maxY = f32x4.add(fromY, far);
  const near = letsGo ? load<usize>(record, 92) : 0;
  let missed = f32x4.splat(0);
  for (let step = 0; step < SETTLE_STEPS; step++) {
    pathsAt(record, places, times, active, lanes);
    const px = v128.load(places), py = v128.load(places, 16);
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
    const moving = v128.bitselect(i32x4.splat(-1), i32x4.splat(0), i32x4.ne(v128.and(i32x4.splat(active), i32x4(1, 2, 4, 8)), i32x4.splat(0)));
    missed = v128.bitselect(f32x4.add(f32x4.mul(rx, rx), f32x4.mul(ry, ry)), missed, moving);
    const rests = f32x4.lt(missed, f32x4.splat(SETTLED * SETTLED));
    // What one step back reaches at once stays there.
    const goes = step === 0 ? v128.andnot(moving, rests) : moving;
    const nx = f32x4.add(px, f32x4.sub(rx, f32x4.add(f32x4.mul(xx, rx), f32x4.mul(xy, ry))));
    const ny = f32x4.add(py, f32x4.sub(ry, f32x4.add(f32x4.mul(yx, rx), f32x4.mul(yy, ry))));
    v128.store(places, v128.bitselect(f32x4.max(minX, f32x4.min(maxX, nx)), px, goes));
    v128.store(places, v128.bitselect(f32x4.max(minY, f32x4.min(maxY, ny)), py, goes), 16);
    if (near)
      for (let left = active; left !== 0; left &= left - 1) {
        const at = places + (<usize>ctz(left) << 2);
        if (isAtColour(record, near, load<f32>(at), load<f32>(at, 16))) continue;
        store<f32>(at, NaN);
        active &= ~(left & -left);
      }
    active &= ~i32x4.bitmask(rests);
    if (active === 0) break;
  }
  return missed;
}

/**
 * How far a place is from one step back is smooth in time and 0 at time 0: known at four times, the knots, it is known at all (Lagrange's polynomial through
 * them and through 0). Writes the knots, and what each counts in each slice.
 */
export function setKnots(times: usize, fours: i32, work: usize): void {
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
 * Where a pixel's colour lies in a curved layer in those fours that its block says nothing about (see blocks.ts): x of four slices, then y of the same;
 * no numbers where no light gets by and far from colour.
 */
export function followPath(record: usize, path: usize, times: usize, kinds: usize, clear: usize, fours: i32, x: f32, y: f32, arc: i32, to: usize): void {
  const orders = load<i32>(record, 40);
  const terms = arc ? flowTerms(path, orders, load<f32>(times), load<f32>(times + (<usize>(fours << 4) - 4))) : 0;
  let looked = 0;
  for (let i = 0; i < fours; i++) {
    if (load<u8>(kinds + <usize>i) !== ROUGH) continue;
    const at = to + (<usize>i << 5);
    if (isOpen(clear, i)) {
      stepBack(path, orders, times + (<usize>i << 4), x, y, arc, terms, at);
      if (keepNear(record, i32x4.bitmask(openOf(clear, i)), at)) {
        looked++;
        continue;
      }
    }
    v128.store(at, f32x4.splat(NaN));
  }
  if (looked === 0) return;
  const knots = path + KNOTS_AT, lanes = path + LANES_AT;
  let offX = f32x4.splat(0), offY = offX, isSmooth = false;
  if (looked > FEW) {
    stepBack(path, orders, knots, x, y, arc, terms, knots + 32);
    const startX = v128.load(knots, 32), startY = v128.load(knots, 48);
    const missed = settle(record, lanes, knots, x, y, arc, terms, 15, false, knots + 32);
    offX = f32x4.sub(v128.load(knots, 32), startX); offY = f32x4.sub(v128.load(knots, 48), startY);
    if (!v128.any_true(v128.or(f32x4.ne(offX, f32x4.splat(0)), f32x4.ne(offY, f32x4.splat(0))))) return;
    // Where a fold or a jump lies on the way, each slice looks for itself.
    isSmooth = !v128.any_true(f32x4.ge(missed, f32x4.splat(SETTLED * SETTLED)));
  }
  for (let i = 0; i < fours; i++) {
    const at = to + (<usize>i << 5);
    if (load<u8>(kinds + <usize>i) !== ROUGH) continue;
    const px = v128.load(at), active = i32x4.bitmask(f32x4.eq(px, px));
    if (active === 0) continue;
    if (isSmooth) {
      const basis = path + BASIS_AT + (<usize>i << 6);
      v128.store(at, f32x4.add(v128.load(at), knotSum(basis, offX)));
      v128.store(at, f32x4.add(v128.load(at, 16), knotSum(basis, offY)), 16);
    } else keepSettled(record, lanes, times + (<usize>i << 4), x, y, arc, terms, active, at);
  }
}

/** Makes those of four places no numbers that are not asked for, or far from all colour. False when none is left. */
@inline
function keepNear(record: usize, asked: i32, places: usize): bool {
  const near = load<usize>(record, 92);
  let any = false;
  for (let lane = 0; lane < 4; lane++) {
    const at = places + (<usize>lane << 2);
    if ((asked >> lane) & 1 && isWorthATry(record, near, load<f32>(at), load<f32>(at, 16))) any = true;
    else store<f32>(at, NaN);
  }
  return any;
}

/** Settles four places; those that are lost stay where they are. */
function keepSettled(record: usize, lanes: usize, times: usize, x: f32, y: f32, arc: i32, terms: i32, active: i32, places: usize): void {
  const px = v128.load(places), py = v128.load(places, 16);
  const missed = settle(record, lanes, times, x, y, arc, terms, active, true, places);
  const sx = v128.load(places), lost = v128.and(f32x4.ge(missed, f32x4.splat(LOST * LOST)), f32x4.eq(sx, sx));
  v128.store(places, v128.bitselect(px, sx, lost));
  v128.store(places, v128.bitselect(py, v128.load(places, 16), lost), 16);
}

@inline
function knotSum(basis: usize, off: v128): v128 {
  const a = f32x4.add(f32x4.mul(v128.load(basis), v128.shuffle<f32>(off, off, 0, 0, 0, 0)), f32x4.mul(v128.load(basis, 16), v128.shuffle<f32>(off, off, 1, 1, 1, 1)));
  const b = f32x4.add(f32x4.mul(v128.load(basis, 32), v128.shuffle<f32>(off, off, 2, 2, 2, 2)), f32x4.mul(v128.load(basis, 48), v128.shuffle<f32>(off, off, 3, 3, 3, 3)));
  return f32x4.add(a, b);
}
