// How well single points of one picture are found again in another, for many lengths of their vectors at once.

/** Points of the patch around a point, rows of three. */
const TAPS: i32 = 9;
/** Bytes of a place in a patch: 4 floats of the picture, x and y. */
const PLACE: usize = 32;

@inline
function sample(picture: usize, width: i32, right: f32, bottom: f32, x: f32, y: f32): v128 {
  // Branches that are nearly always taken one way: f32.min and f32.max are many instructions on x64.
  let fx = x;
  let fy = y;
  if (!(fx >= 0)) fx = 0;
  if (fx > right) fx = right;
  if (!(fy >= 0)) fy = 0;
  if (fy > bottom) fy = bottom;
  const ix = <i32>fx;
  const iy = <i32>fy;
  const a = f32x4.splat(fx - <f32>ix);
  const b = f32x4.splat(fy - <f32>iy);
  const p = picture + (<usize>(iy * width + ix) << 4);
  const q = p + (<usize>width << 4);
  const p0 = v128.load(p);
  const q0 = v128.load(q);
  const t = f32x4.add(p0, f32x4.mul(f32x4.sub(v128.load(p, 16), p0), a));
  const u = f32x4.add(q0, f32x4.mul(f32x4.sub(v128.load(q, 16), q0), a));
  return f32x4.add(t, f32x4.mul(f32x4.sub(u, t), b));
}

/**
 * `now`, `other`: 4 floats a pixel, width and height at least 2. `points`: x and y; `vectors`: x and y of TAPS vectors a point; `scales`: x and y. `patch` is room
 * for TAPS places. To `out`, scale by scale: the mean over the patch of the squared difference, channels added up; -1 where the point itself would leave the picture.
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
  const right = <f32>width - <f32>1.001;
  const bottom = <f32>height - <f32>1.001;
  const end = patch + <usize>TAPS * PLACE;
  for (let i = 0; i < count; i++) {
    const x = load<f32>(points + (<usize>i << 3));
    const y = load<f32>(points + (<usize>i << 3), 4);
    const own = vectors + <usize>(i * TAPS) * 8;
    // What the patch holds in its own picture, and where each of its places lies.
    let at = patch;
    for (let dy: f32 = -1; dy <= 1; dy++) {
      for (let dx: f32 = -1; dx <= 1; dx++, at += PLACE) {
        const px = x + dx * step;
        const py = y + dy * step;
        v128.store(at, sample(now, width, right, bottom, px, py));
        store<f32>(at, px, 16);
        store<f32>(at, py, 20);
      }
    }
    const middleX = load<f32>(own + 32);
    const middleY = load<f32>(own + 36);
    for (let k = 0; k < scaleCount; k++) {
      const sx = load<f32>(scales + (<usize>k << 3));
      const sy = load<f32>(scales + (<usize>k << 3), 4);
      const to = out + (<usize>(k * count + i) << 2);
      const toX = x + middleX * sx;
      const toY = y + middleY * sy;
      if (!(toX >= -0.75 && toY >= -0.75 && toX <= <f32>width - <f32>0.25 && toY <= <f32>height - <f32>0.25)) {
        store<f32>(to, -1);
        continue;
      }
      let sum = f32x4.splat(0);
      let vector = own;
      for (let place = patch; place < end; place += PLACE, vector += 8) {
        const px = load<f32>(place, 16) + load<f32>(vector) * sx;
        const py = load<f32>(place, 20) + load<f32>(vector, 4) * sy;
        const off = f32x4.sub(sample(other, width, right, bottom, px, py), v128.load(place));
        sum = f32x4.add(sum, f32x4.mul(off, off));
      }
      const total = f32x4.extract_lane(sum, 0) + f32x4.extract_lane(sum, 1) + f32x4.extract_lane(sum, 2) + f32x4.extract_lane(sum, 3);
      store<f32>(to, total / <f32>TAPS);
    }
  }
}
