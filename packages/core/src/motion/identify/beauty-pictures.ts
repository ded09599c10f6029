import type { Kernels, MatchSession } from '@ivrex/kernels/interface';

/** A beauty frame and those beside it: premultiplied linear RGBA over one display window. Null where a frame is missing. */
export interface BeautyNeighbours {
  readonly width: number;
  readonly height: number;
  readonly now: Float32Array;
  readonly next: Float32Array | null;
  readonly previous: Float32Array | null;
}

export type MatchKernels = Pick<Kernels, 'openMatch'>;

export const LEVELS = 3;
export const SIDES = ['previous', 'next'] as const;
export type Side = 0 | 1;

/** A frame ready to be matched with its neighbours: pyramids of LEVELS levels, and where in it something can be recognised. */
export interface BeautyPictures {
  /** Of level 0: the beauty's size, or that divided by `reduced`. */
  readonly width: number;
  readonly height: number;
  readonly reduced: number;
  readonly has: readonly [boolean, boolean];
  /** Squared difference that noise alone makes, the four channels added up. */
  readonly noise: number;
  /** The beauty's alpha in its own size. */
  readonly alpha: { readonly width: number; readonly height: number; readonly data: Float32Array };
  /** Of each square of CELL_PX the pixel with the steepest slopes, where that is more than noise. */
  readonly cells: TexturedCells;
  readonly session: MatchSession;
}

export interface TexturedCells {
  readonly x: Int32Array;
  readonly y: Int32Array;
  /** Neighbours to which the picture changes here by more than noise: 2 for all that are there, 1 for one of two (something is hidden there), 0. */
  readonly changes: Uint8Array;
}

/** Larger pictures are halved: what a reading leaves does not depend on it, and five frames fit into 200 MB. */
const MOST_PIXELS = 700_000,
  CELL_PX = 5,
  /** Squared slopes below so many times the noise are none. */
  SLOPE_OVER_NOISE = 8,
  /** Light above this counts as this: a highlight is one point among many. */
  MOST_LIGHT = 4,
  LEAST_NOISE = 0.003,
  MOST_NOISE = 0.012;

/** Index of a picture in the session. `side` null: the frame itself. */
export function pictureAt(side: Side | null, level: number): number {
  return (side === null ? 0 : side + 1) * LEVELS + level;
}

/** About 0.1 s for 960 x 540 with both neighbours on one thread. Close it in the reverse order of opening. */
export function openPictures(beauty: BeautyNeighbours, kernels: MatchKernels): BeautyPictures {
  let reduced = 1;
  while ((beauty.width * beauty.height) / reduced ** 2 > MOST_PIXELS) reduced *= 2;
  const of = (rgba: Float32Array | null) => ({ ...beauty, rgba: rgba ?? beauty.now, reduced, levels: LEVELS, most: MOST_LIGHT });
  const session = kernels.openMatch([of(beauty.now), of(beauty.previous), of(beauty.next)]);
  const has = [beauty.previous !== null, beauty.next !== null] as const;
  const { width, height, data: now } = session.picture(pictureAt(null, 0));
  for (const side of [0, 1] as const) if (has[side]) evenOut(session, side);
  const noise = noiseOf(now, width, height);
  const alpha = new Float32Array(beauty.width * beauty.height);
  for (let i = 0, j = 3; i < alpha.length; i++, j += 4) alpha[i] = beauty.now[j];
  const beside = ([0, 1] as const).map((side) => (has[side] ? session.picture(pictureAt(side, 0)).data : null));
  return {
    width,
    height,
    reduced,
    has,
    noise,
    alpha: { width: beauty.width, height: beauty.height, data: alpha },
    cells: texturedCells(now, beside, width, height, noise),
    session,
  };
}

const LEAST_LIGHT = 0.05,
  FEWEST_LIT = 50,
  /** Floats from one that is looked at to the next. */
  LIT_EVERY = 16,
  /** Less is what moves in and out. */
  LEAST_GAIN = 0.015;

