import type { SampleType } from '../../raster/image';
import type { ChannelShape, StoredPass } from './stored-pass';

/** What all frames of a pass hold together, pixel by pixel at a part of the pixels: a pass is one encoding over its sequence. */
export interface PassSamples {
  readonly names: readonly string[];
  readonly types: readonly SampleType[];
  /** A number a sampled pixel, by channel, divided by alpha where it was multiplied; NaN where nothing is covered. */
  readonly values: readonly Float32Array[];
  /** Coverage at the same pixels: the pass's own alpha, else the beauty's. */
  readonly alpha: Float32Array;
  /** Of each frame, each channel. */
  readonly shapes: readonly (readonly ChannelShape[])[];
}

/** Samples of all frames together: enough for a share of a thousandth. */
const SAMPLED = 12_000;

/** `alphas`: coverage at the size of each pass, in the order of the frames; what the values are divided by where they were multiplied by it. */
export function samplePasses(
  passes: readonly StoredPass[],
  shapes: PassSamples['shapes'],
  alphas: readonly Float32Array[],
  isMultiplied: boolean,
): PassSamples {
  const [first] = passes;
  const names = first.channels.map((c) => c.name);
  const total = passes.reduce((n, p) => n + p.width * p.height, 0);
  // Odd, and no divisor of the usual widths: every column is met.
  const every = Math.max(1, Math.floor(total / SAMPLED)) | 1;
  const values: number[][] = names.map(() => []),
    alpha: number[] = [];
  passes.forEach((pass, f) => {
    const count = pass.width * pass.height;
    for (let i = every >> 1; i < count; i += every) {
      const by = isMultiplied ? (alphas[f][i] > 1e-3 ? alphas[f][i] : NaN) : 1;
      pass.channels.forEach((c, k) => values[k].push(c.data[i] / by));
      alpha.push(alphas[f][i]);
    }
  });
  return {
    names,
    types: first.channels.map((c) => c.type),
    values: values.map((v) => Float32Array.from(v)),
    alpha: Float32Array.from(alpha),
    shapes,
  };
}

/** The values that x and y hold together most often, and the share of pixels that do. */
export interface JointRest {
  readonly a: number;
  readonly b: number;
  readonly share: number;
}

/** Null where hardly any pixels agree. A pan has such values too: what they mean is for the pictures to say. */
export function jointRest(a: Float32Array, b: Float32Array): JointRest | null {
  const isFinite = (i: number) => (a[i] - b[i]) * 0 === 0;
  const [restA] = commonest(a, isFinite),
    [restB, held] = commonest(b, (i) => isFinite(i) && a[i] === restA);
  let finite = 0;
  for (let i = 0; i < a.length; i++) if (isFinite(i)) finite++;
  return held < LEAST_ALIKE * finite || held === 0 ? null : { a: restA, b: restB, share: held / finite };
}

function commonest(values: Float32Array, counts: (i: number) => boolean): readonly [number, number] {
  const held = new Map<number, number>();
  for (let i = 0; i < values.length; i++) if (counts(i)) held.set(values[i], (held.get(values[i]) ?? 0) + 1);
  let value = 0,
    most = 0;
  for (const [v, n] of held) if (n > most) [value, most] = [v, n];
  return [value, most];
}

const LEAST_ALIKE = 0.01;

/** The value below which this share of finite values lies; NaN without any. */
export function quantile(values: ArrayLike<number>, share: number): number {
  const finite = new Float64Array(values.length);
  let n = 0;
  for (let i = 0; i < values.length; i++) if (values[i] - values[i] === 0) finite[n++] = values[i];
  if (n === 0) return NaN;
  return finite.subarray(0, n).sort()[Math.min(n - 1, Math.floor(n * share))];
}
