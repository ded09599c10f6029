import type { BlurFramePasses } from './blur-input';

/** A vector misses what its surface says by more than this, in pixels and as a share of the speed, when it is a mean with what lies beside it. */
const MISS_PX = 0.5,
  MISS_SHARE = 0.06;

const DIRECTIONS = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
  [1, 1],
  [-1, 1],
  [1, -1],
  [-1, -1],
] as const;

/**
 * Takes the trust from pixels at an object's edge whose vectors are means of two motions, or of one and nothing: a pass that was filtered or scaled
 * as if it were a picture. Their own surface says otherwise: two and three pixels further in, where no edge is near, its vectors lead on to another
 * one. Needs ids, which are no means. In place.
 */
export function distrustMixedEdges({ ids, motion }: BlurFramePasses, trusted: Uint8Array): void {
  if (ids === null) return;
  const { width, height, toNext, toPrevious } = motion;
  const atEdge = edgesOf(ids, trusted, width, height);
  const mixed: number[] = [];
  for (let i = 0; i < trusted.length; i++) {
    if (atEdge[i] === 0 || trusted[i] === 0) continue;
    const x = i % width,
      y = (i - x) / width;
    let asked = 0,
      misses = 0;
    for (const [dx, dy] of DIRECTIONS) {
      const ex = x + 3 * dx,
        ey = y + 3 * dy;
      if (ex < 0 || ey < 0 || ex >= width || ey >= height) continue;
      const p = i + 2 * (dy * width + dx),
        q = p + dy * width + dx;
      if (ids[p] !== ids[i] || ids[q] !== ids[i] || trusted[p] === 0 || trusted[q] === 0 || atEdge[p] === 1 || atEdge[q] === 1) continue;
      asked++;
      if (missesLine(toNext, i, p, q) || missesLine(toPrevious, i, p, q)) misses++;
    }
    if (asked > 0 && misses === asked) mixed.push(i);
  }
  for (const i of mixed) trusted[i] = 0;
}

/** Whether the vector at i is far from the straight line through those at p and q, two and three steps away. */
function missesLine(v: Float32Array, i: number, p: number, q: number): boolean {
  const ex = 3 * v[p * 2] - 2 * v[q * 2],
    ey = 3 * v[p * 2 + 1] - 2 * v[q * 2 + 1],
    limit = MISS_PX + MISS_SHARE * Math.max(Math.abs(ex), Math.abs(ey));
  const dx = v[i * 2] - ex,
    dy = v[i * 2 + 1] - ey;
  return dx * dx + dy * dy > limit * limit;
}

/** 1 where another object, or nothing, lies within the 3 x 3 neighbourhood. */
function edgesOf(ids: ArrayLike<number>, trusted: Uint8Array, width: number, height: number): Uint8Array {
  const out = new Uint8Array(trusted.length);
  const meet = (a: number, b: number) => {
    if (ids[a] === ids[b] && trusted[a] === trusted[b]) return;
    out[a] = out[b] = 1;
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (x + 1 < width) meet(i, i + 1);
      if (y + 1 === height) continue;
      meet(i, i + width);
      if (x + 1 < width) meet(i, i + width + 1);
      if (x > 0) meet(i, i + width - 1);
    }
  }
  return out;
}
