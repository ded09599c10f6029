import { measureStreak, type StreakMeasure } from './streak';
import type { Place, PlateLight } from './streak-line';

const CELL_PX = 16,
  /** Times what a cell's values usually scatter. */
  STANDS_OUT = 8,
  LEAST_PIXELS = 12,
  MOST_LENGTH_PX = 90,
  /** Longer than wide by this. */
  ELONGATED = 2.2,
  MOST_TRIED = 12,
  /** Share of the angle that its error may be. */
  SURE = 0.1;

/** Small bright streaks of the whole picture, found and measured; those that can't be measured, or that stand alone with their angle, are left out. */
export function findStreaks(plate: PlateLight): StreakMeasure[] {
  const measured: StreakMeasure[] = [];
  for (const { from, to } of candidates(plate).slice(0, MOST_TRIED)) {
    const streak = measureStreak(plate, from, to);
    if (!('refused' in streak) && streak.notes.length === 0 && streak.angleErrorDeg < SURE * streak.angleDeg && streak.likeness > 0.75)
      measured.push(streak);
  }
  return agreeing(measured);
}

/** The largest set within each other's errors: a lamp that stands still, or two things taken for one, disagree with the rest. */
function agreeing(streaks: readonly StreakMeasure[]): StreakMeasure[] {
  let best: StreakMeasure[] = [];
  for (const seed of streaks) {
    const near = streaks.filter(
      (s) => Math.abs(s.angleDeg - seed.angleDeg) < 3 * Math.hypot(s.angleErrorDeg, seed.angleErrorDeg) + 0.05 * seed.angleDeg,
    );
    if (near.length > best.length) best = near;
  }
  return best;
}

interface Candidate {
  readonly from: Place;
  readonly to: Place;
  /** Brightness a pixel. */
  readonly stands: number;
}

/** Connected pixels that stand out from their surroundings and are longer than wide, those first that stand out most. */
function candidates({ now, width, height }: PlateLight): Candidate[] {
  const stands = standingOut(now, width, height);
  const out: Candidate[] = [],
    stack: number[] = [];
  for (let seed = 0; seed < stands.length; seed++) {
    if (stands[seed] === 0) continue;
    const pixels: number[] = [];
    stack.push(seed);
    stands[seed] = 0;
    for (let i = stack.pop(); i !== undefined; i = stack.pop()) {
      pixels.push(i);
      const x = i % width;
      for (const [by, ok] of [
        [-1, x > 0],
        [1, x < width - 1],
        [-width, true],
        [width, true],
        [-width - 1, x > 0],
        [-width + 1, x < width - 1],
        [width - 1, x > 0],
        [width + 1, x < width - 1],
      ] as const) {
        const j = i + by;
        if (ok && j >= 0 && j < stands.length && stands[j] === 1) {
          stands[j] = 0;
          stack.push(j);
        }
      }
    }
    if (pixels.length < LEAST_PIXELS || pixels.length > MOST_LENGTH_PX * 10) continue;
    const candidate = lineThrough(pixels, now, width);
    if (candidate !== null) out.push(candidate);
  }
  return out.sort((a, b) => b.stands - a.stands);
}

/** 1 where a pixel is far brighter than the median of the cells around. */
function standingOut(plane: Float32Array, width: number, height: number): Uint8Array {
  const across = Math.ceil(width / CELL_PX),
    down = Math.ceil(height / CELL_PX);
  const middles = new Float32Array(across * down),
    scatters = new Float32Array(across * down);
  for (let cy = 0; cy < down; cy++)
    for (let cx = 0; cx < across; cx++) {
      const values: number[] = [];
      // A wider look than the cell, thinned: a streak must not be its own surroundings.
      for (let y = Math.max(0, (cy - 1) * CELL_PX); y < Math.min(height, (cy + 2) * CELL_PX); y += 2)
        for (let x = Math.max(0, (cx - 1) * CELL_PX); x < Math.min(width, (cx + 2) * CELL_PX); x += 2) values.push(plane[y * width + x]);
      values.sort((a, b) => a - b);
      const middle = values[values.length >> 1];
      middles[cy * across + cx] = middle;
      scatters[cy * across + cx] = values[Math.floor(values.length * 0.84)] - middle;
    }
  const out = new Uint8Array(width * height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const cell = Math.floor(y / CELL_PX) * across + Math.floor(x / CELL_PX);
      out[y * width + x] = plane[y * width + x] - middles[cell] > STANDS_OUT * Math.max(0.01, scatters[cell]) ? 1 : 0;
    }
  return out;
}

/** Along the long axis of the pixels' light; null when they are not longer than wide. */
function lineThrough(pixels: readonly number[], plane: Float32Array, width: number): Candidate | null {
  let light = 0,
    mx = 0,
    my = 0;
  for (const i of pixels) {
    light += plane[i];
    mx += plane[i] * ((i % width) + 0.5);
    my += plane[i] * (Math.floor(i / width) + 0.5);
  }
  mx /= light;
  my /= light;
  let xx = 0,
    xy = 0,
    yy = 0;
  for (const i of pixels) {
    const dx = (i % width) + 0.5 - mx,
      dy = Math.floor(i / width) + 0.5 - my;
    xx += (plane[i] * dx * dx) / light;
    xy += (plane[i] * dx * dy) / light;
    yy += (plane[i] * dy * dy) / light;
  }
  const half = Math.hypot((xx - yy) / 2, xy),
    long = (xx + yy) / 2 + half,
    wide = Math.max(0.1, (xx + yy) / 2 - half);
  if (Math.sqrt(long / wide) < ELONGATED) return null;
  const turn = 0.5 * Math.atan2(2 * xy, xx - yy),
    // An even line's deviation is its length over the root of twelve.
    reach = Math.sqrt(long * 12) / 2;
  if (reach * 2 > MOST_LENGTH_PX) return null;
  const along = { x: Math.cos(turn) * reach, y: Math.sin(turn) * reach };
  return { from: { x: mx - along.x, y: my - along.y }, to: { x: mx + along.x, y: my + along.y }, stands: light / pixels.length };
}
