import type { BlurInput } from '../model/blur-input';
import { SurfaceVotes, type InFront } from './surface-votes';
import type { Surfaces } from './surfaces';

/** What is looked at to tell what covers what. */
export type Covering = Pick<BlurInput, 'motion' | 'ids' | 'previous' | 'next'>;

/** A vector on and a vector back are of one point when they miss by no more than SAME, and of two when by more than OTHER: pixels, and a share of the longer one. */
const SAME_PX = 1,
  SAME_SHARE = 0.15,
  OTHER_PX = 2,
  OTHER_SHARE = 0.35;

/**
 * What covers what between frames tells who is in front, without any depth: a point whose vector leads to a place where another surface of this frame is
 * seen is behind that. Null where nothing covers anything, or no neighbouring frame has vectors both ways: mirrored ones miss
 * wherever the pace changes, and would outvote the others.
 */
export function coveredVotes({ of, count }: Surfaces, { motion, previous, next, ids }: Covering, trusted: Uint8Array): InFront | null {
  const { width, height } = motion,
    votes = new SurfaceVotes(count);
  for (const [frame, ahead, back] of [
    [next, motion.toNext, next?.motion.toPrevious],
    [previous, motion.toPrevious, previous?.motion.toNext],
  ] as const) {
    if (!frame?.motion.twoSided || back === undefined) continue;
    for (let i = 0, y = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        if (trusted[i] === 0 || of[i] < 0) continue;
        const vx = ahead[i * 2],
          vy = ahead[i * 2 + 1],
          qx = Math.round(x + vx),
          qy = Math.round(y + vy);
        if (!(qx >= 0 && qy >= 0 && qx < width && qy < height)) continue;
        const q = qy * width + qx,
          bx = back[q * 2],
          by = back[q * 2 + 1];
        if (frame.motion.valid[q] === 0 || !differ(vx, vy, bx, by, OTHER_PX, OTHER_SHARE)) continue;
        // What is seen there, here.
        const px = Math.round(qx + bx),
          py = Math.round(qy + by);
        if (!(px >= 0 && py >= 0 && px < width && py < height)) continue;
        const p = py * width + px;
        if (trusted[p] === 0 || of[p] < 0 || of[p] === of[i] || (ids !== null && frame.ids !== null && ids[p] !== frame.ids[q])) continue;
        if (differ(ahead[p * 2], ahead[p * 2 + 1], bx, by, SAME_PX, SAME_SHARE)) continue;
        votes.add(of[p], of[i]);
      }
  }
  return votes.isEmpty ? null : votes.inFront;
}

/** Whether a way there and a way back are not of one point. */
function differ(vx: number, vy: number, bx: number, by: number, px: number, share: number): boolean {
  return Math.hypot(vx + bx, vy + by) > px + share * Math.max(Math.hypot(vx, vy), Math.hypot(bx, by));
}
