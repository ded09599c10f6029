import { aboutMeans, fitPlane, withSlopes, type Plane, type PlaneSums } from '../../linear/plane-sums';
import type { BlurFramePasses } from '../model/blur-input';
import { renumber, type Pieces } from './pieces';

/** Places of a piece that are compared with another's motion carried on. */
const SAMPLES = 12;
/** Pieces beyond this many, by size, are only offered to the larger ones. */
const MAX_HOSTS = 48;
/** What carried-on motion may miss by: pixels, and a share of the speed. */
const MISS_PX = 0.75,
  MISS_SHARE = 0.1;
const MISS_DEPTH = 0.06;

interface PieceMotion {
  readonly places: readonly number[];
  /** Affine: a + b x + c y for next x, next y, previous x, previous y and 1/depth. */
  readonly fit: readonly (readonly [number, number, number])[];
}

/**
 * Islands of one surface that something in front cuts apart: pieces of the same object whose motion (and depth) carried on leads to each other's
 * are given one number, the larger one's.
 */
export function joinIslands(pieces: Pieces, passes: BlurFramePasses): Pieces {
  if (pieces.count < 2) return pieces;
  const bySize = [...pieces.sizes.keys()].sort((a, b) => pieces.sizes[b] - pieces.sizes[a] || a - b);
  // A piece that is the only one of its object has nowhere to go.
  const alike = new Map<number, number>();
  for (const id of pieces.idOf) alike.set(id, (alike.get(id) ?? 0) + 1);
  if (alike.size === pieces.count) return pieces;
  const motions = measurePieces(pieces, passes);
  const target = Int32Array.from(pieces.sizes, (_, piece) => piece);
  const hosts: number[] = [];
  for (const piece of bySize) {
    const host = hosts.find((h) => pieces.idOf[h] === pieces.idOf[piece] && leadsTo(motions[h], motions[piece], passes));
    if (host !== undefined) target[piece] = host;
    else if (hosts.length < MAX_HOSTS) hosts.push(piece);
  }
  renumber(pieces, target);
  return pieces;
}

function measurePieces(pieces: Pieces, { motion, depth }: BlurFramePasses): PieceMotion[] {
  const { width } = motion;
  const values = depth === null ? 4 : 5;
  // Normal equations of value = a + b x + c y, and a few places of each piece.
  const sums = new Float64Array(pieces.count * 6),
    right = new Float64Array(pieces.count * values * 3),
    places = Array.from(pieces.sizes, (): number[] => []),
    met = new Int32Array(pieces.count);
  for (let i = 0; i < pieces.of.length; i++) {
    const piece = pieces.of[i];
    if (piece < 0) continue;
    if (met[piece]++ % Math.max(1, Math.floor(pieces.sizes[piece] / SAMPLES)) === 0) places[piece].push(i);
    const x = i % width,
      y = Math.floor(i / width),
      s = piece * 6;
    sums[s]++;
    sums[s + 1] += x;
    sums[s + 2] += y;
    sums[s + 3] += x * x;
    sums[s + 4] += x * y;
    sums[s + 5] += y * y;
    for (let v = 0; v < values; v++) {
      const value = valueAt(v, i, motion.toNext, motion.toPrevious, depth),
        r = (piece * values + v) * 3;
      right[r] += value;
      right[r + 1] += x * value;
      right[r + 2] += y * value;
    }
  }
  return places.map((list, piece) => ({
    places: list,
    fit: Array.from({ length: values }, (_, v) =>
      solvePlane(sums.subarray(piece * 6, piece * 6 + 6), right.subarray((piece * values + v) * 3, (piece * values + v) * 3 + 3)),
    ),
  }));
}

function valueAt(v: number, i: number, next: Float32Array, previous: Float32Array, depth: Float32Array | null): number {
  if (v === 4) return depth === null ? 0 : 1 / depth[i];
  return v < 2 ? next[i * 2 + v] : previous[i * 2 + v - 2];
}

/** Central form, so that a thin piece gives a level plane instead of a steep one. */
function solvePlane([n, x, y, xx, xy, yy]: Float64Array, [d, xd, yd]: Float64Array): Plane {
  const sums: PlaneSums = { n, x, y, xx, xy, yy, d, xd, yd };
  const spread = aboutMeans(sums);
  const isThin = n < 12 || spread.xx * spread.yy - spread.xy * spread.xy < 4 * n * n;
  return (isThin ? null : fitPlane(sums)) ?? withSlopes(sums, 0, 0);
}

function leadsTo(host: PieceMotion, guest: PieceMotion, { motion, depth }: BlurFramePasses): boolean {
  let misses = 0;
  for (const i of guest.places) {
    const x = i % motion.width,
      y = Math.floor(i / motion.width);
    const at = (v: number) => host.fit[v][0] + host.fit[v][1] * x + host.fit[v][2] * y;
    const fits = [0, 1].every((way) => {
      const field = way === 0 ? motion.toNext : motion.toPrevious,
        vx = field[i * 2],
        vy = field[i * 2 + 1];
      return Math.hypot(at(way * 2) - vx, at(way * 2 + 1) - vy) <= MISS_PX + MISS_SHARE * Math.hypot(vx, vy);
    });
    if (!fits || (depth !== null && depth[i] < Infinity && Math.abs(at(4) * depth[i] - 1) > MISS_DEPTH)) misses++;
  }
  return misses * 4 <= guest.places.length;
}
