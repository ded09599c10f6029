import { isNothing } from './decode-depth';
import { strideOf, type DepthPlane } from './depth-frame';

/** What the stored values of a depth pass look like, over all its frames. */
export interface DepthValues {
  /** Values that stand for nothing, the most frequent first. */
  readonly nothing: readonly number[];
  /** Why: where coverage is 0, or far beyond everything else. */
  readonly nothingFrom: 'clear' | 'extreme' | null;
  /** Values of things: 0.5 and 99.5 percent of them lie below. Null when there are none. */
  readonly things: { readonly low: number; readonly high: number } | null;
  /** Share of pixels that are NaN or infinite. */
  readonly brokenShare: number;
  /** Coverage from which on a pixel was taken for a thing. */
  readonly solidFrom: number;
  readonly areWhole: boolean;
  /** Different values of things, counted up to a thousand. */
  readonly distinct: number;
}

/** Coverage from which on a pixel shows a thing; of soft things (sprays, sparks) the most that they have. */
const SOLID = [0.99, 0.5, 0.02] as const,
  /** This share of the pixels is enough to look at. */
  ENOUGH = 0.002;
/** A value is frequent from this share of the pixels on. */
const FREQUENT = 0.002,
  CANDIDATES = 2000;

export function depthValues(frames: readonly DepthPlane[]): DepthValues {
  const seen = frames.flatMap((frame) => samplesOf(frame));
  const clear = seen.filter((s) => s.alpha !== null && s.alpha <= 0),
    solidFrom = SOLID.find((from) => seen.filter((s) => s.alpha === null || s.alpha >= from).length > ENOUGH * seen.length) ?? SOLID[2],
    solid = seen.filter((s) => s.alpha === null || s.alpha >= solidFrom);
  const { type } = frames[0].stored;
  const finite = (list: readonly Sample[]) => list.filter((s) => Number.isFinite(s.value));
  const frequent = frequentValues(finite(seen));
  const share = (v: number, list: readonly Sample[]) => list.filter((s) => s.value === v).length / Math.max(1, list.length);
  let nothing: number[] = [],
    nothingFrom: DepthValues['nothingFrom'] = null;
  if (clear.length > FREQUENT * seen.length) {
    nothing = frequent.filter((v) => share(v, clear) > 0.02 && share(v, solid) < 0.1 * share(v, clear));
    if (nothing.length > 0 || clear.some((s) => !Number.isFinite(s.value))) nothingFrom = 'clear';
  }
  const extreme = extremeValues(
    finite(solid).filter((s) => !isNothing(s.value, type, nothing)),
    frequent,
  );
  if (nothingFrom === null && (extreme.length > 0 || solid.some((s) => !Number.isFinite(s.value)))) nothingFrom = 'extreme';
  nothing = [...nothing, ...extreme].slice(0, 4);
  const things = Float64Array.from(
    solid.filter((s) => (s.inside || solidFrom < SOLID[0]) && !isNothing(s.value, type, nothing)),
    (s) => s.value,
  ).sort();
  const distinct = new Set<number>();
  for (const v of things) if (distinct.size < 1000) distinct.add(v);
  return {
    nothing,
    nothingFrom,
    things:
      things.length === 0 ? null : { low: things[Math.floor(things.length * 0.005)], high: things[Math.ceil(things.length * 0.995) - 1] },
    brokenShare: seen.filter((s) => !Number.isFinite(s.value)).length / Math.max(1, seen.length),
    solidFrom,
    areWhole: things.length > 0 && things.every((v) => Number.isInteger(v)),
    distinct: distinct.size,
  };
}

interface Sample {
  readonly value: number;
  readonly alpha: number | null;
  /** No coverage ends beside it: a filter has mixed nothing with nothing here. */
  readonly inside: boolean;
}

function samplesOf({ stored: { data }, alpha, width, height }: DepthPlane): Sample[] {
  const out: Sample[] = [],
    every = strideOf({ width, height });
  for (let i = every >> 1; i < data.length; i += every) {
    const x = i % width;
    let inside = true;
    if (alpha !== null)
      for (const j of [i - 2 * width, i + 2 * width, x > 1 ? i - 2 : -1, x < width - 2 ? i + 2 : -1])
        if (j >= 0 && j < data.length && alpha[j] < SOLID[0]) inside = false;
    out.push({ value: data[i], alpha: alpha === null ? null : alpha[i], inside });
  }
  return out;
}

/** Values that many pixels share, the most frequent first. */
function frequentValues(seen: readonly Sample[]): number[] {
  const every = Math.max(1, Math.floor(seen.length / CANDIDATES)),
    first = new Map<number, number>();
  for (let i = 0; i < seen.length; i += every) first.set(seen[i].value, (first.get(seen[i].value) ?? 0) + 1);
  const counts = new Map([...first].filter(([, n]) => n >= 3).map(([v]) => [v, 0]));
  for (const { value } of seen) {
    const n = counts.get(value);
    if (n !== undefined) counts.set(value, n + 1);
  }
  return [...counts]
    .filter(([, n]) => n >= FREQUENT * seen.length)
    .sort((a, b) => b[1] - a[1])
    .map(([v]) => v);
}

/** Farther than everything else by this factor, and at least this far, is nothing even where the picture is covered. */
const BEYOND = 20,
  FAR = 1000;

/** Frequent values of covered pixels that no thing can have: far beyond the rest, the other sign, or no distance at all. */
function extremeValues(solid: readonly Sample[], frequent: readonly number[]): number[] {
  const values = Float64Array.from(solid, (s) => s.value).sort();
  return frequent.filter((v) => {
    const others = values.filter((other) => other !== v);
    if (others.length === values.length || others.length < 0.001 * values.length || others.length === 0) return false;
    const low = others[Math.floor(others.length * 0.005)],
      high = others[Math.ceil(others.length * 0.995) - 1];
    if (v === 0) return low > 0 || high < 0;
    if (v < 0 && low >= 0) return true;
    const largest = Math.max(Math.abs(low), Math.abs(high));
    return Math.abs(v) > BEYOND * largest && Math.abs(v) >= FAR;
  });
}
