import type { BlurInput } from '../model/blur-input';
import { SEEN, type FrameLook } from './frame-look';
import type { Surfaces } from '../surfaces/surfaces';

/**
 * What shows through evenly transparent surfaces. The picture holds C = F + (1 - a) B in one pixel, the data passes know F's surface alone. Where
 * nothing lies behind, the surface shows its own coverage a; where the coverage A is larger, the rest is B's: b = (A - a) / (1 - a).
 */
export interface Transparency {
  /** By pixel: NOTHING_BEHIND, 1 + the number of its mixed pixel, or 0 where nothing is known. */
  readonly at: Int32Array;
  readonly mixed: readonly MixedPixel[];
}

export interface MixedPixel {
  readonly pixel: number;
  readonly front: number;
  readonly behind: number;
  /** The front surface's own RGBA there: its coverage, and its colour once it is known. */
  readonly own: Float64Array;
  isKnown: boolean;
}

export const NOTHING_BEHIND = -1;

/** Coverages this near are the same; so much more is of something behind. */
const SAME_COVERAGE = 0.04,
  MORE_COVERAGE = 0.06;
/** Less coverage or more is no glass. */
const LEAST_OWN = 0.05,
  MOST_OWN = 0.96;
const BINS = 64,
  /** Share of a surface's pixels that must have its own coverage. */
  LEAST_SHARE = 0.1,
  LEAST_PIXELS = 400,
  STANDS_OUT = 4,
  PEAK_BINS = 5;

/** Finds evenly transparent surfaces and what lies behind them; null when there are none. */
export function showThrough(
  input: BlurInput,
  surfaces: Surfaces,
  rank: Int32Array,
  pure: Uint8Array,
  looks: readonly FrameLook[],
): Transparency | null {
  const own = ownCoverages(input, surfaces, pure);
  if (own === null) return null;
  const { rgba, width } = input,
    { of } = surfaces;
  const at = new Int32Array(of.length);
  for (let i = 0; i < of.length; i++) {
    const a = of[i] < 0 ? 0 : own[of[i]];
    if (a > 0 && pure[i] === 1 && Math.abs(rgba[i * 4 + 3] - a) <= SAME_COVERAGE) at[i] = NOTHING_BEHIND;
  }
  const isMixed = (i: number) => of[i] >= 0 && own[of[i]] > 0 && pure[i] === 1 && rgba[i * 4 + 3] > own[of[i]] + MORE_COVERAGE;
  const mixed: MixedPixel[] = [],
    met = new Uint8Array(of.length);
  for (let start = 0; start < of.length; start++) {
    if (met[start] === 1 || !isMixed(start)) continue;
    const front = of[start];
    const { patch, touches } = floodPatch(start, of, width, met, isMixed);
    let behind = -1,
      most = 0;
    for (const [surface, contacts] of touches) if (rank[surface] > rank[front] && contacts > most) [behind, most] = [surface, contacts];
    if (behind < 0) continue;
    for (const pixel of patch)
      at[pixel] = mixed.push({ pixel, front, behind, own: new Float64Array([0, 0, 0, own[front]]), isKnown: false });
  }
  for (const entry of mixed) lookForFront(entry, input, surfaces, looks, own[entry.front]);
  return { at, mixed };
}

/** By surface: the coverage that it has over nothing; 0 where it is opaque or of many coverages. */
function ownCoverages({ rgba }: BlurInput, { of, count }: Surfaces, pure: Uint8Array): Float64Array | null {
  const histogram = new Int32Array(count * BINS),
    pixels = new Int32Array(count);
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0 || pure[i] === 0) continue;
    pixels[of[i]]++;
    const a = rgba[i * 4 + 3];
    if (a > LEAST_OWN && a < MOST_OWN) histogram[of[i] * BINS + Math.floor(a * BINS)]++;
  }
  const own = new Float64Array(count);
  let found = false;
  for (let s = 0; s < count; s++) {
    const bins = histogram.subarray(s * BINS, (s + 1) * BINS);
    const about = (k: number) => (bins[k - 1] ?? 0) + (bins[k] ?? 0) + (bins[k + 1] ?? 0);
    // The least coverage that many pixels have, where it is most common.
    let k = pixels[s] < LEAST_PIXELS ? -1 : bins.findIndex((_, j) => about(j) > 0 && about(j) >= LEAST_SHARE * pixels[s]);
    if (k < 0) continue;
    while (k + 1 < BINS && about(k + 1) > about(k)) k++;
    // A soft thing has every coverage: the one of glass stands out.
    if (about(k) < STANDS_OUT * Math.max(about(k - PEAK_BINS), about(k + PEAK_BINS))) continue;
    let sum = 0;
    for (let j = Math.max(0, k - 1); j <= Math.min(BINS - 1, k + 1); j++) sum += ((j + 0.5) / BINS) * bins[j];
    own[s] = sum / about(k);
    found = true;
  }
  return found ? own : null;
}

/** The connected pixels of one front surface through which something shows, and the surfaces that they touch. */
function floodPatch(
  start: number,
  of: Int32Array,
  width: number,
  met: Uint8Array,
  isMixed: (i: number) => boolean,
): { patch: number[]; touches: Map<number, number> } {
  const patch = [start],
    touches = new Map<number, number>(),
    front = of[start];
  met[start] = 1;
  for (let next = 0; next < patch.length; next++) {
    const i = patch[next],
      x = i % width;
    // Edges of both surfaces lie in between: other surfaces are met two pixels on.
    for (const [step, isInside] of [
      [-1, x > 1],
      [1, x < width - 2],
      [-width, i >= 2 * width],
      [width, i + 2 * width < of.length],
    ] as const) {
      if (!isInside) continue;
      const near = i + step,
        far = near + step;
      if (of[far] >= 0 && of[far] !== front) touches.set(of[far], (touches.get(of[far]) ?? 0) + 1);
      if (met[near] === 1 || of[near] !== front || !isMixed(near)) continue;
      met[near] = 1;
      patch.push(near);
    }
  }
  return { patch, touches };
}

const place = new Float64Array(4),
  way = new Float64Array(2);

/** The same point of the front surface may lie over nothing in a neighbouring frame: that is its own colour. */
function lookForFront(
  entry: MixedPixel,
  { motion, depth, width }: BlurInput,
  { idOf }: Surfaces,
  looks: readonly FrameLook[],
  own: number,
): void {
  const { pixel } = entry,
    like = { id: idOf[entry.front], depth: depth?.[pixel] ?? 0, isFarther: () => false };
  let seen = 0;
  const sum = [0, 0, 0, 0];
  for (const look of looks) {
    const vectors = look.end === 1 ? motion.toNext : motion.toPrevious;
    way.set(vectors.subarray(pixel * 2, pixel * 2 + 2));
    if (look.at(like, pixel % width, Math.floor(pixel / width), way, place) !== SEEN) continue;
    if (Math.abs(place[3] - own) > SAME_COVERAGE) continue;
    for (let c = 0; c < 4; c++) sum[c] += place[c];
    seen++;
  }
  if (seen === 0) return;
  for (let c = 0; c < 4; c++) entry.own[c] = sum[c] / seen;
  entry.isKnown = true;
}