/** Brings each channel's light to that of the frame: lamps flicker, exposures step. The median ratio at the coarsest level, where things hardly move. */
function evenOut(session: MatchSession, side: Side): void {
  const now = session.picture(pictureAt(null, LEVELS - 1)).data,
    coarse = session.picture(pictureAt(side, LEVELS - 1)).data;
  for (let c = 0; c < 3; c++) {
    const ratios: number[] = [];
    for (let i = c; i < coarse.length; i += LIT_EVERY) if (coarse[i] > LEAST_LIGHT && now[i] > LEAST_LIGHT) ratios.push(now[i] / coarse[i]);
    if (ratios.length < FEWEST_LIT) continue;
    const gain = Float64Array.from(ratios).sort()[ratios.length >> 1];
    if (Math.abs(gain - 1) < LEAST_GAIN) continue;
    for (let level = 0; level < LEVELS; level++) {
      const { data } = session.picture(pictureAt(side, level));
      for (let i = c; i < data.length; i += 4) data[i] *= gain;
    }
  }
}

/** From the quietest blocks of 8 x 8 that are not flat: 3rd percentile of the mean second difference. */
function noiseOf(data: Float32Array, width: number, height: number): number {
  const means: number[] = [];
  // Every other block each way.
  for (let by = 0; by + 8 <= height; by += 16) {
    for (let bx = 0; bx + 8 <= width; bx += 16) {
      let sum = 0;
      for (let y = by; y < by + 8; y++) {
        for (let x = Math.max(1, bx); x < Math.min(width - 1, bx + 8); x++) {
          const i = (y * width + x) * 4;
          for (let c = 0; c < 3; c++) sum += Math.abs(data[i + 4 + c] - 2 * data[i + c] + data[i - 4 + c]);
        }
      }
      const mean = sum / (64 * 3);
      if (mean > 1e-5) means.push(mean);
    }
  }
  means.sort((a, b) => a - b);
  const sigma = means.length > 50 ? means[Math.floor(means.length * 0.03)] : LEAST_NOISE;
  return 4 * Math.min(MOST_NOISE, Math.max(LEAST_NOISE, sigma)) ** 2;
}

function texturedCells(
  now: Float32Array,
  beside: readonly (Float32Array | null)[],
  width: number,
  height: number,
  noise: number,
): TexturedCells {
  const xs: number[] = [],
    ys: number[] = [],
    changes: number[] = [];
  const across = Math.floor(width / CELL_PX),
    down = Math.floor(height / CELL_PX),
    row = width * 4;
  for (let cy = 0; cy < down; cy++) {
    for (let cx = 0; cx < across; cx++) {
      let best = -1,
        most = SLOPE_OVER_NOISE * noise;
      for (let y = Math.max(1, cy * CELL_PX); y < Math.min(height - 1, (cy + 1) * CELL_PX); y++) {
        for (let x = Math.max(1, cx * CELL_PX); x < Math.min(width - 1, (cx + 1) * CELL_PX); x++) {
          const i = (y * width + x) * 4;
          let slope = 0;
          for (let c = i; c < i + 4; c++) {
            const right = now[c + 4] - now[c - 4],
              down = now[c + row] - now[c - row];
            slope += right * right + down * down;
          }
          if (slope > most) {
            most = slope;
            best = i;
          }
        }
      }
      if (best < 0) continue;
      const changed = beside.filter((other) => {
        if (other === null) return false;
        let sum = 0;
        for (let c = 0; c < 4; c++) sum += (other[best + c] - now[best + c]) ** 2;
        return sum > SLOPE_OVER_NOISE * noise + 0.1 * most;
      }).length;
      xs.push((best / 4) % width);
      ys.push(Math.floor(best / 4 / width));
      changes.push(changed === 0 ? 0 : changed === beside.filter((o) => o !== null).length ? 2 : 1);
    }
  }
  return thinned({ x: Int32Array.from(xs), y: Int32Array.from(ys), changes: Uint8Array.from(changes) });
}

/** Points are drawn from at most so many still places; what changes is kept. */
const MOST_STILL = 6000;

function thinned({ x, y, changes }: TexturedCells): TexturedCells {
  const still = changes.reduce((n, c) => n + (c === 0 ? 1 : 0), 0),
    every = Math.max(1, still / MOST_STILL);
  let met = 0,
    next = 0;
  const kept = Array.from(changes.keys()).filter((k) => {
    if (changes[k] > 0) return true;
    if (met++ < next) return false;
    next += every;
    return true;
  });
  const take = (from: Int32Array) => Int32Array.from(kept, (k) => from[k]);
  return { x: take(x), y: take(y), changes: Uint8Array.from(kept, (k) => changes[k]) };
}
