import type { MotionField } from '../../raster/motion-field';
import type { BlurFramePasses } from '../model/blur-input';
import { joinIslands } from './islands';
import { renumber, type Pieces } from './pieces';
import { jumpOf, vectorsAgree } from './vectors-agree';

/** Which surface each pixel belongs to: a number from 0 on, or -1 where the picture is empty. */
export interface Surfaces {
  readonly of: Int32Array;
  readonly count: number;
  /** By surface: its object's id; 0 when it has none. */
  readonly idOf: Float64Array;
  readonly from: 'ids' | 'depth and motion' | 'motion' | 'one layer';
}

/** More surfaces than this are joined to a neighbour, smallest first. */
const MAX_SURFACES = 600;
/** Smaller ones are joined to what they touch of the same object: their vectors would tell no path. */
const MIN_SURFACE_PX = 8;

/**
 * Surfaces of a frame: neighbouring pixels of the same object are one when their depth (3 %) and motion (1 px and 15 % of the speed, both ways, and no jump)
 * agree; islands are joined when one's motion carried on leads to the other's. Pixels with coverage that the data passes do not know (soft edges
 * next to nothing) take the surface beside them: an edge next to nothing belongs wholly to the object.
 */
export function surfacesOf(passes: BlurFramePasses, trusted: Uint8Array): Surfaces {
  const { motion, ids, depth } = passes;
  const pieces = connectedPieces(passes, trusted);
  mergeSmall(pieces, motion);
  const joined = joinIslands(pieces, passes);
  const rest = completeEdges(joined, passes, trusted);
  const idOf = new Float64Array(joined.count + rest);
  idOf.set(joined.idOf.subarray(0, joined.count));
  const count = joined.count + rest;
  return {
    of: joined.of,
    count,
    idOf,
    from: ids !== null ? 'ids' : count <= 1 ? 'one layer' : depth === null ? 'motion' : 'depth and motion',
  };
}

export function connectedPieces({ motion, depth, rgba, ids }: BlurFramePasses, trusted: Uint8Array): Pieces {
  const { width, height } = motion;
  const of = new Int32Array(width * height).fill(-1);
  // Labels in the order in which they are met; a label that turned out to be another's piece leads on to it.
  const leadsTo: number[] = [];
  const find = (label: number): number => {
    while (leadsTo[label] !== label) label = leadsTo[label] = leadsTo[leadsTo[label]];
    return label;
  };
  const jumpPx = jumpOf(motion, trusted);
  const agree = (a: number, b: number): boolean => (ids === null || ids[a] === ids[b]) && vectorsAgree(motion, depth, jumpPx, a, b);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (!(rgba[i * 4 + 3] > 0) || trusted[i] !== 1) continue;
      const left = x > 0 ? of[i - 1] : -1,
        above = y > 0 ? of[i - width] : -1;
      if (left >= 0 && agree(i - 1, i)) of[i] = left;
      if (above >= 0 && above !== of[i] && agree(i - width, i)) {
        if (of[i] < 0) of[i] = above;
        else {
          const a = find(above),
            b = find(of[i]);
          leadsTo[Math.max(a, b)] = Math.min(a, b);
        }
      }
      if (of[i] < 0) of[i] = leadsTo.push(leadsTo.length) - 1;
    }
  }
  const number = new Int32Array(leadsTo.length).fill(-1),
    sizes: number[] = [],
    idOf: number[] = [];
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0) continue;
    const root = find(of[i]);
    if (number[root] < 0) {
      number[root] = sizes.push(0) - 1;
      idOf.push(ids === null || Number.isNaN(ids[i]) ? 0 : ids[i]);
    }
    of[i] = number[root];
    sizes[of[i]]++;
  }
  return { of, count: sizes.length, sizes: Int32Array.from(sizes), idOf: Float64Array.from(idOf) };
}

