import { solveTwo } from '../linear/solve-linear';
import type { ExposureShape } from '../shutter/exposure-shape';
import { exposedPoints } from './exposed';
import type { Moments } from './moments';
import type { GradeFit, ReferenceGrade } from './shutter-match';

/** Points of all frames against their references under one exposure. */
export interface Difference {
  /** By frame: points x 4, ours under the grade less the reference; unused channels are 0. */
  readonly left: readonly Float32Array[];
  readonly grade: ReferenceGrade | null;
  /** Weighted mean of the squares over points and channels. */
  readonly cost: number;
}

/** By frame and point: how much it counts. */
export type PointWeights = readonly Float32Array[];

export function evenWeights(frames: readonly Moments[]): PointWeights {
  return frames.map((m) => new Float32Array(m.points).fill(1));
}

export function differenceAt(
  frames: readonly Moments[],
  weights: PointWeights,
  a: number,
  b: number,
  shape: ExposureShape,
  fit: Exclude<GradeFit, 'auto'>,
): Difference {
  const shown = frames.map((m) => {
    const out = new Float32Array(m.points * 4);
    exposedPoints(m, a, b, shape, out);
    return out;
  });
  const grade = fit === 'none' ? null : fitGrade(frames, shown, weights, fit);
  return { left: shown, grade, cost: takeOffReference(frames, shown, weights, grade) };
}

/** In place: `shown` becomes what is left. Returns the weighted mean square. */
function takeOffReference(
  frames: readonly Moments[],
  shown: readonly Float32Array[],
  weights: PointWeights,
  grade: ReferenceGrade | null,
): number {
  let sum = 0,
    total = 0;
  frames.forEach(({ points, channels, reference }, f) => {
    const left = shown[f];
    for (let p = 0; p < points; p++) {
      const w = weights[f][p],
        alpha = left[p * 4 + 3];
      for (let c = 0; c < 4; c++) {
        const i = p * 4 + c;
        if (c >= channels) {
          left[i] = 0;
          continue;
        }
        const v = grade === null || c === 3 ? left[i] : grade.gain[c] * left[i] + grade.offset[c] * alpha;
        left[i] = v - reference[i];
        sum += w * left[i] * left[i];
      }
      total += w * channels;
    }
  });
  return total === 0 ? 0 : sum / total;
}

/** Least squares, channel by channel: R = gain x ours + offset x alpha. A channel that tells nothing keeps its values. */
function fitGrade(
  frames: readonly Moments[],
  shown: readonly Float32Array[],
  weights: PointWeights,
  fit: 'gain' | 'gainOffset',
): ReferenceGrade {
  const gain: [number, number, number] = [1, 1, 1],
    offset: [number, number, number] = [0, 0, 0];
  for (let c = 0; c < 3; c++) {
    let vv = 0,
      va = 0,
      aa = 0,
      vr = 0,
      ar = 0;
    frames.forEach(({ points, reference }, f) => {
      const ours = shown[f];
      for (let p = 0; p < points; p++) {
        const w = weights[f][p],
          v = ours[p * 4 + c],
          alpha = ours[p * 4 + 3],
          r = reference[p * 4 + c];
        vv += w * v * v;
        va += w * v * alpha;
        aa += w * alpha * alpha;
        vr += w * v * r;
        ar += w * alpha * r;
      }
    });
    const both = fit === 'gainOffset' ? solveTwo(vv, va, aa, vr, ar, 1e-6) : null;
    if (both !== null) [gain[c], offset[c]] = both;
    else if (vv > 0) gain[c] = vr / vv;
  }
  return { gain, offset };
}

/** Points that are far off what most are count less (Geman and McClure's weights); `scale` is what most are off. */
export function robustWeights(frames: readonly Moments[], { left }: Difference): { weights: PointWeights; scale: number } {
  const off = frames.map(({ points, channels }, f) => {
    const out = new Float32Array(points);
    for (let p = 0; p < points; p++) {
      let sum = 0;
      for (let c = 0; c < channels; c++) sum += left[f][p * 4 + c] ** 2;
      out[p] = Math.sqrt(sum / channels);
    }
    return out;
  });
  const sorted = Float32Array.from(off.flatMap((list) => Array.from(list))).sort();
  // The median of a two-sided normal's size is 0.67 of its deviation.
  const scale = Math.max(1e-4, (sorted[sorted.length >> 1] ?? 0) / 0.67);
  const far = 4 * scale;
  return { weights: off.map((list) => list.map((v) => 1 / (1 + (v / far) ** 2) ** 2)), scale };
}
