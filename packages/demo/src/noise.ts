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

/** Smooth noise, 0..1, one cell a unit. */
export function valueNoise(x: number, y: number, seed: number): number {
  const ix = Math.floor(x),
    iy = Math.floor(y),
    u = smooth(x - ix),
    v = smooth(y - iy);
  const top = hash(ix, iy, seed) * (1 - u) + hash(ix + 1, iy, seed) * u;
  const bottom = hash(ix, iy + 1, seed) * (1 - u) + hash(ix + 1, iy + 1, seed) * u;
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
