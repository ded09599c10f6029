import type { BlurFramePasses } from '../model/blur-input';
import { lengthOf } from '../paths/affine-path';
import { jumpOf, vectorsAgree } from '../surfaces/vectors-agree';

/** What is known about a pixel of a surface's own picture. */
export const UNKNOWN = 0,
  OWN = 1,
  SEEN = 2,
  ABSENT = 3;

/** How a surface is told in another frame. */
export interface Likeness {
  readonly id: number;
  /** Depth about here; 0 when there is none. */
  readonly depth: number;
  /** Whether an object with this id lies behind the surface. */
  readonly isFarther: (id: number) => boolean;
}

/** Round trips may miss by this much, in pixels and as a share of the way, to begin with; mirrored vectors by more. */
export const ROUND_TRIP_PX = 1,
  ROUND_TRIP_SHARE = 0.15;
const MIRRORED_SHARE = 0.35;
/** Steps in which a place is moved to where the other frame's own vectors come from it; then it may miss by no more than this. */
const STEPS = 3,
  SETTLED_PX = 0.5,
  SETTLED_SHARE = 0.05;
/** Depths this near are of the same surface; it may come nearer or turn within a frame. */
const SAME_DEPTH = 0.15;
const FARTHER = 1.06;

/** A neighbouring frame in which hidden places are looked for. */
export class FrameLook {
  /** By pixel: 0 not looked at yet, 1 its 3 x 3 neighbourhood is all of one surface, 2 it is not. */
  private readonly pure: Uint8Array;
  /** The vectors that lead to the frame that asks. */
  readonly back: Float32Array;
  private readonly jumpPx: number;

  constructor(
    readonly passes: BlurFramePasses,
    readonly end: 1 | -1,
  ) {
    this.pure = new Uint8Array(passes.motion.valid.length);
    this.jumpPx = jumpOf(passes.motion, passes.motion.valid);
    this.back = end === 1 ? passes.motion.toPrevious : passes.motion.toNext;
  }

  /**
   * Looks for place (x, y) of a surface in this frame. `way` is where its path leads, and becomes where it was looked at. Writes the colour that it has
   * there. SEEN only where the surface fills the whole neighbourhood; ABSENT where something farther, or nothing, is there instead.
   */
  at(like: Likeness, x: number, y: number, way: Float64Array, out: Float64Array): typeof UNKNOWN | typeof SEEN | typeof ABSENT {
    const { motion, rgba, ids, depth } = this.passes,
      { width } = motion;
    if (motion.twoSided) this.settle(like.id, x, y, way);
    const i = this.pixelAt(x + way[0], y + way[1]);
    if (i < 0) return UNKNOWN;
    if (rgba[i * 4 + 3] <= 0) return nothingAround(rgba, i, width) ? ABSENT : UNKNOWN;
    const long = lengthOf(way[0], way[1]),
      limit = motion.twoSided ? SETTLED_PX + SETTLED_SHARE * long : ROUND_TRIP_PX + MIRRORED_SHARE * long;
    const sameDepth = depth === null || like.depth === 0 || depth[i] === like.depth || Math.abs(depth[i] / like.depth - 1) < SAME_DEPTH;
    const same =
      motion.valid[i] === 1 &&
      (ids === null || ids[i] === like.id) &&
      sameDepth &&
      lengthOf(this.back[i * 2] + way[0], this.back[i * 2 + 1] + way[1]) <= limit;
    if (!same) {
      // An object has one rank, and an arm before its own body is nearer than the body: depth tells more, where there is any.
      const hasDepth = depth !== null && like.depth > 0,
        isOther = ids !== null && ids[i] !== 0 && ids[i] !== like.id;
      const farther = hasDepth ? depth[i] > like.depth * FARTHER : isOther && like.isFarther(ids[i]);
      return farther ? ABSENT : UNKNOWN;
    }
    if (!this.isPure(i)) return UNKNOWN;
    this.sample(x + way[0], y + way[1], out);
    return SEEN;
  }

  /** Moves the end of a way to where this frame's own vectors come from its beginning, as far as a round trip may miss. */
  private settle(id: number, x: number, y: number, way: Float64Array): void {
    const { motion, ids } = this.passes,
      wayX = way[0],
      wayY = way[1],
      most = ROUND_TRIP_PX + ROUND_TRIP_SHARE * lengthOf(wayX, wayY);
    for (let step = 0; step < STEPS; step++) {
      const i = this.pixelAt(x + way[0], y + way[1]);
      if (i < 0 || motion.valid[i] === 0 || (ids !== null && ids[i] !== id)) return;
      const dx = -this.back[i * 2],
        dy = -this.back[i * 2 + 1];
      if (lengthOf(dx - wayX, dy - wayY) > most) return;
      way[0] = dx;
      way[1] = dy;
    }
  }

  /** The pixel at a place; -1 at the picture's border and outside. */
  private pixelAt(x: number, y: number): number {
    const { width, height } = this.passes.motion,
      px = Math.round(x),
      py = Math.round(y);
    return px >= 1 && py >= 1 && px < width - 1 && py < height - 1 ? py * width + px : -1;
  }

  private isPure(i: number): boolean {
    if (this.pure[i] === 0) this.pure[i] = this.fillsAround(i) ? 1 : 2;
    return this.pure[i] === 1;
  }

  private fillsAround(i: number): boolean {
    const { motion, ids, depth } = this.passes,
      { width, height, valid } = motion;
    const x = i % width,
      y = (i - x) / width;
    if (x < 1 || y < 1 || x > width - 2 || y > height - 2) return false;
    for (let row = i - width; row <= i + width; row += width) {
      for (let j = row - 1; j <= row + 1; j++)
        if (valid[j] !== 1 || (ids !== null && ids[j] !== ids[i]) || !vectorsAgree(motion, depth, this.jumpPx, i, j)) return false;
    }
    return true;
  }

  /** Catmull-Rom where all sixteen pixels are of the surface, else bilinear. */
  private sample(x: number, y: number, out: Float64Array): void {
    const { rgba, motion } = this.passes,
      { width, height } = motion;
    const x0 = Math.floor(x),
      y0 = Math.floor(y),
      u = x - x0,
      v = y - y0,
      corner = y0 * width + x0;
    const cubic =
      x0 >= 1 &&
      y0 >= 1 &&
      x0 + 2 < width &&
      y0 + 2 < height &&
      this.isPure(corner) &&
      this.isPure(corner + 1) &&
      this.isPure(corner + width) &&
      this.isPure(corner + width + 1);
    const taps = cubic ? 4 : 2,
      first = cubic ? -1 : 0;
    out.fill(0);
    for (let ky = first; ky < first + taps; ky++) {
      const wy = cubic ? catmullRom(v - ky) : ky === 0 ? 1 - v : v;
      for (let kx = first; kx < first + taps; kx++) {
        const w = wy * (cubic ? catmullRom(u - kx) : kx === 0 ? 1 - u : u);
        if (w === 0) continue;
        const p = (corner + ky * width + kx) * 4;
        for (let c = 0; c < 4; c++) out[c] += w * rgba[p + c];
      }
    }
  }
}

function nothingAround(rgba: Float32Array, i: number, width: number): boolean {
  for (let dy = -1; dy <= 1; dy++) for (let dx = -1; dx <= 1; dx++) if (rgba[(i + dy * width + dx) * 4 + 3] > 0) return false;
  return true;
}

function catmullRom(distance: number): number {
  const a = Math.abs(distance);
  return a <= 1 ? (1.5 * a - 2.5) * a * a + 1 : a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0;
}
