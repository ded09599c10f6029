/** What is done to a picture's matte before anything moves. Pixels, fractions of one included. */
export interface MatteEdge {
  /** Positive takes the edge in, negative lets it out. */
  readonly trimPx: number;
  /** Standard deviation of the softening. */
  readonly softenPx: number;
}

export const UNTOUCHED_EDGE: MatteEdge = { trimPx: 0, softenPx: 0 };

/** Directions in which a pixel looks for the edge; 16 are within 2 % of a circle. */
const LOOKS = Array.from({ length: 16 }, (_, k) => [Math.cos((k * Math.PI) / 8), Math.sin((k * Math.PI) / 8)] as const);

/**
 * Moves a matte's edge by fractions of a pixel: the least (or, let out, the largest) value within a circle, in steps of at most a pixel, between
 * pixels linear. A straight edge moves by just that much; what is half clear inside stays half clear. 0 beyond the picture only when let out.
 */
export function trimMatte(alpha: Float32Array, width: number, height: number, trimPx: number): Float32Array {
  const steps = Math.ceil(Math.abs(trimPx));
  let now = alpha;
  for (let n = 0; n < steps; n++) now = movedEdge(now, width, height, Math.abs(trimPx) / steps, trimPx > 0);
  return now;
}

function movedEdge(alpha: Float32Array, width: number, height: number, by: number, inwards: boolean): Float32Array {
  const out = new Float32Array(alpha.length);
  for (let y = 0; y < height; y++) {
    const up = Math.max(0, y - 1) * width,
      here = y * width,
      down = Math.min(height - 1, y + 1) * width;
    for (let x = 0; x < width; x++) {
      const v = alpha[here + x],
        left = Math.max(0, x - 1),
        right = Math.min(width - 1, x + 1);
      out[here + x] = v;
      // Where all around is alike nothing moves.
      if (
        alpha[up + left] === v &&
        alpha[up + x] === v &&
        alpha[up + right] === v &&
        alpha[here + left] === v &&
        alpha[here + right] === v &&
        alpha[down + left] === v &&
        alpha[down + x] === v &&
        alpha[down + right] === v
      )
        continue;
      let best = v;
      for (const [dx, dy] of LOOKS) {
        const seen = between(alpha, width, height, x + dx * by, y + dy * by);
        best = inwards ? Math.min(best, seen) : Math.max(best, seen);
      }
      out[here + x] = best;
    }
  }
  return out;
}

/** Between pixels linear; the border's pixels go on outside. */
function between(src: Float32Array, width: number, height: number, px: number, py: number): number {
  const cx = Math.min(width - 1, Math.max(0, px)),
    cy = Math.min(height - 1, Math.max(0, py));
  const x = Math.min(width - 2, Math.floor(cx)),
    y = Math.min(height - 2, Math.floor(cy));
  if (x < 0 || y < 0) return src[Math.round(cy) * width + Math.round(cx)];
  const u = cx - x,
    v = cy - y,
    i = y * width + x;
  return (src[i] * (1 - u) + src[i + 1] * u) * (1 - v) + (src[i + width] * (1 - u) + src[i + width + 1] * u) * v;
}

/** Gaussian of this standard deviation, sub-pixel ones included: weights are the Gaussian's integrals over pixels. Borders go on outside. */
export function softenPlane(plane: Float32Array, width: number, height: number, sigmaPx: number): Float32Array {
  if (!(sigmaPx > 0)) return plane;
  const weights = gaussian(sigmaPx);
  return alongRows(alongRows(plane, width, height, 1, width, weights), height, width, width, 1, weights);
}

/** From the middle outwards; the middle and twice the others sum to 1. */
export function gaussian(sigmaPx: number): Float64Array {
  const reach = Math.max(1, Math.ceil(3 * sigmaPx));
  const upTo = (x: number) => 0.5 * (1 + errorFunction(x / (sigmaPx * Math.SQRT2)));
  const out = Float64Array.from({ length: reach + 1 }, (_, k) => upTo(k + 0.5) - upTo(k - 0.5));
  let sum = 0;
  out.forEach((w, k) => (sum += k === 0 ? w : 2 * w));
  return out.map((w) => w / sum);
}

/** Abramowitz and Stegun 7.1.26, to 1.5e-7. */
function errorFunction(x: number): number {
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const y = 1 - ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t * Math.exp(-x * x);
  return x < 0 ? -y : y;
}

