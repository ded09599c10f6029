export interface ChannelMeasure {
  readonly min: number;
  readonly max: number;
  /** The value that most pixels hold, and their share. */
  readonly rest: number;
  readonly restShare: number;
  /** NaN and infinities. */
  readonly bad: number;
  /** Pixels away from the rest value, in even steps from min to max. */
  readonly histogram: readonly { readonly value: number; readonly count: number }[];
}

const BINS = 48;

/** Spread and rest value of one stored channel. */
export function measureChannel(values: Float32Array): ChannelMeasure {
  const counts = new Map<number, number>();
  let min = Infinity,
    max = -Infinity,
    bad = 0;
  for (const v of values) {
    if (!Number.isFinite(v)) {
      bad++;
      continue;
    }
    if (v < min) min = v;
    if (v > max) max = v;
    // Values that never repeat can't be the rest value: there is no need to remember them all.
    if (counts.size < 20000 || counts.has(v)) counts.set(v, (counts.get(v) ?? 0) + 1);
  }
  if (min > max) return { min: 0, max: 0, rest: 0, restShare: 0, bad, histogram: [] };
  const [rest, restCount] = [...counts].reduce((best, entry) => (entry[1] > best[1] ? entry : best), [min, 0]);
  const bins = new Array<number>(BINS).fill(0),
    width = (max - min) / BINS || 1;
  for (const v of values) if (Number.isFinite(v) && v !== rest) bins[Math.min(BINS - 1, Math.floor((v - min) / width))]++;
  return {
    min,
    max,
    rest,
    restShare: restCount / values.length,
    bad,
    histogram: bins.map((count, i) => ({ value: min + (i + 0.5) * width, count })),
  };
}
