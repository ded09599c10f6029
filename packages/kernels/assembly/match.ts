// How well single points of one picture are found again in others, for many lengths of their vectors at once.

/** Points of the patch around a point, rows of three. */
const TAPS: i32 = 9;
/** Bytes of a patch: 4 floats of the picture at each of its places, then x and y of the places, of which pairs are read. */
const PLACES_AT: usize = 144;

/** Added to a number from 0 to a million it leaves its whole part in the lowest bits. */
const WHOLE: f32 = 12582912;

/** The last x and y of a picture that can be sampled, twice. */
@inline
function lastPlace(width: i32, height: i32): v128 {
  const right = <f32>width - <f32>1.001;
  const bottom = <f32>height - <f32>1.001;
  return f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(right), 1, bottom), 3, bottom);
}

@inline
function mixed(p: usize, row: usize, a: v128, b: v128): v128 {
  const p0 = v128.load(p);
  const q0 = v128.load(p + row);
  const t = f32x4.add(p0, f32x4.mul(f32x4.sub(v128.load(p, 16), p0), a));
  const u = f32x4.add(q0, f32x4.mul(f32x4.sub(v128.load(p + row, 16), q0), a));
  return f32x4.add(t, f32x4.mul(f32x4.sub(u, t), b));
}

/** Held to the picture; no number counts as 0. */
@inline
function inside(at: v128, last: v128): v128 {
  return f32x4.pmin(last, f32x4.pmax(f32x4.splat(0), at));
}

/** What the patch holds in its own picture, and where each of its places lies. */
@inline
function openPatch(now: usize, width: i32, last: v128, x: f32, y: f32, step: f32, patch: usize): void {
  const row = <usize>width << 4;
  let colour = patch;
  let place = patch + PLACES_AT;
  for (let dy: f32 = -1; dy <= 1; dy++) {
    for (let dx: f32 = -1; dx <= 1; dx++, colour += 16, place += 8) {
      const px = x + dx * step;
      const py = y + dy * step;
      store<f32>(place, px);
      store<f32>(place, py, 4);
      const at = inside(f32x4.replace_lane(f32x4.splat(px), 1, py), last);
      const high = f32x4.add(f32x4.sub(at, f32x4.splat(0.5)), f32x4.splat(WHOLE));
      const part = f32x4.sub(at, f32x4.sub(high, f32x4.splat(WHOLE)));
      const whole = i32x4.sub(high, f32x4.splat(WHOLE));
      const p = now + (<usize>(i32x4.extract_lane(whole, 1) * width + i32x4.extract_lane(whole, 0)) << 4);
      v128.store(colour, mixed(p, row, f32x4.splat(f32x4.extract_lane(part, 0)), f32x4.splat(f32x4.extract_lane(part, 1))));
    }
  }
}

/** Sum over the patch of the squared difference, channels added up. `vectors`: x and y of TAPS. */
@inline
function residual(other: usize, width: i32, last: v128, patch: usize, vectors: usize, sx: f32, sy: f32): f32 {
  const row = <usize>width << 4;
  const scale = f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(sx), 1, sy), 3, sy);
  let sum = f32x4.splat(0);
  // Two places at a time; of the fifth pair only the first is one.
  for (let pair: usize = 0; pair < 5; pair++) {
    const at = inside(f32x4.add(v128.load(patch + PLACES_AT + (pair << 4)), f32x4.mul(v128.load(vectors + (pair << 4)), scale)), last);
    const high = f32x4.add(f32x4.sub(at, f32x4.splat(0.5)), f32x4.splat(WHOLE));
    const part = f32x4.sub(at, f32x4.sub(high, f32x4.splat(WHOLE)));
    const whole = i32x4.sub(high, f32x4.splat(WHOLE));
    const colour = patch + (pair << 5);
    const p = other + (<usize>(i32x4.extract_lane(whole, 1) * width + i32x4.extract_lane(whole, 0)) << 4);
    const first = f32x4.sub(
      mixed(p, row, f32x4.splat(f32x4.extract_lane(part, 0)), f32x4.splat(f32x4.extract_lane(part, 1))),
      v128.load(colour),
    );
    sum = f32x4.add(sum, f32x4.mul(first, first));
    if (pair === 4) break;
    const q = other + (<usize>(i32x4.extract_lane(whole, 3) * width + i32x4.extract_lane(whole, 2)) << 4);
    const second = f32x4.sub(
      mixed(q, row, f32x4.splat(f32x4.extract_lane(part, 2)), f32x4.splat(f32x4.extract_lane(part, 3))),
      v128.load(colour, 16),
    );
    sum = f32x4.add(sum, f32x4.mul(second, second));
  }
  return f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3);
}

/** Does the middle of a patch stay in the picture, to three quarters of a pixel? */
@inline
function stays(x: f32, y: f32, vectors: usize, sx: f32, sy: f32, width: i32, height: i32): bool {
  const toX = x + load<f32>(vectors, 32) * sx;
  const toY = y + load<f32>(vectors, 36) * sy;
  return toX >= -0.75 && toY >= -0.75 && toX <= <f32>width - <f32>0.25 && toY <= <f32>height - <f32>0.25;
}

