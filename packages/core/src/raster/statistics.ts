export interface SampleStatistics {
  readonly min: number | null;
  readonly max: number | null;
  readonly mean: number | null;
  readonly nan: number;
  readonly inf: number;
}

/** min, max and mean over finite samples (null when there are none); NaN and infinities are counted. */
export function statisticsOf(samples: Float32Array | Uint32Array): SampleStatistics {
  let min = Infinity,
    max = -Infinity,
    sum = 0,
    finite = 0,
    nan = 0,
    inf = 0;
  for (let i = 0; i < samples.length; i++) {
    const v = samples[i];
    if (v - v === 0) {
      if (v < min) min = v;
      if (v > max) max = v;
      sum += v;
      finite++;
    } else if (Number.isNaN(v)) nan++;
    else inf++;
  }
  return finite === 0 ? { min: null, max: null, mean: null, nan, inf } : { min, max, mean: sum / finite, nan, inf };
}
