import type { MotionField } from '../../raster/motion-field';

/** Vectors that differ by less are the same motion: pixels, and a share of the speed. */
const SAME_PX = 0.75,
  SAME_SHARE = 0.06,
  /** Of the eight pixels around one: fewer of its own motion make it an outlier, at least as many make another one a motion. */
  LONE = 3,
  SETTLED = 4,
  REACH_PX = 3;

/**
 * Edge-aware median: a vector that hardly any pixel around it shares lies between two motions or is a stray; it takes the nearest of the
 * settled motions around it. Smooth fields and clean edges stay as they are. Returns how many pixels changed.
 */
export function replaceOutliers(field: MotionField): number {
  const { toNext, toPrevious, valid, width, height } = field;
  const support = new Uint8Array(valid.length);
  const isSame = (i: number, j: number) => {
    const dx = toNext[i * 2] - toNext[j * 2],
      dy = toNext[i * 2 + 1] - toNext[j * 2 + 1];
    const near = SAME_PX + SAME_SHARE * Math.hypot(toNext[i * 2], toNext[i * 2 + 1]);
    return dx * dx + dy * dy < near * near;
  };
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (valid[i] === 0) continue;
      let count = 0,
        around = 0;
      for (let oy = -1; oy <= 1; oy++) {
        for (let ox = -1; ox <= 1; ox++) {
          if ((ox === 0 && oy === 0) || x + ox < 0 || y + oy < 0 || x + ox >= width || y + oy >= height) continue;
          const j = i + oy * width + ox;
          if (valid[j] === 0) continue;
          around++;
          if (isSame(i, j)) count++;
        }
      }
      // Thin things have few pixels around them: being alone counts only among many.
      support[i] = around < 5 ? 8 : count;
    }
  }
  const next = toNext.slice(),
    previous = toPrevious.slice();
  let changed = 0;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (valid[i] === 0 || support[i] >= LONE) continue;
      let best = -1,
        least = Infinity;
      for (let oy = -REACH_PX; oy <= REACH_PX; oy++) {
        for (let ox = -REACH_PX; ox <= REACH_PX; ox++) {
          if (x + ox < 0 || y + oy < 0 || x + ox >= width || y + oy >= height) continue;
          const j = i + oy * width + ox;
          if (valid[j] === 0 || support[j] < SETTLED) continue;
          // How far the motion is, then how far the pixel is.
          const far = Math.hypot(toNext[i * 2] - toNext[j * 2], toNext[i * 2 + 1] - toNext[j * 2 + 1]) + 0.2 * Math.hypot(ox, oy);
          if (far < least) {
            least = far;
            best = j;
          }
        }
      }
      if (best < 0) continue;
      for (const c of [0, 1]) {
        next[i * 2 + c] = toNext[best * 2 + c];
        previous[i * 2 + c] = toPrevious[best * 2 + c];
      }
      changed++;
    }
  }
  toNext.set(next);
  toPrevious.set(previous);
  return changed;
}