function alongRows(src: Float32Array, length: number, lines: number, step: number, lineStep: number, weights: Float64Array): Float32Array {
  const out = new Float32Array(src.length),
    reach = weights.length - 1;
  for (let line = 0; line < lines; line++) {
    const start = line * lineStep;
    for (let i = 0; i < length; i++) {
      let sum = weights[0] * src[start + i * step];
      for (let k = 1; k <= reach; k++)
        sum += weights[k] * (src[start + Math.max(0, i - k) * step] + src[start + Math.min(length - 1, i + k) * step]);
      out[start + i * step] = sum;
    }
  }
  return out;
}

/**
 * Premultiplied RGBA under another matte edge. Colour follows its alpha; where the matte grows, the straight colour of the nearest covered
 * pixels goes on. The same array when nothing is to be done.
 */
export function withMatteEdge(rgba: Float32Array, width: number, height: number, { trimPx, softenPx }: MatteEdge): Float32Array {
  if (trimPx === 0 && softenPx === 0) return rgba;
  const before = new Float32Array(width * height);
  for (let i = 0; i < before.length; i++) before[i] = rgba[i * 4 + 3];
  const after = softenPlane(trimPx === 0 ? before : trimMatte(before, width, height, trimPx), width, height, softenPx);
  const reach = Math.ceil(Math.max(0, -trimPx) + 3 * softenPx) + 1;
  const straight = extendedColours(rgba, before, width, reach);
  const out = new Float32Array(rgba.length);
  for (let i = 0; i < after.length; i++) {
    const a = after[i];
    // Light without coverage is nobody's edge.
    const isGlow = before[i] <= 0 && (rgba[i * 4] !== 0 || rgba[i * 4 + 1] !== 0 || rgba[i * 4 + 2] !== 0);
    for (let c = 0; c < 3; c++) out[i * 4 + c] = isGlow ? rgba[i * 4 + c] : straight[i * 3 + c] * a;
    out[i * 4 + 3] = a;
  }
  return out;
}

/** Nearly clear pixels tell little of their colour. */
const TELLS = 0.02;

/** Straight colours, carried on outwards over `reach` pixels by means of the neighbours that are known. */
function extendedColours(rgba: Float32Array, alpha: Float32Array, width: number, reach: number): Float32Array {
  const out = new Float32Array(alpha.length * 3);
  const known = new Uint8Array(alpha.length);
  let rim: number[] = [];
  for (let i = 0; i < alpha.length; i++) {
    if (!(alpha[i] > TELLS)) continue;
    known[i] = 1;
    for (let c = 0; c < 3; c++) out[i * 3 + c] = rgba[i * 4 + c] / alpha[i];
  }
  const around = (i: number): number[] => {
    const x = i % width,
      found: number[] = [];
    if (x > 0) found.push(i - 1);
    if (x < width - 1) found.push(i + 1);
    if (i >= width) found.push(i - width);
    if (i + width < alpha.length) found.push(i + width);
    return found;
  };
  for (let i = 0; i < alpha.length; i++) if (known[i] === 1 && around(i).some((n) => known[n] === 0)) rim.push(i);
  for (let step = 0; step < reach && rim.length > 0; step++) {
    const next = new Set<number>();
    for (const i of rim) for (const n of around(i)) if (known[n] === 0) next.add(n);
    for (const i of next) {
      const from = around(i).filter((n) => known[n] === 1);
      for (let c = 0; c < 3; c++) out[i * 3 + c] = from.reduce((sum, n) => sum + out[n * 3 + c], 0) / from.length;
    }
    for (const i of next) known[i] = 1;
    rim = [...next];
  }
  // What was too clear to tell and is not reached keeps its own.
  for (let i = 0; i < alpha.length; i++)
    if (known[i] === 0 && alpha[i] > 0) for (let c = 0; c < 3; c++) out[i * 3 + c] = rgba[i * 4 + c] / alpha[i];
  return out;
}

/** Keeps of premultiplied RGBA what the matte covers; in place. */
export function applyMatte(rgba: Float32Array, matte: Float32Array, invert: boolean): void {
  for (let i = 0; i < matte.length; i++) {
    const m = Math.min(1, Math.max(0, matte[i])) || 0,
      keep = invert ? 1 - m : m;
    for (let c = 0; c < 4; c++) rgba[i * 4 + c] *= keep;
  }
}
