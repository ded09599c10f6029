/**
 * Affine flows. A point's way during one frame is d, and the points around it go d + m (x - x0): that is one step of the flow
 * v(x) = g + L (x - x0), with exp(L) = 1 + m and phi(L) g = d, phi(X) = (e^X - 1) / X. Under it the point is at phi(t L) t g at time t: on a
 * circle, spiral or line. Matrices are xx, xy, yx, yy; a flow is six numbers: g.x, g.y, L.xx, L.xy, L.yx, L.yy.
 */
export const FLOW_NUMBERS = 6;

/** A fold or a collapse within one frame is no motion of a surface: the gradient is noise or an edge. */
const MIN_AREA = 0.06,
  MAX_STRETCH = 4;

/** The length of a vector; several times as fast as Math.hypot, which guards against numbers that no picture has. */
export function lengthOf(x: number, y: number): number {
  return Math.sqrt(x * x + y * y);
}

/** How many times as large what is around a point becomes, from its gradient (the last four of six numbers); below 0 where it is mirrored. */
export function areaKept(fit: ArrayLike<number>, at: number): number {
  return (1 + fit[at + 2]) * (1 + fit[at + 5]) - fit[at + 3] * fit[at + 4];
}

/**
 * The flow that takes a point by (dx, dy) and its surroundings by the gradient m in one frame. `turnNear`: of the turns that look the same the
 * one nearest to this angle (radians) is taken. A gradient that no surface can have is left out. Written from `at` on.
 */
export function flowOf(
  dx: number,
  dy: number,
  mxx: number,
  mxy: number,
  myx: number,
  myy: number,
  out: Float64Array,
  turnNear = 0,
  at = 0,
): void {
  const a = 1 + mxx,
    d = 1 + myy,
    half = (a + d) / 2,
    det = a * d - mxy * myx;
  out[at] = dx;
  out[at + 1] = dy;
  out[at + 2] = out[at + 3] = out[at + 4] = out[at + 5] = 0;
  if (!(det > MIN_AREA && Math.abs(a) + Math.abs(d) + Math.abs(mxy) + Math.abs(myx) < 2 * MAX_STRETCH)) return;
  // log of a 2 x 2 matrix: A = half + N with N^2 = disc, so log A = ln(det)/2 + factor N.
  const disc = half * half - det;
  let factor: number;
  if (disc < -1e-12) {
    const w = Math.sqrt(-disc),
      angle = Math.atan2(w, half),
      sign = myx - mxy < 0 ? -1 : 1;
    factor = (angle + 2 * Math.PI * Math.round((turnNear * sign - angle) / (2 * Math.PI))) / w;
  } else {
    // Real eigenvalues below zero mirror the surroundings: no motion.
    if (half <= 0) return;
    const s = Math.sqrt(Math.max(0, disc));
    factor = s < 1e-6 ? 1 / half : Math.atanh(s / half) / s;
  }
  const middle = Math.log(det) / 2;
  const xx = middle + factor * (a - half),
    xy = factor * mxy,
    yx = factor * myx,
    yy = middle + factor * (d - half);
  // g = phi(L)^-1 d.
  phi(xx, xy, yx, yy, scratch);
  const pxx = scratch[0],
    pxy = scratch[1],
    pyx = scratch[2],
    pyy = scratch[3],
    norm = pxx * pyy - pxy * pyx;
  if (!(Math.abs(norm) > 1e-6)) return;
  out[at] = (pyy * dx - pxy * dy) / norm;
  out[at + 1] = (pxx * dy - pyx * dx) / norm;
  out[at + 2] = xx;
  out[at + 3] = xy;
  out[at + 4] = yx;
  out[at + 5] = yy;
}

const scratch = new Float64Array(4);

/** phi(X) = 1 + X/2 + X^2/6 + ..., by Horner: few terms for gentle motion, enough for a turn of more than half a circle. */
function termsFor(size: number): number {
  return size < 0.004 ? 4 : size < 0.1 ? 6 : size < 0.6 ? 10 : 20;
}

export function phi(xx: number, xy: number, yx: number, yy: number, out: Float64Array): void {
  let a = 1,
    b = 0,
    c = 0,
    d = 1;
  for (let k = termsFor(Math.abs(xx) + Math.abs(xy) + Math.abs(yx) + Math.abs(yy)); k >= 2; k--) {
    const na = 1 + (xx * a + xy * c) / k,
      nb = (xx * b + xy * d) / k,
      nc = (yx * a + yy * c) / k,
      nd = 1 + (yx * b + yy * d) / k;
    a = na;
    b = nb;
    c = nc;
    d = nd;
  }
  out[0] = a;
  out[1] = b;
  out[2] = c;
  out[3] = d;
}

/** How far a point goes under a flow in one unit of its time. Writes x, y. */
export function travelOf(flow: ArrayLike<number>, at: number, out: Float64Array): void {
  const gx = flow[at],
    gy = flow[at + 1];
  phi(flow[at + 2], flow[at + 3], flow[at + 4], flow[at + 5], scratch);
  out[0] = scratch[0] * gx + scratch[1] * gy;
  out[1] = scratch[2] * gx + scratch[3] * gy;
}