/** e^-z for z from 0 on, to 3 millionths. */
@inline
function fading(z: f32): f32 {
  if (!(z < 80)) return 0;
  const power = z * <f32>-1.4426950408889634;
  const whole = nearest(power);
  const f = power - whole;
  const part =
    <f32>1 + f * (<f32>0.6931471806 + f * (<f32>0.2402265070 + f * (<f32>0.0555041087 + f * (<f32>0.0096181291 + f * <f32>0.0013333558))));
  return part * reinterpret<f32>((<i32>whole + 127) << 23);
}

/**
 * `now`, `other`: 4 floats a pixel, width and height at least 2. `points`: x and y; `vectors`: x and y of TAPS vectors a point, readable 8 bytes beyond;
 * `scales`: x and y. `patch` is room for 228 bytes. To `out`, scale by scale: the mean over the patch of the squared difference, channels added up; -1 where the
 * point itself would leave the picture.
 */
export function matchPoints(
  now: usize,
  other: usize,
  width: i32,
  height: i32,
  points: usize,
  count: i32,
  vectors: usize,
  scales: usize,
  scaleCount: i32,
  step: f32,
  patch: usize,
  out: usize,
): void {
  const last = lastPlace(width, height);
  for (let i = 0; i < count; i++) {
    const x = load<f32>(points + (<usize>i << 3));
    const y = load<f32>(points + (<usize>i << 3), 4);
    const own = vectors + <usize>(i * TAPS) * 8;
    openPatch(now, width, last, x, y, step, patch);
    for (let k = 0; k < scaleCount; k++) {
      const sx = load<f32>(scales + (<usize>k << 3));
      const sy = load<f32>(scales + (<usize>k << 3), 4);
      const is = stays(x, y, own, sx, sy, width, height);
      store<f32>(out + (<usize>(k * count + i) << 2), is ? residual(other, width, last, patch, own, sx, sy) / <f32>TAPS : -1);
    }
  }
}

/**
 * What many points gain together. `before`, `after`: the pictures that scales lead away from and towards, 0 for none, each with its own vectors. `tolerance`: a
 * number a point; a match is e^(-residual / tolerance). `base`: what matches anyway, for all points before, then after, then the better of both. Six numbers a scale
 * are added to `out`: the gains over base before, after and of the better of both, then what could be gained at the same points (those that stay inside).
 */
export function scorePoints(
  now: usize,
  before: usize,
  after: usize,
  width: i32,
  height: i32,
  points: usize,
  count: i32,
  vectorsBefore: usize,
  vectorsAfter: usize,
  scales: usize,
  scaleCount: i32,
  tolerance: usize,
  base: usize,
  patch: usize,
  out: usize,
): void {
  const last = lastPlace(width, height);
  for (let i = 0; i < count; i++) {
    const x = load<f32>(points + (<usize>i << 3));
    const y = load<f32>(points + (<usize>i << 3), 4);
    const ownBefore = vectorsBefore + <usize>(i * TAPS) * 8;
    const ownAfter = vectorsAfter + <usize>(i * TAPS) * 8;
    const fade = <f32>1 / (load<f32>(tolerance + (<usize>i << 2)) * <f32>TAPS);
    const baseBefore = load<f32>(base + (<usize>i << 2));
    const baseAfter = load<f32>(base + (<usize>(count + i) << 2));
    const baseBetter = load<f32>(base + (<usize>(2 * count + i) << 2));
    openPatch(now, width, last, x, y, 1, patch);
    for (let k = 0; k < scaleCount; k++) {
      const sx = load<f32>(scales + (<usize>k << 3));
      const sy = load<f32>(scales + (<usize>k << 3), 4);
      const to = out + <usize>k * 24;
      let better: f32 = -1;
      if (before !== 0 && stays(x, y, ownBefore, -sx, -sy, width, height)) {
        better = fading(residual(before, width, last, patch, ownBefore, -sx, -sy) * fade);
        store<f32>(to, load<f32>(to) + better - baseBefore);
        store<f32>(to, load<f32>(to, 12) + <f32>1 - baseBefore, 12);
      }
      if (after !== 0 && stays(x, y, ownAfter, sx, sy, width, height)) {
        const match = fading(residual(after, width, last, patch, ownAfter, sx, sy) * fade);
        store<f32>(to, load<f32>(to, 4) + match - baseAfter, 4);
        store<f32>(to, load<f32>(to, 16) + <f32>1 - baseAfter, 16);
        if (match > better) better = match;
      }
      if (better >= 0) {
        store<f32>(to, load<f32>(to, 8) + better - baseBetter, 8);
        store<f32>(to, load<f32>(to, 20) + <f32>1 - baseBetter, 20);
      }
    }
  }
}
