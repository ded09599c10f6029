import type { MotionField } from '../../raster/motion-field';
import type { BlurFramePasses } from '../model/blur-input';

/** Steps of following the way back, and how far it may miss the pixel in the end. */
const STEPS = 4,
  MISS_PX = 0.5,
  MISS_SHARE = 0.04;

/** Depths further apart than by this share are not of one surface; of what ends at one pixel only what is as near to its depth as the nearest, and this more. */
const SAME_DEPTH = 0.1,
  AS_NEAR = 0.01;
/** Two ways differ by as much as the longer one where something turns by 60 degrees a frame; beyond that, and so many pixels, it was hidden before, and another part of the object was there. */
const MOST_CHANGE = 1,
  CHANGE_PX = 1;
/** What was not found is carried on from beside it, so many pixels far. */
const CARRIED_PX = 12;

/**
 * The way to the frame before, where a pass has vectors to the next frame only: the frame before has the vectors that lead here. Each pixel's
 * is looked for from what lands at it (without that, from the way to the next frame) by following it back and correcting by where it leads (fixed-point
 * iteration), on the same object. Where it is not found it stays the way to the next frame, turned round. The field itself when it has both ways or there is
 * no frame before.
 */
export function completeMotion(now: Omit<BlurFramePasses, 'rgba'>, before: Omit<BlurFramePasses, 'rgba'> | null): MotionField {
  const { motion, ids } = now;
  if (motion.twoSided || before === null || before.motion.twoSided) return motion;
  const { width, height, toNext, valid } = motion,
    there = before.motion,
    landed = landings(now, before);
  const toPrevious = motion.toPrevious.slice();
  const isFound = new Uint8Array(width * height);
  let found = 0;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (valid[i] === 0) continue;
      const from = landed.weight[i] > LEAST_WEIGHT ? landed.sums : toNext,
        per = from === toNext ? 1 : landed.weight[i];
      let dx = from[i * 2] / per,
        dy = from[i * 2 + 1] / per,
        missed = Infinity;
      for (let step = 0; step < STEPS; step++) {
        const j = sourceAt(x - dx, y - dy, width, height);
        if (j < 0 || there.valid[j] === 0 || (ids !== null && before.ids !== null && before.ids[j] !== ids[i])) {
          missed = Infinity;
          break;
        }
        const [vx, vy] = vectorAt(there, before.ids, j, x - dx, y - dy);
        missed = Math.hypot(vx - dx, vy - dy);
        dx = vx;
        dy = vy;
      }
      if (missed > MISS_PX + MISS_SHARE * Math.hypot(dx, dy)) continue;
      const longer = Math.max(Math.hypot(dx, dy), Math.hypot(toNext[i * 2], toNext[i * 2 + 1]));
      if (Math.hypot(toNext[i * 2] - dx, toNext[i * 2 + 1] - dy) > CHANGE_PX + MOST_CHANGE * longer) continue;
      toPrevious[i * 2] = -dx;
      toPrevious[i * 2 + 1] = -dy;
      isFound[i] = 1;
      found++;
    }
  if (found === 0) return motion;
  carryOn(now, toPrevious, isFound);
  return { ...motion, toPrevious, twoSided: true };
}

/** Ways back that were not found, from those beside them on the same object: they differ by what the ways on differ by, turned round. */
function carryOn({ motion, ids }: Omit<BlurFramePasses, 'rgba'>, toPrevious: Float32Array, isFound: Uint8Array): void {
  const { width, height, toNext, valid } = motion;
  for (let pass = 1; pass <= CARRIED_PX; pass++) {
    const filled: number[] = [];
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        if (isFound[i] !== 0 || valid[i] === 0) continue;
        let count = 0,
          sx = 0,
          sy = 0;
        for (let yy = Math.max(0, y - 1); yy <= Math.min(height - 1, y + 1); yy++)
          for (let xx = Math.max(0, x - 1); xx <= Math.min(width - 1, x + 1); xx++) {
            const j = yy * width + xx;
            if (isFound[j] === 0 || (ids !== null && ids[j] !== ids[i])) continue;
            sx += toPrevious[j * 2] + toNext[j * 2];
            sy += toPrevious[j * 2 + 1] + toNext[j * 2 + 1];
            count++;
          }
        if (count === 0) continue;
        toPrevious[i * 2] = sx / count - toNext[i * 2];
        toPrevious[i * 2 + 1] = sy / count - toNext[i * 2 + 1];
        filled.push(i);
      }
    if (filled.length === 0) return;
    for (const i of filled) isFound[i] = 1;
  }
}

