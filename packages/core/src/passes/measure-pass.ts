import { measureFringe, type FringeMeasure } from './fringe';
import type { SampleType } from '../raster/image';

/** What one channel of one frame holds. */
export interface ChannelMeasure {
  readonly name: string;
  readonly type: SampleType;
  readonly min: number | null;
  readonly max: number | null;
  readonly nan: number;
  readonly inf: number;
  /** The most frequent value and the share of pixels that hold it. */
  readonly rest: number;
  readonly restShare: number;
  /** Share of pixels below the rest value, among those that differ from it; 0.5 is symmetric. */
  readonly belowShare: number;
  /** Share of finite pixels that are whole numbers. */
  readonly wholeShare: number;
  /** Different values, counted up to a thousand. */
  readonly distinct: number;
}

/** What colour and alpha say about each other. Null where there is no alpha or nothing partly covered. */
export interface AlphaMeasure {
  /** Share of partly covered pixels whose colour is far above their alpha, compared with covered pixels. */
  readonly aboveShare: number;
  /** Share of uncovered pixels that hold colour. */
  readonly underShare: number;
  /** Their mean colour. */
  readonly underColour: readonly [number, number, number];
  /** Largest spread of the colour under zero alpha: near 0 is one flat colour. */
  readonly underSpread: number;
  readonly partialShare: number;
  /** Light of the edge against what it borders; null where that can't be told. */
  readonly fringe?: FringeMeasure | null;
}

/** How many times softer edges are where motion crosses them than where it runs along them. Sharp pictures lie near 1. */
export interface BlurMeasure {
  readonly softer: number;
  /** Edge pixels that were looked at. */
  readonly pixels: number;
}

/** From here on edges are softer along the motion than a sharp render makes them; the demo's sharp frames lie between 0.9 and 1.2. */
export const BLURRED_SOFTER = 2;

export interface PassMeasure {
  readonly channels: readonly ChannelMeasure[];
  readonly alpha: AlphaMeasure | null;
}

export interface MeasuredPlane {
  readonly name: string;
  readonly type: SampleType;
  readonly data: Float32Array | Uint32Array;
}

const MOST_DISTINCT = 1000,
  /** Pixels that are looked at; larger pictures are thinned. */
  LOOKED_AT = 1 << 17;

/**
 * One pass over each channel; with the planes' width edges are looked at too. NaN and infinities are counted over all pixels, the rest over a hundred thousand of them, spread
 * evenly.
 */
export function measurePass(planes: readonly MeasuredPlane[], width: number | null = null): PassMeasure {
  return { channels: planes.map(measureChannel), alpha: measureAlpha(planes, width) };
}

function measureChannel({ name, type, data }: MeasuredPlane): ChannelMeasure {
  let nan = 0,
    inf = 0;
  for (let i = 0; i < data.length; i++) {
    const v = data[i];
    if (v - v !== 0) {
      if (Number.isNaN(v)) nan++;
      else inf++;
    }
  }
  const every = Math.max(1, Math.floor(data.length / LOOKED_AT)) | 1;
  let min = Infinity,
    max = -Infinity,
    whole = 0,
    finite = 0;
  const counts = new Map<number, number>();
  for (let i = 0; i < data.length; i += every) {
    const v = data[i];
    if (v - v !== 0) continue;
    finite++;
    if (v < min) min = v;
    if (v > max) max = v;
    if (Number.isInteger(v)) whole++;
    const known = counts.get(v);
    if (known !== undefined) counts.set(v, known + 1);
    else if (counts.size < MOST_DISTINCT) counts.set(v, 1);
  }
  let rest = 0,
    most = 0;
  for (const [v, n] of counts) if (n > most) [rest, most] = [v, n];
  let below = 0,
    other = 0;
  for (let i = 0; i < data.length; i += every) {
    const v = data[i];
    if (v - v !== 0 || v === rest) continue;
    other++;
    if (v < rest) below++;
  }
  return {
    name,
    type,
    min: finite === 0 ? null : min,
    max: finite === 0 ? null : max,
    nan,
    inf,
    rest,
    restShare: finite === 0 ? 0 : most / finite,
    belowShare: other === 0 ? 0 : below / other,
    wholeShare: finite === 0 ? 0 : whole / finite,
    distinct: counts.size,
  };
}

const CLEARLY = 0.02,
  ALPHA_LOOKED_AT = 1 << 18;

