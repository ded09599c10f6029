/** Deterministic noise: the demo is the same picture on every machine. */

/** 0..1 from three integers (Jarzynski and Olano 2020, pcg3d, first lane). */
export function hash(x: number, y: number, z: number): number {
  let a = (Math.imul(x, 1664525) + 1013904223) | 0,
    b = (Math.imul(y, 1664525) + 1013904223) | 0,
    c = (Math.imul(z, 1664525) + 1013904223) | 0;
  a = (a + Math.imul(b, c)) | 0;
  b = (b + Math.imul(c, a)) | 0;
  c = (c + Math.imul(a, b)) | 0;
  a ^= a >>> 16;
  b ^= b >>> 16;
  c ^= c >>> 16;
  a = (a + Math.imul(b, c)) | 0;
  return (a >>> 0) / 4294967296;
}

/** By seed, the corners of the cell that was asked for last: neighbouring texels mostly share it, and painting is mostly noise. */
const SEEDS = 4096,
  cellX = new Float64Array(SEEDS).fill(NaN),
  cellY = new Float64Array(SEEDS),
  cellSeed = new Float64Array(SEEDS),
  corners = new Float64Array(SEEDS * 4);

/** Smooth noise, 0..1, one cell a unit. */
export function valueNoise(x: number, y: number, seed: number): number {
  const ix = Math.floor(x),
    iy = Math.floor(y),
    u = smooth(x - ix),
    v = smooth(y - iy);
  const slot = seed & (SEEDS - 1),
    at = slot * 4;
  if (cellX[slot] !== ix || cellY[slot] !== iy || cellSeed[slot] !== seed) {
    cellX[slot] = ix;
    cellY[slot] = iy;
    cellSeed[slot] = seed;
    corners[at] = hash(ix, iy, seed);
    corners[at + 1] = hash(ix + 1, iy, seed);
    corners[at + 2] = hash(ix, iy + 1, seed);
    corners[at + 3] = hash(ix + 1, iy + 1, seed);
  }
  const top = corners[at] * (1 - u) + corners[at + 1] * u;
  const bottom = corners[at + 2] * (1 - u) + corners[at + 3] * u;
  return top * (1 - v) + bottom * v;
}

export function fractalNoise(x: number, y: number, seed: number, octaves: number): number {
  let sum = 0,
    weight = 0.5,
    total = 0;
  for (let i = 0; i < octaves; i++, x *= 2.03, y *= 2.03, weight /= 2) {
    sum += weight * valueNoise(x, y, seed + i);
    total += weight;
  }
  return sum / total;
}

function smooth(t: number): number {
  return t * t * (3 - 2 * t);
}

export function step(from: number, to: number, value: number): number {
  const t = Math.min(1, Math.max(0, (value - from) / (to - from)));
  return smooth(t);
}
