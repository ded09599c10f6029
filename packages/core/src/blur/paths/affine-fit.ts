/** A vector field read around a place: one key a pixel says what surface it belongs to, below 0 none that tells. */
export interface KeyedField {
  readonly width: number;
  readonly height: number;
  readonly keys: ArrayLike<number>;
}

/** Half the window, in pixels: 5 x 5 around a pixel's centre, 6 x 6 around a corner. */
export const RADIUS_PX = 2.5;
/** Pixels this near have a say in the vector itself. */
export const CORE_PX = 1;
/** Fewer pixels than this do not tell a gradient. */
const MIN_PIXELS = 6;
/** Spread of the window's pixels along its narrower side (px^2) that an affine gradient needs, and in all for rotation and scale alone. */
const AFFINE_SPREAD = 0.4,
  SIMILAR_SPREAD = 0.4;

/** So many pixels tell a gradient well enough to be carried far. */
const SURE_PIXELS = 15;

/** What a fit knows. */
export const NOTHING = 0,
  VECTOR = 1,
  ROUGH_GRADIENT = 2,
  GRADIENT = 3;
export type Told = typeof NOTHING | typeof VECTOR | typeof ROUGH_GRADIENT | typeof GRADIENT;

/** Numbers that a fit writes for each vector set: d.x, d.y and the gradient xx, xy, yx, yy. */
export const FIT_NUMBERS = 6;

/** Half the side of the window, and of the part of it that has a say in the vector itself; pixels. */
export interface FitWindow {
  readonly radiusPx: number;
  readonly corePx: number;
}
const USUAL: FitWindow = { radiusPx: RADIUS_PX, corePx: CORE_PX };

/** Takes part only where its vector lies within `limit` of (x, y). */
export interface NearVector {
  readonly x: number;
  readonly y: number;
  readonly limit: number;
}

/**
 * The vectors at a place of a surface and their gradient, by least squares over the pixels of that surface around it; fills `out` from `outAt` on for
 * each set. The vector itself comes from the nearest pixels, carried to the place by the gradient. Says what the pixels told: NOTHING when none
 * within the core belongs to the surface.
 */
export function fitAffine(
  field: KeyedField,
  key: number,
  sets: readonly Float32Array[],
  cx: number,
  cy: number,
  shear: boolean,
  out: Float64Array,
  near: NearVector | null = null,
  outAt = 0,
  { radiusPx, corePx }: FitWindow = USUAL,
): Told {
  const { width, height, keys } = field;
  const x0 = Math.max(0, Math.ceil(cx - radiusPx)),
    x1 = Math.min(width - 1, Math.floor(cx + radiusPx)),
    y0 = Math.max(0, Math.ceil(cy - radiusPx)),
    y1 = Math.min(height - 1, Math.floor(cy + radiusPx));
  const [a, b] = sets;
  let n = 0,
    sx = 0,
    sy = 0,
    sxx = 0,
    sxy = 0,
    syy = 0,
    core = 0,
    coreX = 0,
    coreY = 0;
  // Per set: sum of d, x d, y d, and of d in the core.
  let ax = 0,
    ay = 0,
    axx = 0,
    axy = 0,
    ayx = 0,
    ayy = 0,
    acx = 0,
    acy = 0,
    bx = 0,
    by = 0,
    bxx = 0,
    bxy = 0,
    byx = 0,
    byy = 0,
    bcx = 0,
    bcy = 0;
  for (let y = y0; y <= y1; y++) {
    const oy = y - cy,
      row = y * width;
    for (let x = x0; x <= x1; x++) {
      const i = row + x;
      if (keys[i] !== key) continue;
      const ux = a[i * 2],
        uy = a[i * 2 + 1];
      if (near !== null && (ux - near.x) * (ux - near.x) + (uy - near.y) * (uy - near.y) > near.limit * near.limit) continue;
      const ox = x - cx;
      n++;
      sx += ox;
      sy += oy;
      sxx += ox * ox;
      sxy += ox * oy;
      syy += oy * oy;
      ax += ux;
      ay += uy;
      axx += ox * ux;
      axy += oy * ux;
      ayx += ox * uy;
      ayy += oy * uy;
      const inCore = ox >= -corePx && ox <= corePx && oy >= -corePx && oy <= corePx;
      if (inCore) {
        core++;
        coreX += ox;
        coreY += oy;
        acx += ux;
        acy += uy;
      }
      if (b !== undefined) {
        const vx = b[i * 2],
          vy = b[i * 2 + 1];
        bx += vx;
        by += vy;
        bxx += ox * vx;
        bxy += oy * vx;
        byx += ox * vy;
        byy += oy * vy;
        if (inCore) {
          bcx += vx;
          bcy += vy;
        }
      }
    }
  }
  if (core === 0) return NOTHING;
  // Central moments.
  const cxx = sxx - (sx * sx) / n,
    cxy = sxy - (sx * sy) / n,
    cyy = syy - (sy * sy) / n,
    trace = cxx + cyy,
    det = cxx * cyy - cxy * cxy;
  const narrow = trace / 2 - Math.sqrt(Math.max(0, (trace * trace) / 4 - det));
  const model = n < MIN_PIXELS || trace < n * SIMILAR_SPREAD ? 0 : shear && narrow >= n * AFFINE_SPREAD ? 2 : 1;
  const mx = coreX / core,
    my = coreY / core;
  for (let set = 0; set < sets.length; set++) {
    const dx = set === 0 ? ax : bx,
      dy = set === 0 ? ay : by;
    const pxx = (set === 0 ? axx : bxx) - (sx * dx) / n,
      pxy = (set === 0 ? axy : bxy) - (sy * dx) / n,
      pyx = (set === 0 ? ayx : byx) - (sx * dy) / n,
      pyy = (set === 0 ? ayy : byy) - (sy * dy) / n;
    let xx = 0,
      xy = 0,
      yx = 0,
      yy = 0;
    if (model === 2) {
      xx = (pxx * cyy - pxy * cxy) / det;
      xy = (pxy * cxx - pxx * cxy) / det;
      yx = (pyx * cyy - pyy * cxy) / det;
      yy = (pyy * cxx - pyx * cxy) / det;
    } else if (model === 1) {
      xx = yy = (pxx + pyy) / trace;
      yx = (pyx - pxy) / trace;
      xy = -yx;
    }
    const at = outAt + set * FIT_NUMBERS;
    out[at] = (set === 0 ? acx : bcx) / core - xx * mx - xy * my;
    out[at + 1] = (set === 0 ? acy : bcy) / core - yx * mx - yy * my;
    out[at + 2] = xx;
    out[at + 3] = xy;
    out[at + 4] = yx;
    out[at + 5] = yy;
  }
  return model === 0 ? VECTOR : (model === 1 && shear) || n < SURE_PIXELS ? ROUGH_GRADIENT : GRADIENT;
}