/** Less than this of a vector's weight says nothing. */
const LEAST_WEIGHT = 0.05;

/**
 * By pixel: the vectors of the frame before that lead to it, weighted by how near they end: where things turn far, and thin ones do, following the way to
 * the next frame back would miss them.
 */
function landings(now: Omit<BlurFramePasses, 'rgba'>, before: Omit<BlurFramePasses, 'rgba'>): { sums: Float32Array; weight: Float32Array } {
  const { width, height, toNext, valid } = before.motion,
    sums = new Float32Array(width * height * 2),
    weight = new Float32Array(width * height);
  /** How far two depths are apart, as a share; infinite for two objects. */
  const apart = (j: number, i: number): number => {
    if (now.ids !== null && before.ids !== null && before.ids[j] !== now.ids[i]) return Infinity;
    if (now.depth === null || before.depth === null || before.depth[j] === now.depth[i]) return 0;
    const share = Math.abs(before.depth[j] / now.depth[i] - 1);
    return share < SAME_DEPTH ? share : Infinity;
  };
  const nearest = new Float32Array(width * height).fill(Infinity);
  for (const isCounted of [false, true])
    for (let y = 0, j = 0; y < height; y++)
      for (let x = 0; x < width; x++, j++) {
        if (valid[j] === 0) continue;
        const tx = x + toNext[j * 2],
          ty = y + toNext[j * 2 + 1],
          x0 = Math.floor(tx),
          y0 = Math.floor(ty);
        for (let k = 0; k < 4; k++) {
          const px = x0 + (k & 1),
            py = y0 + (k >> 1);
          if (!(px >= 0 && py >= 0 && px < width && py < height)) continue;
          const i = py * width + px,
            share = apart(j, i);
          if (!isCounted) nearest[i] = Math.min(nearest[i], share);
          else if (share < Infinity && share <= nearest[i] + AS_NEAR) {
            const w = (1 - Math.abs(tx - px)) * (1 - Math.abs(ty - py));
            sums[i * 2] += w * toNext[j * 2];
            sums[i * 2 + 1] += w * toNext[j * 2 + 1];
            weight[i] += w;
          }
        }
      }
  return { sums, weight };
}

/** The nearest pixel; -1 outside the picture. */
function sourceAt(x: number, y: number, width: number, height: number): number {
  const px = Math.round(x),
    py = Math.round(y);
  return px < 0 || py < 0 || px >= width || py >= height ? -1 : py * width + px;
}

const vector: [number, number] = [0, 0];

/** Blended between pixels of the object of pixel `own`; the nearest one's where another object is beside. */
function vectorAt(
  { width, height, toNext, valid }: MotionField,
  ids: BlurFramePasses['ids'],
  own: number,
  x: number,
  y: number,
): [number, number] {
  const x0 = Math.min(width - 2, Math.max(0, Math.floor(x))),
    y0 = Math.min(height - 2, Math.max(0, Math.floor(y))),
    u = x - x0,
    v = y - y0;
  let sx = 0,
    sy = 0;
  for (let k = 0; k < 4; k++) {
    const j = (y0 + (k >> 1)) * width + x0 + (k & 1),
      w = ((k & 1) === 1 ? u : 1 - u) * (k >> 1 === 1 ? v : 1 - v);
    const from = valid[j] === 0 || (ids !== null && ids[j] !== ids[own]) ? own : j;
    sx += w * toNext[from * 2];
    sy += w * toNext[from * 2 + 1];
  }
  vector[0] = sx;
  vector[1] = sy;
  return vector;
}
