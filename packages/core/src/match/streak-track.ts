import { sampleBilinear } from '../raster/bilinear';
import { alongOf, type Line, type Place, type PlateLight } from './streak-line';

const LEAST_LIKENESS = 0.6;
/** A streak may be this many times shorter than the way from frame to frame, and longer. */
const MOST_TIMES = 6,
  LEAST_TIMES = 0.7;

export interface Tracked {
  readonly speedPx: number;
  readonly errorPx: number;
  readonly likeness: number;
  readonly sides: 1 | 2;
}

interface Sighting {
  readonly along: number;
  readonly across: number;
  readonly likeness: number;
}

/** Finds the streak again along its own line, one way in the next frame and the other way in the one before. */
export function track(plate: PlateLight, line: Line, from: Place, to: Place, lengthPx: number): Tracked | null {
  const patch = patchOf(plate.now, plate, line, from, to);
  const next = plate.next && sightings(plate.next, plate, line, patch, lengthPx),
    previous = plate.previous && sightings(plate.previous, plate, line, patch, lengthPx);
  if (next !== null && previous !== null) {
    let best: (Tracked & { readonly score: number }) | null = null;
    for (const n of next)
      for (const p of previous) {
        const a = Math.hypot(n.along, n.across),
          b = Math.hypot(p.along, p.across);
        const apart = Math.hypot(n.along + p.along, n.across + p.across);
        if (apart > 3 + 0.12 * Math.max(a, b)) continue;
        const likeness = (n.likeness + p.likeness) / 2,
          score = likeness - apart / (20 + Math.max(a, b));
        if (best === null || score > best.score)
          best = { speedPx: (a + b) / 2, errorPx: Math.hypot(0.15, Math.abs(a - b) / 4), likeness, sides: 2, score };
      }
    if (best !== null) return best;
  }
  const [only] = [...(next ?? []), ...(previous ?? [])].sort((a, b) => b.likeness - a.likeness);
  if (only === undefined || (next !== null && previous !== null)) return null;
  return { speedPx: Math.hypot(only.along, only.across), errorPx: 0.3 + 0.03 * Math.abs(only.along), likeness: only.likeness, sides: 1 };
}

interface Patch {
  readonly start: number;
  readonly across: number;
  readonly long: number;
  readonly wide: number;
  /** Less their mean, with squares that add up to 1. */
  readonly values: Float64Array;
}

function patchOf(plane: Float32Array, plate: PlateLight, line: Line, from: Place, to: Place): Patch {
  const s0 = (from.x - line.at.x) * line.along.x + (from.y - line.at.y) * line.along.y,
    s1 = (to.x - line.at.x) * line.along.x + (to.y - line.at.y) * line.along.y;
  const start = Math.floor(Math.min(s0, s1)) - 5,
    long = Math.ceil(Math.abs(s1 - s0)) + 11;
  const form = { start, across: -6, long, wide: 13 };
  return { ...form, values: valuesOf(plane, plate, line, form, 0, 0) };
}

function valuesOf(
  plane: Float32Array,
  { width, height }: PlateLight,
  line: Line,
  { start, across, long, wide }: Omit<Patch, 'values'>,
  byAlong: number,
  byAcross: number,
): Float64Array {
  const out = new Float64Array(long * wide),
    { at, along } = line;
  let mean = 0;
  for (let j = 0; j < wide; j++)
    for (let i = 0; i < long; i++) {
      // Written out: millions of these are looked at.
      const s = start + i + byAlong,
        a = across + j + byAcross,
        v = sampleBilinear(plane, width, height, at.x + along.x * s - along.y * a - 0.5, at.y + along.y * s + along.x * a - 0.5);
      out[j * long + i] = v;
      mean += v / out.length;
    }
  let square = 0;
  for (let k = 0; k < out.length; k++) square += (out[k] -= mean) ** 2;
  const scale = square > 0 ? 1 / Math.sqrt(square) : 0;
  for (let k = 0; k < out.length; k++) out[k] *= scale;
  return out;
}

/** Places where it looks the same, to a part of a pixel, the likest first. */
function sightings(plane: Float32Array, plate: PlateLight, line: Line, patch: Patch, lengthPx: number): Sighting[] {
  const far = Math.ceil(lengthPx * MOST_TIMES + 4),
    near = Math.max(2, Math.floor(lengthPx * LEAST_TIMES));
  const likeness = (along: number, across: number) => {
    const there = valuesOf(plane, plate, line, patch, along, across);
    let sum = 0;
    for (let k = 0; k < there.length; k++) sum += there[k] * patch.values[k];
    return sum;
  };
  const coarse: Sighting[] = [];
  for (let along = -far; along <= far; along += 2) {
    if (Math.abs(along) < near) continue;
    const middle = alongOf(line, line.lengthPx / 2 + along);
    if (middle.x < 0 || middle.y < 0 || middle.x >= plate.width || middle.y >= plate.height) continue;
    const wide = 3 + 0.12 * Math.abs(along);
    for (let across = -wide; across <= wide; across += 2) coarse.push({ along, across, likeness: likeness(along, across) });
  }
  const found: Sighting[] = [];
  for (const seen of coarse.sort((a, b) => b.likeness - a.likeness)) {
    if (seen.likeness < LEAST_LIKENESS / 2 || found.length === 5) break;
    if (found.some((f) => Math.hypot(f.along - seen.along, f.across - seen.across) < 6)) continue;
    const exact = sharpen(seen, likeness);
    if (exact.likeness >= LEAST_LIKENESS) found.push(exact);
  }
  return found;
}

/** Uphill in ever smaller steps. */
function sharpen(start: Sighting, likeness: (along: number, across: number) => number): Sighting {
  let best = start;
  for (let step = 1; step > 0.03;) {
    let better = best;
    for (const [a, b] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      const along = best.along + a * step,
        across = best.across + b * step,
        like = likeness(along, across);
      if (like > better.likeness) better = { along, across, likeness: like };
    }
    if (better === best) step /= 2;
    else best = better;
  }
  return best;
}
