import { lumaAt } from '../colour/luma';
import { pathLengths } from '../blur/render/plan-figures';
import { TRUST_CAUSES, VECTOR_CLIPPED, VECTOR_MISSING, VECTOR_REPAIRED, type TrustCause, type TrustRequest } from './trust-map';

/** What each pixel of the sharp picture brings along: expected errors by cause, before it is moved. */
export interface SourceErrors {
  readonly planes: Readonly<Record<TrustCause, Float32Array>>;
  /** How much the picture varies about each pixel: what is lost at most when something else is shown there. */
  readonly variety: Float32Array;
}

/** Of what the neighbouring frames differ by, this much is left when it is averaged over a short way; less over a long one. */
const OFF_DISAGREEMENT = 0.4;
/** Half the window in which the picture's variety is measured. */
const VARIETY_PX = 5;
/** Share of a path's bend that each model may be off by: measured on the scenes of docs/fidelity.md. */
const OFF_STRAIGHT = 1,
  OFF_BENT = 0.3,
  OFF_ARC_ALONE = 0.15,
  OFF_ARC = 0.05;
/** A vector that was mended, or ran into its range's end, may be wrong by this share of the travel. */
const OFF_MENDED = 0.25,
  OFF_MISSING = 0.6;

export function sourceErrors({ plan, shutter, input }: TrustRequest): SourceErrors {
  const { width, height, layerOf, report } = plan,
    { passes, doubtful } = input,
    count = width * height;
  const planes = Object.fromEntries(TRUST_CAUSES.map((cause) => [cause, new Float32Array(count)])) as Record<TrustCause, Float32Array>;
  const slope = slopes(plan.sharp, width, height),
    variety = varieties(plan.sharp, width, height);
  const travel = pathLengths(plan, shutter),
    bend = bends(passes.motion, width, height);
  const far = Math.max(Math.abs(shutter.opens), Math.abs(shutter.closes)) * shutter.strength;
  const off =
    report.pathModel === 'straight'
      ? OFF_STRAIGHT
      : report.pathModel === 'bent'
        ? OFF_BENT
        : report.neighbours.length === 2
          ? OFF_ARC
          : OFF_ARC_ALONE;
  const left = residuals(passes);
  const ordered = report.orderFrom !== 'speed' || report.layerCount < 2;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        layer = layerOf[i];
      if (layer === 0) continue;
      const moves = Math.min(1, travel[i] / 1.5),
        most = 2 * variety[i];
      planes.path[i] = Math.min(most, 0.5 * slope[i] * off * bend[i] * far * far);
      if (doubtful !== null && doubtful[i] !== 0) {
        const share =
          (doubtful[i] & VECTOR_MISSING) !== 0 ? OFF_MISSING : (doubtful[i] & (VECTOR_CLIPPED | VECTOR_REPAIRED)) !== 0 ? OFF_MENDED : 0;
        planes.vectors[i] = Math.min(most, 0.5 * slope[i] * share * travel[i]);
      }
      planes.disagreement[i] = (moves * OFF_DISAGREEMENT * left[i]) / Math.sqrt(Math.max(1, travel[i] / 4));
      const alpha = plan.sharp[i * 4 + 3];
      if (alpha > 0.04 && alpha < 0.97 && isInside(plan.sharp, width, height, x, y))
        planes.transparency[i] = moves * 2 * alpha * (1 - alpha) * most;
      if (meets(layerOf, width, height, x, y)) {
        planes.hidden[i] = 0.06 * moves * slope[i];
        if (!ordered) planes.depth[i] = 0.5 * slope[i];
      }
    }
  return { planes, variety };
}

/** The largest change of any channel from a pixel to its neighbours. */
function slopes(rgba: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      let most = 0;
      for (const [j, ok] of [
        [i + 1, x < width - 1],
        [i - 1, x > 0],
        [i + width, y < height - 1],
        [i - width, y > 0],
      ] as const)
        if (ok) for (let c = 0; c < 4; c++) most = Math.max(most, Math.abs(rgba[i * 4 + c] - rgba[j * 4 + c]));
      out[i] = most;
    }
  return out;
}

/** Standard deviation of brightness and coverage in a window about each pixel, whichever is more. */
function varieties(rgba: Float32Array, width: number, height: number): Float32Array {
  const light = new Float64Array((width + 1) * (height + 1)),
    squares = new Float64Array(light.length);
  const row = width + 1;
  for (let y = 0; y < height; y++) {
    let sum = 0,
      square = 0;
    for (let x = 0; x < width; x++) {
      const v = lumaAt(rgba, y * width + x);
      sum += v;
      square += v * v;
      light[(y + 1) * row + x + 1] = light[y * row + x + 1] + sum;
      squares[(y + 1) * row + x + 1] = squares[y * row + x + 1] + square;
    }
  }
  const out = new Float32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const x0 = Math.max(0, x - VARIETY_PX),
        x1 = Math.min(width, x + VARIETY_PX + 1),
        y0 = Math.max(0, y - VARIETY_PX),
        y1 = Math.min(height, y + VARIETY_PX + 1);
      const n = (x1 - x0) * (y1 - y0),
        over = (plane: Float64Array) => plane[y1 * row + x1] - plane[y0 * row + x1] - plane[y1 * row + x0] + plane[y0 * row + x0];
      const mean = over(light) / n;
      out[y * width + x] = Math.sqrt(Math.max(0, over(squares) / n - mean * mean));
    }
  return out;
}

