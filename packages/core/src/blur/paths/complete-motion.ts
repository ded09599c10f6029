import type { MotionField } from '../../raster/motion-field';
import type { BlurFramePasses } from '../model/blur-input';

/** Steps of following the way back, and how far it may miss the pixel in the end. */
const STEPS = 4,
  MISS_PX = 0.5,
  MISS_SHARE = 0.04;

/**
 * Depths further apart than SAME_DEPTH, a share, are not of one surface. Something that moves may come nearer too: DEPTH_A_WIDTH more for each picture's width
 * that it goes.
 */
const SAME_DEPTH = 0.1,
  DEPTH_A_WIDTH = 2;
/**
 * Of what ends at one pixel the likest counts, and what is less like it by no more than AS_LIKE: 1 % of depth, or a vector that differs by half a pixel and a
 * tenth.
 */
const AS_LIKE = 0.01,
  LIKE_PX = 0.5,
  LIKE_SHARE = 0.1;
/** Two ways differ by as much as the longer one where something turns by 60 degrees a frame; beyond that, and so many pixels, it was hidden before, and another part of the object was there. */
const MOST_CHANGE = 1,
  CHANGE_PX = 1;
/** Where the way to the next frame, turned round, leads out of the picture, a way back may differ from it by no more than this share. */
const ENTERING_CHANGE = 0.5;
/** Vectors that differ by more are not of one surface, in pixels and as a share. */
const ALIKE_PX = 1,
  ALIKE_SHARE = 0.3;
/** A surface changes its pace evenly: of the pixels as near as AGREED_PX most have to change it alike, within AGREES. */
const AGREED_PX = 2,
  AGREES_PX = 0.5,
  AGREES_SHARE = 0.15;
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
      const longer = Math.max(Math.hypot(dx, dy), Math.hypot(toNext[i * 2], toNext[i * 2 + 1])),
        isEntering = sourceAt(x - toNext[i * 2], y - toNext[i * 2 + 1], width, height) < 0;
      if (Math.hypot(toNext[i * 2] - dx, toNext[i * 2 + 1] - dy) > CHANGE_PX + (isEntering ? ENTERING_CHANGE : MOST_CHANGE) * longer)
        continue;
      toPrevious[i * 2] = -dx;
      toPrevious[i * 2 + 1] = -dy;
      isFound[i] = 1;
      found++;
    }
  if (found === 0) return motion;
  dropOutvoted(now, toPrevious, isFound);
  carryOn(now, toPrevious, isFound);
  return { ...motion, toPrevious, twoSided: true };
}

/** Whether two pixels move as those of one surface do, and belong to one object. */
function areAlike({ motion: { toNext }, ids }: Omit<BlurFramePasses, 'rgba'>, i: number, j: number): boolean {
  if (ids !== null && ids[j] !== ids[i]) return false;
  const vx = toNext[i * 2],
    vy = toNext[i * 2 + 1];
  return Math.hypot(toNext[j * 2] - vx, toNext[j * 2 + 1] - vy) <= ALIKE_PX + ALIKE_SHARE * Math.hypot(vx, vy);
}

/** Where most of the surface around changes its pace otherwise, something else was found: it counts as not found. */
function dropOutvoted(now: Omit<BlurFramePasses, 'rgba'>, toPrevious: Float32Array, isFound: Uint8Array): void {
  const { motion } = now,
    { width, height, toNext } = motion,
    dropped: number[] = [];
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      if (isFound[i] === 0) continue;
      const cx = toPrevious[i * 2] + toNext[i * 2],
        cy = toPrevious[i * 2 + 1] + toNext[i * 2 + 1],
        limit = AGREES_PX + AGREES_SHARE * Math.hypot(toNext[i * 2], toNext[i * 2 + 1]);
      let votes = 0;
      for (let yy = Math.max(0, y - AGREED_PX); yy <= Math.min(height - 1, y + AGREED_PX); yy++)
        for (let xx = Math.max(0, x - AGREED_PX); xx <= Math.min(width - 1, x + AGREED_PX); xx++) {
          const j = yy * width + xx;
          if (isFound[j] === 0 || !areAlike(now, i, j)) continue;
          votes += Math.hypot(toPrevious[j * 2] + toNext[j * 2] - cx, toPrevious[j * 2 + 1] + toNext[j * 2 + 1] - cy) <= limit ? 1 : -1;
        }
      if (votes < 0) dropped.push(i);
    }
  for (const i of dropped) {
    isFound[i] = 0;
    toPrevious[i * 2] = motion.toPrevious[i * 2];
    toPrevious[i * 2 + 1] = motion.toPrevious[i * 2 + 1];
  }
}

