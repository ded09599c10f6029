import { lumaAt } from '../colour/luma';
import { gradeColour, type Grade } from './grade';

/** A highlight that leaves a streak: where it is, and its way during the exposure. Pixels. */
export interface Highlight {
  readonly x: number;
  readonly y: number;
  readonly wayX: number;
  readonly wayY: number;
}

/** Light along a streak, graded before and after the blur; `along` in pixels from the highlight. */
export interface StreakLight {
  readonly along: number;
  readonly before: number;
  readonly after: number;
}

/** Shorter ways make no streak to speak of. */
const LEAST_WAY_PX = 4;

/**
 * The covered pixel whose streak shows most: the brightest among those that go far enough. `vectors`: x, y interleaved, a frame; `openFrames`: how long the
 * shutter is open. Null when nothing bright moves.
 */
export function findHighlight(
  rgba: Float32Array,
  vectors: Float32Array,
  valid: Uint8Array,
  width: number,
  openFrames: number,
): Highlight | null {
  let best = -1,
    most = 0;
  for (let i = 0; i < valid.length; i++) {
    if (valid[i] === 0 || rgba[i * 4 + 3] < 0.5) continue;
    const way = Math.hypot(vectors[i * 2], vectors[i * 2 + 1]) * openFrames;
    if (way < LEAST_WAY_PX) continue;
    const light = lumaAt(rgba, i);
    if (light > most) [best, most] = [i, light];
  }
  if (best < 0) return null;
  return {
    x: (best % width) + 0.5,
    y: Math.floor(best / width) + 0.5,
    wayX: vectors[best * 2] * openFrames,
    wayY: vectors[best * 2 + 1] * openFrames,
  };
}

const SAMPLES = 8;

/**
 * What a grade does to the streak of a highlight: luma along its way, averaged over the way's length, with the grade on every point first and
 * with the grade on the mean. The picture is taken as it is along the line, as if all of it moved alike.
 */
export function streakLight(rgba: Float32Array, width: number, highlight: Highlight, grade: Grade | null): StreakLight[] {
  const { x, y, wayX, wayY } = highlight,
    length = Math.hypot(wayX, wayY);
  const height = rgba.length / 4 / width,
    reach = Math.ceil(1.1 * length);
  const colours = new Float32Array((2 * reach * 2 + 1) * SAMPLES * 4);
  const at = (step: number) => step / SAMPLES - 2 * reach;
  const count = colours.length / 4;
  for (let n = 0; n < count; n++) {
    const px = Math.min(width - 1, Math.max(0, Math.floor(x + (wayX / length) * at(n)))),
      py = Math.min(height - 1, Math.max(0, Math.floor(y + (wayY / length) * at(n))));
    for (let c = 0; c < 4; c++) colours[n * 4 + c] = rgba[(py * width + px) * 4 + c];
  }
  const graded = gradedColours(colours, grade);
  const half = Math.max(1, Math.round((length * SAMPLES) / 2));
  const before = slidingMean(graded, half),
    after = gradedColours(slidingMean(colours, half), grade);
  const out: StreakLight[] = [];
  for (let n = reach * SAMPLES; n <= 3 * reach * SAMPLES; n += SAMPLES)
    out.push({ along: at(n), before: lumaAt(before, n), after: lumaAt(after, n) });
  return out;
}

/** Premultiplied colours under a grade; a handful. */
function gradedColours(rgba: Float32Array, grade: Grade | null): Float32Array {
  const out = rgba.slice();
  if (grade === null) return out;
  for (let i = 0; i < out.length; i += 4) {
    const a = out[i + 3];
    if (!(a > 0)) continue;
    gradeColour(grade, [out[i] / a, out[i + 1] / a, out[i + 2] / a]).forEach((v, c) => (out[i + c] = v * a));
  }
  return out;
}

/** Means over 2 half + 1 samples; at the ends over those that there are. */
function slidingMean(rgba: Float32Array, half: number): Float32Array {
  const count = rgba.length / 4,
    sums = new Float64Array((count + 1) * 4),
    out = new Float32Array(rgba.length);
  for (let k = 0; k < rgba.length; k++) sums[k + 4] = sums[k] + rgba[k];
  for (let n = 0; n < count; n++) {
    const from = Math.max(0, n - half),
      to = Math.min(count, n + half + 1);
    for (let c = 0; c < 4; c++) out[n * 4 + c] = (sums[to * 4 + c] - sums[from * 4 + c]) / (to - from);
  }
  return out;
}