/** Pieces under MIN_SURFACE_PX, and the smallest beyond MAX_SURFACES, go to the piece that they touch most: one of the same object first. */
function mergeSmall(pieces: Pieces, motion: MotionField): void {
  const { of, sizes, idOf } = pieces,
    { width, height } = motion;
  const bySize = [...sizes.keys()].sort((a, b) => sizes[b] - sizes[a] || a - b);
  const kept = new Uint8Array(pieces.count);
  bySize.slice(0, MAX_SURFACES).forEach((piece, rank) => {
    if (rank === 0 || sizes[piece] >= MIN_SURFACE_PX) kept[piece] = 1;
  });
  if (kept.every((k) => k === 1)) return;
  const mean = meanVectors(pieces, motion);
  const touches = new Map<number, Map<number, number>>();
  const touch = (small: number, by: number) => {
    const list = touches.get(small) ?? new Map<number, number>();
    touches.set(small, list);
    // Any contact with the same object outweighs all others.
    list.set(by, (list.get(by) ?? 0) + (idOf[small] === idOf[by] ? 1000 : 1));
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        a = of[i];
      if (a < 0) continue;
      for (const j of [x + 1 < width ? i + 1 : -1, y + 1 < height ? i + width : -1]) {
        const b = j < 0 ? -1 : of[j];
        if (b < 0 || b === a) continue;
        if (kept[a] === 0) touch(a, b);
        if (kept[b] === 0) touch(b, a);
      }
    }
  }
  const target = Int32Array.from(sizes, (_, piece) => (kept[piece] === 1 ? piece : -1));
  let lone = 0;
  // From the largest on, so that crumbs may join crumbs that have found their place. Lone crumbs stay pieces of their own.
  for (const piece of bySize) {
    if (target[piece] >= 0) continue;
    const best = [...(touches.get(piece) ?? [])].filter(([by]) => target[by] >= 0).sort((a, b) => b[1] - a[1])[0];
    const joins = best !== undefined && (lone >= MAX_LONE || alike(mean, piece, best[0]));
    if (!joins) lone++;
    target[piece] = joins ? target[best[0]] : piece;
  }
  renumber(pieces, target);
}

/** Crumbs that go their own way may stay alone, as drops and sparks do; beyond this many they are taken for noise. */
const MAX_LONE = 600;
const ALIKE_PX = 3,
  ALIKE_SHARE = 0.3;

function meanVectors({ of, sizes, count }: Pieces, { toNext }: MotionField): Float64Array {
  const mean = new Float64Array(count * 2);
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0) continue;
    mean[of[i] * 2] += toNext[i * 2] / sizes[of[i]];
    mean[of[i] * 2 + 1] += toNext[i * 2 + 1] / sizes[of[i]];
  }
  return mean;
}

function alike(mean: Float64Array, a: number, b: number): boolean {
  const limit = ALIKE_PX + ALIKE_SHARE * Math.hypot(mean[b * 2], mean[b * 2 + 1]);
  return Math.hypot(mean[a * 2] - mean[b * 2], mean[a * 2 + 1] - mean[b * 2 + 1]) <= limit;
}

/** Grazed pixels join the surface beside them; what else has no surface is one more ("everything else"). Returns how many were added. */
function completeEdges({ of, count, idOf }: Pieces, passes: BlurFramePasses, trusted: Uint8Array): 0 | 1 {
  const { rgba } = passes;
  adoptEdges(of, idOf, passes, trusted);
  let rest: 0 | 1 = 0;
  for (let i = 0; i < of.length; i++) {
    if (of[i] >= 0 || rgba[i * 4 + 3] <= 0) continue;
    of[i] = count;
    rest = 1;
  }
  return rest;
}

const EDGE_RINGS = 3;

/** Untrusted, unlabelled pixels with coverage take a neighbour's surface, a few rings deep. */
function adoptEdges(of: Int32Array, idOf: Float64Array, { rgba, ids, motion }: BlurFramePasses, trusted: Uint8Array): void {
  const { width, height } = motion;
  for (let ring = 0; ring < EDGE_RINGS; ring++) {
    const adopted: [number, number][] = [];
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = y * width + x;
        if (of[i] >= 0 || trusted[i] === 1 || rgba[i * 4 + 3] <= 0) continue;
        const surface = neighbourSurface(of, x, y, width, height, idOf, ids === null ? 0 : ids[i]);
        if (surface >= 0) adopted.push([i, surface]);
      }
    }
    if (adopted.length === 0) return;
    for (const [i, surface] of adopted) of[i] = surface;
  }
}

const AROUND = [
  [-1, 0],
  [1, 0],
  [0, -1],
  [0, 1],
  [-1, -1],
  [1, -1],
  [-1, 1],
  [1, 1],
] as const;

/** A surface beside a pixel; of its object, when it has one and that is there. */
function neighbourSurface(of: Int32Array, x: number, y: number, width: number, height: number, idOf: Float64Array, id: number): number {
  let any = -1;
  for (const [dx, dy] of AROUND) {
    const nx = x + dx,
      ny = y + dy;
    if (!(nx >= 0 && ny >= 0 && nx < width && ny < height && of[ny * width + nx] >= 0)) continue;
    const surface = of[ny * width + nx];
    if (id === 0 || idOf[surface] === id) return surface;
    if (any < 0) any = surface;
  }
  return any;
}
