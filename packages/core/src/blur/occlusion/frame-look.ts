import type { BlurFramePasses } from '../model/blur-input';
import { vectorsAgree } from '../surfaces/vectors-agree';

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

/** Round trips may miss by this much, in pixels and as a share of the way; mirrored vectors by more. */
const ROUND_TRIP_PX = 1,
  ROUND_TRIP_SHARE = 0.15,
  MIRRORED_SHARE = 0.35;
/** Depths this near are of the same surface; it may come nearer or turn within a frame. */
const SAME_DEPTH = 0.15;
const FARTHER = 1.06;

/** A neighbouring frame in which hidden places are looked for. */
export class FrameLook {
  /** By pixel: 0 not looked at yet, 1 its 3 x 3 neighbourhood is all of one surface, 2 it is not. */
  private readonly pure: Uint8Array;

  constructor(
    readonly passes: BlurFramePasses,
    readonly end: 1 | -1,
  ) {
    this.pure = new Uint8Array(passes.motion.valid.length);
  }

  /**
   * Looks for a place of a surface: (x, y) is where its path leads, (wayX, wayY) the way there. Writes the colour that it has there. SEEN only
   * where the surface fills the whole neighbourhood; ABSENT where something farther, or nothing, is there instead.
   */
  at(like: Likeness, x: number, y: number, wayX: number, wayY: number, out: Float64Array): typeof UNKNOWN | typeof SEEN | typeof ABSENT {
    const { motion, rgba, ids, depth } = this.passes,
      { width, height } = motion;
    const rx = Math.round(x),
      ry = Math.round(y);
    if (!(rx >= 1 && ry >= 1 && rx < width - 1 && ry < height - 1)) return UNKNOWN;
    const i = ry * width + rx;
    if (rgba[i * 4 + 3] <= 0) return nothingAround(rgba, i, width) ? ABSENT : UNKNOWN;
    const back = this.end === 1 ? motion.toPrevious : motion.toNext;
    const limit = ROUND_TRIP_PX + (motion.twoSided ? ROUND_TRIP_SHARE : MIRRORED_SHARE) * Math.hypot(wayX, wayY);
    const sameDepth = depth === null || like.depth === 0 || depth[i] === like.depth || Math.abs(depth[i] / like.depth - 1) < SAME_DEPTH;
    const same =
      motion.valid[i] === 1 &&
      (ids === null || ids[i] === like.id) &&
      sameDepth &&
      Math.hypot(back[i * 2] + wayX, back[i * 2 + 1] + wayY) <= limit;
    if (!same) {
      // An object has one rank, and an arm before its own body is nearer than the body: depth tells more, where there is any.
      const hasDepth = depth !== null && like.depth > 0,
        isOther = ids !== null && ids[i] !== 0 && ids[i] !== like.id;
      const farther = hasDepth ? depth[i] > like.depth * FARTHER : isOther && like.isFarther(ids[i]);
      return farther ? ABSENT : UNKNOWN;
    }
    if (!this.isPure(i)) return UNKNOWN;
    this.sample(x, y, out);
    return SEEN;
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
        if (valid[j] !== 1 || (ids !== null && ids[j] !== ids[i]) || !vectorsAgree(motion, depth, i, j)) return false;
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
