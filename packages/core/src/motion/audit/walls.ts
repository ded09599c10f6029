import type { SampleType } from '../../raster/image';

/** So many pixels at one extreme value are a wall; fewer may just be the fastest ones. */
const WALL = 24,
  WALL_SHARE = 0.002,
  /** A smooth maximum holds as many pixels in its last step as in the one before, a ridge 2.4 times as many. */
  PILED_UP = 3,
  /** Along its rim a wall is reached by a slope; a thing of its own that moves evenly has only its outline. */
  REACHED_BY_SLOPE = 0.03,
  ALIKE_SHARE = 0.05,
  /** A wall is an area: the last row of a floor that rushes by shares its value too. */
  INSIDE_SHARE = 0.15;

/** Smallest step between neighbouring values that a type can hold around 1. */
export const STEP_AT_ONE: Record<SampleType, number> = { u8: 1 / 255, u16: 1 / 65535, half: 2 ** -11, float: 2 ** -24, uint: 1 };

export interface WallQuestion {
  readonly data: Float32Array;
  readonly width: number;
  readonly type: SampleType;
  /** Distance between the extremes. */
  readonly range: number;
  /** Values that stand still or say that there is no vector. */
  readonly isStill: (value: number) => boolean;
}

/**
 * How many pixels are stuck at an extreme value because the range ended there; 0 when they belong there: standing still, the top of a
 * smooth hill in coarse steps, or a thing that moves evenly.
 */
export function countStuck(wall: number, { data, width, type, range, isStill }: WallQuestion): number {
  if (isStill(wall)) return 0;
  const step = STEP_AT_ONE[type] * (type === 'half' || type === 'float' ? Math.abs(wall) : 1),
    // Floats lie between one and two of these apart.
    beside = (type === 'half' || type === 'float' ? 2.2 : 1.5) * step,
    alike = ALIKE_SHARE * range + 2 * step;
  let at = 0,
    rim = 0,
    reached = 0,
    inside = 0;
  for (let i = 0; i < data.length; i++) {
    if (data[i] !== wall) continue;
    at++;
    const x = i % width;
    let alone = 0;
    for (let side = 0; side < 4; side++) {
      if ((side === 0 && x === 0) || (side === 1 && x === width - 1)) continue;
      const w = data[side === 0 ? i - 1 : side === 1 ? i + 1 : side === 2 ? i - width : i + width];
      if (w === undefined || w === wall) continue;
      alone++;
      if (Math.abs(w - wall) <= alike && !isStill(w)) reached++;
    }
    rim += alone;
    if (alone === 0) inside++;
  }
  if (at < WALL) return 0;
  const end = isEnd(wall, type);
  if (!end && !(inside > INSIDE_SHARE * at && reached > REACHED_BY_SLOPE * rim)) return 0;
  let next = 0,
    moving = at;
  for (const v of data) {
    if (v === wall) continue;
    if (Math.abs(v - wall) <= beside) next++;
    if (!isStill(v)) moving++;
  }
  if (at <= WALL_SHARE * moving) return 0;
  // Nothing lands on the end of a type by itself.
  return end || at > PILED_UP * next ? at : 0;
}

/** The first and the last code of whole numbers. */
export function isEnd(value: number, type: SampleType): boolean {
  return (type === 'u8' || type === 'u16') && (value === 0 || value === 1);
}
