import type { Box } from '@ivrex/kernels/interface';
import type { BlurInput } from '../model/blur-input';
import type { Surfaces } from './surfaces';

export interface SurfaceBounds {
  readonly box: Box;
  /** Its longest vector, pixels per frame. */
  readonly longestPx: number;
}

/** By surface; undefined when no pixel shows it. */
export function boundsOf({ width, motion }: Pick<BlurInput, 'width' | 'motion'>, { of, count }: Surfaces): (SurfaceBounds | undefined)[] {
  const xMin = new Int32Array(count).fill(0x7fffffff),
    xMax = new Int32Array(count).fill(-1),
    yMin = new Int32Array(count).fill(-1),
    yMax = new Int32Array(count),
    longest = new Float64Array(count);
  const { toNext, toPrevious } = motion;
  for (let i = 0, x = 0, y = 0; i < of.length; i++, x++) {
    if (x === width) {
      x = 0;
      y++;
    }
    const s = of[i];
    if (s < 0) continue;
    if (x < xMin[s]) xMin[s] = x;
    if (x > xMax[s]) xMax[s] = x;
    if (yMin[s] < 0) yMin[s] = y;
    yMax[s] = y;
    const speed = Math.max(toNext[i * 2] ** 2 + toNext[i * 2 + 1] ** 2, toPrevious[i * 2] ** 2 + toPrevious[i * 2 + 1] ** 2);
    if (speed > longest[s]) longest[s] = speed;
  }
  return Array.from({ length: count }, (_, s) =>
    xMax[s] < 0
      ? undefined
      : {
          box: { x0: xMin[s], y0: yMin[s], width: xMax[s] - xMin[s] + 1, height: yMax[s] - yMin[s] + 1 },
          longestPx: Math.sqrt(longest[s]),
        },
  );
}
