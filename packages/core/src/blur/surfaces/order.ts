import type { BlurInput } from '../model/blur-input';
import { coveredVotes, type Covering } from './covered-votes';
import { SurfaceVotes, type InFront } from './surface-votes';
import type { Surfaces } from './surfaces';

export interface SurfaceOrder {
  /** By surface: 0 is nearest. */
  readonly rank: Int32Array;
  readonly from: 'depth' | 'neighbours' | 'speed' | 'one layer';
}

/**
 * Which surface is in front of which: where two touch, the one that is nearer there; the others by their mean depth. Without depth what
 * covers what between this frame and its neighbours tells, and of the others the faster one is taken as the nearer.
 */
export function orderSurfaces(surfaces: Surfaces, input: Covering & Pick<BlurInput, 'depth'>, trusted: Uint8Array): SurfaceOrder {
  const { of, count } = surfaces,
    { depth, motion } = input;
  const sum = new Float64Array(count),
    pixels = new Float64Array(count);
  const value = (i: number) => (depth === null ? -Math.hypot(motion.toNext[i * 2], motion.toNext[i * 2 + 1]) : depth[i]);
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0 || trusted[i] === 0) continue;
    const v = value(i);
    if (!Number.isFinite(v)) continue;
    sum[of[i]] += v;
    pixels[of[i]]++;
  }
  const mean = Float64Array.from(sum, (total, s) => (pixels[s] === 0 ? Infinity : total / pixels[s]));
  const order = [...mean.keys()].sort((a, b) => mean[a] - mean[b] || a - b);
  const inFront =
    count <= 1 ? null : depth === null ? coveredVotes(surfaces, input, trusted) : contacts(surfaces, depth, trusted, motion.width);
  const sorted = inFront === null ? order : byContact(order, inFront);
  const rank = new Int32Array(count);
  sorted.forEach((surface, position) => {
    rank[surface] = position;
  });
  return { rank, from: count <= 1 ? 'one layer' : depth !== null ? 'depth' : inFront === null ? 'speed' : 'neighbours' };
}

/** A step in depth smaller than this share tells nothing about who is in front. */
const STEP_SHARE = 0.01;

/** Pixel pairs along the border of two surfaces where one is nearer. */
function contacts({ of, count }: Surfaces, depth: Float32Array, trusted: Uint8Array, width: number): InFront {
  const votes = new SurfaceVotes(count);
  const meet = (i: number, j: number): void => {
    if (of[i] < 0 || of[j] < 0 || trusted[i] === 0 || trusted[j] === 0) return;
    const step = depth[j] - depth[i];
    if (!(Math.abs(step) > STEP_SHARE * Math.min(Math.abs(depth[i]), Math.abs(depth[j])))) return;
    if (step > 0) votes.add(of[i], of[j]);
    else votes.add(of[j], of[i]);
  };
  for (let i = 0, x = 0; i < of.length; i++, x++) {
    if (x === width) x = 0;
    if (x + 1 < width && of[i + 1] !== of[i]) meet(i, i + 1);
    if (i + width < of.length && of[i + width] !== of[i]) meet(i, i + width);
  }
  return votes.inFront;
}

/**
 * Moves a surface ahead of those that it was seen in front of, to where the fewest places contradict; where they say nothing the mean depth stands. What is
 * overtaken though it was seen in front looks for its own place once more.
 */
function byContact(order: readonly number[], inFront: InFront): number[] {
  const out: number[] = [],
    overtaken = new Set<number>();
  const insert = (surface: number): number => {
    let at = out.length,
      agreed = 0,
      most = 0;
    for (let k = out.length - 1; k >= 0; k--) {
      agreed += inFront(surface, out[k]);
      if (agreed <= most) continue;
      most = agreed;
      at = k;
    }
    out.splice(at, 0, surface);
    return at;
  };
  for (const surface of order) {
    for (let k = insert(surface) + 1; k < out.length; k++) if (inFront(surface, out[k]) < 0) overtaken.add(out[k]);
  }
  for (const surface of overtaken) {
    out.splice(out.indexOf(surface), 1);
    insert(surface);
  }
  return out;
}