function measureAlpha(planes: readonly MeasuredPlane[], width: number | null): AlphaMeasure | null {
  const find = (...names: string[]) => planes.find((p) => names.includes(p.name))?.data;
  const red = find('R', 'r', 'Y'),
    green = find('G', 'g', 'Y'),
    blue = find('B', 'b', 'Y'),
    alpha = find('A', 'a');
  if (red === undefined || green === undefined || blue === undefined || alpha === undefined) return null;
  // An odd step, so that columns are not all of one parity.
  const every = Math.max(1, Math.floor(alpha.length / ALPHA_LOOKED_AT)) | 1;
  // The brightest colour of fully covered pixels tells how much light a covered edge may hold.
  let brightest = 0;
  for (let i = 0; i < alpha.length; i += every)
    if (alpha[i] >= 0.999) brightest = Math.max(brightest, Math.min(1e4, Math.max(red[i], green[i], blue[i])));
  let partial = 0,
    above = 0,
    clear = 0,
    under = 0;
  const sum = [0, 0, 0],
    low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < alpha.length; i += every) {
    const a = alpha[i],
      most = Math.max(red[i], green[i], blue[i]);
    if (a > 0.02 && a < 0.98) {
      partial++;
      if (most > a * Math.max(1, brightest) + CLEARLY) above++;
    } else if (a <= 0) {
      clear++;
      if (most <= CLEARLY) continue;
      under++;
      for (let c = 0; c < 3; c++) {
        const v = c === 0 ? red[i] : c === 1 ? green[i] : blue[i];
        sum[c] += v;
        low[c] = Math.min(low[c], v);
        high[c] = Math.max(high[c], v);
      }
    }
  }
  return {
    partialShare: (partial * every) / Math.max(1, alpha.length),
    aboveShare: above / Math.max(1, partial),
    underShare: under / Math.max(1, clear),
    underColour: [sum[0] / Math.max(1, under), sum[1] / Math.max(1, under), sum[2] / Math.max(1, under)],
    underSpread: under === 0 ? 0 : Math.max(...high.map((h, c) => h - low[c])),
    fringe: width === null || partial === 0 ? null : measureFringe([red, green, blue], alpha, width),
  };
}

const FEWEST_EDGES = 240;

/** Pixels of at least one half beside one below it; not the picture's border. */
export function alphaEdges(alpha: Float32Array, width: number): Int32Array {
  const height = alpha.length / width,
    out: number[] = [];
  for (let y = 1; y < height - 1; y++)
    for (let i = y * width + 1; i < (y + 1) * width - 1; i++)
      if (alpha[i] >= 0.5 && (alpha[i - 1] < 0.5 || alpha[i + 1] < 0.5 || alpha[i - width] < 0.5 || alpha[i + width] < 0.5)) out.push(i);
  return Int32Array.from(out);
}

/**
 * Is the picture already blurred along its motion? Where alpha crosses one half, the steepness of the crossing tells how wide the edge is.
 * Edges that the motion crosses are compared with edges that it runs along: only in-render blur widens the first. Surface texture and soft
 * materials do not matter. `x` and `y` are the motion at `edges` (as of `alphaEdges`), away from rest; sign and scale need not be known: both ways in
 * which y may point are tried, and the one that shows more counts. Null with too few edges or no motion.
 */
export function measureBlurAtEdges(
  alpha: Float32Array,
  width: number,
  edges: Int32Array,
  x: ArrayLike<number>,
  y: ArrayLike<number>,
): BlurMeasure | null {
  const widths: number[] = [],
    crossing: [number[], number[]] = [[], []];
  edges.forEach((i, k) => {
    const gx = (alpha[i + 1] - alpha[i - 1]) / 2,
      gy = (alpha[i + width] - alpha[i - width]) / 2,
      steep = Math.hypot(gx, gy);
    if (!(steep > 1e-3) || !Number.isFinite(x[k] + y[k])) return;
    widths.push(1 / steep);
    crossing[0].push(Math.abs(x[k] * gx + y[k] * gy) / steep);
    crossing[1].push(Math.abs(x[k] * gx - y[k] * gy) / steep);
  });
  if (widths.length < FEWEST_EDGES) return null;
  const found = crossing.map((speeds) => softness(widths, speeds)).filter((s) => s !== null);
  return found.length === 0 ? null : { softer: Math.max(...found), pixels: widths.length };
}

/** Median width of the edges that are crossed fastest, over that of those that are crossed slowest. */
function softness(widths: readonly number[], speeds: readonly number[]): number | null {
  const order = speeds.map((_, i) => i).sort((a, b) => speeds[a] - speeds[b]);
  // Few edges run quite along the motion: a tenth of them is enough.
  const fast = Math.floor(order.length / 4),
    slow = Math.floor(order.length / 10);
  if (!(speeds[order[order.length - 1]] > 0)) return null;
  const median = (indices: readonly number[]) => indices.map((i) => widths[i]).sort((a, b) => a - b)[indices.length >> 1];
  return median(order.slice(-fast)) / median(order.slice(0, slow));
}