/** How much a path bends in half a squared frame, in pixels: from both vectors, or from how the motion turns along itself. */
function bends(
  { twoSided, toNext, toPrevious, valid }: TrustRequest['input']['passes']['motion'],
  width: number,
  height: number,
): Float32Array {
  const out = new Float32Array(width * height);
  for (let y = 1; y < height - 1; y++)
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      if (valid[i] === 0) continue;
      const both = twoSided ? Math.hypot(toNext[i * 2] + toPrevious[i * 2], toNext[i * 2 + 1] + toPrevious[i * 2 + 1]) / 2 : 0;
      if (valid[i - 1] === 0 || valid[i + 1] === 0 || valid[i - width] === 0 || valid[i + width] === 0) {
        out[i] = both;
        continue;
      }
      // The change of the vector on going one vector on: (v . grad) v / 2.
      const vx = toNext[i * 2],
        vy = toNext[i * 2 + 1];
      const ax = ((toNext[(i + 1) * 2] - toNext[(i - 1) * 2]) * vx + (toNext[(i + width) * 2] - toNext[(i - width) * 2]) * vy) / 4,
        ay =
          ((toNext[(i + 1) * 2 + 1] - toNext[(i - 1) * 2 + 1]) * vx + (toNext[(i + width) * 2 + 1] - toNext[(i - width) * 2 + 1]) * vy) / 4;
      // At a border between two things the gradient is no turning.
      out[i] = Math.max(both, Math.min(Math.hypot(ax, ay), 0.5 * Math.hypot(vx, vy)));
    }
  return out;
}

/** What the neighbouring frames, fetched back along the vectors, differ by: the smaller of the two, as the other may be hidden there. */
function residuals({ width, height, rgba, motion, previous, next }: TrustRequest['input']['passes']): Float32Array {
  const out = new Float32Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (motion.valid[i] === 0) continue;
      let least = Infinity;
      for (const [there, vectors] of [
        [next, motion.toNext],
        [previous, motion.toPrevious],
      ] as const) {
        if (!there) continue;
        const tx = x + vectors[i * 2],
          ty = y + vectors[i * 2 + 1];
        if (!(tx >= 0 && ty >= 0 && tx <= width - 1 && ty <= height - 1)) continue;
        least = Math.min(least, differenceAt(there.rgba, width, height, tx, ty, rgba, i));
      }
      out[i] = least === Infinity ? 0 : least;
    }
  return out;
}

function differenceAt(there: Float32Array, width: number, height: number, x: number, y: number, rgba: Float32Array, i: number): number {
  const x0 = Math.min(width - 2, Math.floor(x)),
    y0 = Math.min(height - 2, Math.floor(y)),
    u = x - x0,
    v = y - y0;
  const at = (y0 * width + x0) * 4,
    down = width * 4;
  let most = 0;
  for (let c = 0; c < 4; c++) {
    const value =
      (there[at + c] * (1 - u) + there[at + 4 + c] * u) * (1 - v) + (there[at + down + c] * (1 - u) + there[at + down + 4 + c] * u) * v;
    most = Math.max(most, Math.abs(value - rgba[i * 4 + c]));
  }
  return most;
}

/** Edges are narrower than this. */
const INSIDE_PX = 6;

/** Coverage is partial all around: no edge. */
function isInside(rgba: Float32Array, width: number, height: number, x: number, y: number): boolean {
  for (let dy = -INSIDE_PX; dy <= INSIDE_PX; dy += 2)
    for (let dx = -INSIDE_PX; dx <= INSIDE_PX; dx += 2) {
      const xx = x + dx,
        yy = y + dy;
      if (xx < 0 || yy < 0 || xx >= width || yy >= height) continue;
      const alpha = rgba[(yy * width + xx) * 4 + 3];
      if (alpha < 0.02 || alpha > 0.98) return false;
    }
  return true;
}

/** Another surface's pixel is beside. */
function meets(layerOf: Uint16Array, width: number, height: number, x: number, y: number): boolean {
  const own = layerOf[y * width + x];
  for (let dy = -1; dy <= 1; dy++)
    for (let dx = -1; dx <= 1; dx++) {
      const xx = x + dx,
        yy = y + dy;
      if (xx < 0 || yy < 0 || xx >= width || yy >= height) continue;
      const other = layerOf[yy * width + xx];
      if (other !== 0 && other !== own) return true;
    }
  return false;
}