/** Ways back that were not found, from those beside them on the same surface: they differ by what the ways on differ by, turned round. */
function carryOn(now: Omit<BlurFramePasses, 'rgba'>, toPrevious: Float32Array, isFound: Uint8Array): void {
  const { width, height, toNext, valid } = now.motion,
    sum = [0, 0];
  for (let pass = 1; pass <= CARRIED_PX; pass++) {
    const filled: number[] = [];
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++) {
        if (isFound[i] !== 0 || valid[i] === 0) continue;
        let count = 0;
        sum.fill(0);
        for (let yy = Math.max(0, y - 1); yy <= Math.min(height - 1, y + 1); yy++)
          for (let xx = Math.max(0, x - 1); xx <= Math.min(width - 1, x + 1); xx++) {
            const j = yy * width + xx;
            if (isFound[j] === 0 || !areAlike(now, i, j)) continue;
            // Right beside what was found it goes on as it did from the pixel before that one, which is there wherever the surface is 3 px wide.
            const k = pass === 1 ? sourceAt(2 * xx - x, 2 * yy - y, width, height) : -1,
              isSteady = k < 0 || isFound[k] === 0 || !areAlike(now, j, k);
            for (let c = 0; c < 2; c++) {
              const change = toPrevious[j * 2 + c] + toNext[j * 2 + c];
              sum[c] += isSteady ? change : 2 * change - toPrevious[k * 2 + c] - toNext[k * 2 + c];
            }
            count++;
          }
        if (count === 0) continue;
        for (let c = 0; c < 2; c++) toPrevious[i * 2 + c] = sum[c] / count - toNext[i * 2 + c];
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
  /** By depth, as a share, and by vector; infinite for two objects. */
  const unlike = (j: number, i: number): number => {
    if (now.ids !== null && before.ids !== null && before.ids[j] !== now.ids[i]) return Infinity;
    const vx = now.motion.toNext[i * 2],
      vy = now.motion.toNext[i * 2 + 1];
    const changed = Math.hypot(toNext[j * 2] - vx, toNext[j * 2 + 1] - vy) / (LIKE_PX + LIKE_SHARE * Math.hypot(vx, vy));
    if (now.depth === null || before.depth === null || before.depth[j] === now.depth[i]) return AS_LIKE * changed;
    const share = Math.abs(before.depth[j] / now.depth[i] - 1),
      most = SAME_DEPTH + (DEPTH_A_WIDTH * Math.hypot(toNext[j * 2], toNext[j * 2 + 1])) / width;
    return share < most ? share + AS_LIKE * changed : Infinity;
  };
  const likest = new Float32Array(width * height).fill(Infinity);
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
            by = unlike(j, i);
          if (!isCounted) likest[i] = Math.min(likest[i], by);
          else if (by < Infinity && by <= likest[i] + AS_LIKE) {
            const w = (1 - Math.abs(tx - px)) * (1 - Math.abs(ty - py));
            sums[i * 2] += w * toNext[j * 2];
            sums[i * 2 + 1] += w * toNext[j * 2 + 1];
            weight[i] += w;
          }
        }
      }
  return { sums, weight };
}

/** The nearest pixel to a place; -1 outside the picture. */
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
