import type { BlurFramePasses } from '../model/blur-input';

/** A vector misses what its surface says by more than this, in pixels and as a share of the speed, when it is a mean with what lies beside it. */
const MISS_PX = 0.5,
  MISS_SHARE = 0.06;

/** At edges of what goes faster than this a mean would be noticed; of those, this share must be means. */
const TELLING_PX = 4,
  LEAST_SHARE = 0.3;

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
  let telling = 0;
  const mixed: number[] = [],
    said: number[] = [];
  /** Whether the vector lies between one that the surface says and that of something beside it: drops under one id differ without being means. */
  const isMean = (i: number): boolean => {
    const x = i % width,
      y = (i - x) / width;
    for (const [dx, dy] of DIRECTIONS) {
      const step = dy * width + dx,
        room = Math.min(dx < 0 ? x : dx > 0 ? width - 1 - x : 3, dy < 0 ? y : dy > 0 ? height - 1 - y : 3);
      if (room < 1) continue;
      const beside = i + step;
      let ox = 0,
        oy = 0;
      if (trusted[beside] === 1 && ids[beside] !== 0) {
        if (ids[beside] === ids[i]) continue;
        // Further out the other's vectors are no means any more.
        let far = beside;
        for (let k = 2; k <= Math.min(3, room) && ids[i + k * step] === ids[beside] && trusted[i + k * step] === 1; k++) far = i + k * step;
        ox = toNext[far * 2];
        oy = toNext[far * 2 + 1];
      }
      for (let k = 0; k < said.length; k += 2) if (isBetween(toNext[i * 2], toNext[i * 2 + 1], said[k], said[k + 1], ox, oy)) return true;
    }
    return false;
  };
  for (let i = 0; i < trusted.length; i++) {
    if (atEdge[i] === 0 || trusted[i] === 0) continue;
    const x = i % width,
      y = (i - x) / width;
    let asked = 0,
      misses = 0;
    said.length = 0;
    for (const [dx, dy] of DIRECTIONS) {
      const ex = x + 3 * dx,
        ey = y + 3 * dy;
      if (ex < 0 || ey < 0 || ex >= width || ey >= height) continue;
      const p = i + 2 * (dy * width + dx),
        q = p + dy * width + dx;
      if (ids[p] !== ids[i] || ids[q] !== ids[i] || trusted[p] === 0 || trusted[q] === 0 || atEdge[p] === 1 || atEdge[q] === 1) continue;
      asked++;
      if (missesLine(toNext, i, p, q) || missesLine(toPrevious, i, p, q)) misses++;
      said.push(3 * toNext[p * 2] - 2 * toNext[q * 2], 3 * toNext[p * 2 + 1] - 2 * toNext[q * 2 + 1]);
    }
    if (asked === 0) continue;
    if (Math.hypot(said[0], said[1]) > TELLING_PX) telling++;
    if (misses === asked && isMean(i)) mixed.push(i);
  }
  // A filter spares no edge: a few odd ones are something else.
  if (mixed.length < LEAST_SHARE * telling) return;
  for (const i of mixed) trusted[i] = 0;
}

/** Whether v lies within a pixel and a tenth of the way on the way from a to b. */
function isBetween(vx: number, vy: number, ax: number, ay: number, bx: number, by: number): boolean {
  const dx = bx - ax,
    dy = by - ay,
    square = dx * dx + dy * dy;
  if (square === 0) return false;
  const t = ((vx - ax) * dx + (vy - ay) * dy) / square;
  const limit = 1 + 0.1 * Math.sqrt(square);
  return t > 0 && t < 1 && (vx - ax - t * dx) ** 2 + (vy - ay - t * dy) ** 2 <= limit * limit;
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
  for (let y = 0; y < height; y++) {
    const isLast = y + 1 === height;
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        id = ids[i],
        trust = trusted[i];
      if (x + 1 < width && (ids[i + 1] !== id || trusted[i + 1] !== trust)) out[i] = out[i + 1] = 1;
      if (isLast) continue;
      const below = i + width;
      if (ids[below] !== id || trusted[below] !== trust) out[i] = out[below] = 1;
      if (x + 1 < width && (ids[below + 1] !== id || trusted[below + 1] !== trust)) out[i] = out[below + 1] = 1;
      if (x > 0 && (ids[below - 1] !== id || trusted[below - 1] !== trust)) out[i] = out[below - 1] = 1;
    }
  }
  return out;
}
