import { MARGIN_PX, type PyramidLevel } from './pyramid';

/** Side of a patch. */
export const PATCH = 8;
const AREA = PATCH * PATCH,
  DESCENTS = 10,
  /** Sum of squared slopes below which a patch holds nothing to follow: brightness that varies by less than half a percent. */
  LEAST_TEXTURE = AREA * 2e-5;

/** Follows one patch at a time. Buffers are made once a level. */
export class PatchSearch {
  private readonly a: PyramidLevel;
  private readonly b: PyramidLevel;
  private readonly template = new Float32Array(AREA);
  private readonly gx = new Float32Array(AREA);
  private readonly gy = new Float32Array(AREA);
  private x = 0;
  private y = 0;
  private ixx = 0;
  private ixy = 0;
  private iyy = 0;
  u = 0;
  v = 0;
  cost = 0;
  /** Sums of the last look: the squared difference, and the difference times the slopes. */
  private square = 0;
  private dx = 0;
  private dy = 0;

  constructor(a: PyramidLevel, b: PyramidLevel) {
    this.a = a;
    this.b = b;
  }

  /** False when the patch holds nothing to follow. */
  take(x: number, y: number): boolean {
    const { values, slopeX, slopeY, stride, origin } = this.a;
    const { template, gx, gy } = this;
    this.x = x;
    this.y = y;
    let sxx = 0,
      sxy = 0,
      syy = 0;
    for (let r = 0, k = 0; r < PATCH; r++) {
      let i = origin + (y + r) * stride + x;
      for (let c = 0; c < PATCH; c++, k++, i++) {
        const px = slopeX[i],
          py = slopeY[i];
        template[k] = values[i];
        gx[k] = px;
        gy[k] = py;
        sxx += px * px;
        sxy += px * py;
        syy += py * py;
      }
    }
    if (sxx + syy < LEAST_TEXTURE) return false;
    // A little damping: along an edge the step stays small instead of flying off.
    const damp = 0.002 * (sxx + syy) + 1e-9,
      det = (sxx + damp) * (syy + damp) - sxy * sxy;
    this.ixx = (syy + damp) / det;
    this.ixy = -sxy / det;
    this.iyy = (sxx + damp) / det;
    return true;
  }

  /** Mean squared difference; once it is above `limit` it may be any value above it. */
  costAt(u: number, v: number, limit = Infinity): number {
    this.look(u, v, false, limit * AREA);
    return this.square / AREA;
  }

  descend(u: number, v: number, cost: number): void {
    const u0 = u,
      v0 = v;
    let best = cost,
      bestU = u,
      bestV = v;
    for (let n = 0; n < DESCENTS; n++) {
      this.look(u, v, true, Infinity);
      const now = this.square / AREA;
      if (now < best) {
        best = now;
        bestU = u;
        bestV = v;
      } else if (n > 2 && now > best * 1.05) break;
      const du = this.ixx * this.dx + this.ixy * this.dy,
        dv = this.ixy * this.dx + this.iyy * this.dy;
      u -= du;
      v -= dv;
      if (du * du + dv * dv < 1e-5) break;
      if (Math.abs(u - u0) > PATCH || Math.abs(v - v0) > PATCH) break;
    }
    const last = this.costAt(u, v);
    if (last < best && Math.abs(u - u0) <= PATCH && Math.abs(v - v0) <= PATCH) {
      best = last;
      bestU = u;
      bestV = v;
    }
    this.u = bestU;
    this.v = bestV;
    this.cost = best;
  }

  private look(u: number, v: number, slopes: boolean, limit: number): void {
    const { values, stride, origin, width, height } = this.b;
    const { template, gx, gy } = this;
    const px = Math.min(width + MARGIN_PX - PATCH - 2, Math.max(-MARGIN_PX + 1, this.x + u)),
      py = Math.min(height + MARGIN_PX - PATCH - 2, Math.max(-MARGIN_PX + 1, this.y + v));
    const x0 = Math.floor(px),
      y0 = Math.floor(py),
      fx = px - x0,
      fy = py - y0;
    const w00 = (1 - fx) * (1 - fy),
      w10 = fx * (1 - fy),
      w01 = (1 - fx) * fy,
      w11 = fx * fy;
    let square = 0,
      dx = 0,
      dy = 0;
    for (let r = 0, k = 0; r < PATCH && square <= limit; r++) {
      let i = origin + (y0 + r) * stride + x0;
      let left = values[i],
        leftBelow = values[i + stride];
      for (let c = 0; c < PATCH; c++, k++) {
        i++;
        const right = values[i],
          rightBelow = values[i + stride];
        const d = left * w00 + right * w10 + leftBelow * w01 + rightBelow * w11 - template[k];
        left = right;
        leftBelow = rightBelow;
        square += d * d;
        if (slopes) {
          dx += d * gx[k];
          dy += d * gy[k];
        }
      }
    }
    this.square = square;
    this.dx = dx;
    this.dy = dy;
  }
}
