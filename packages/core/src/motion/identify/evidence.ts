import { MATCH_TAPS } from '@ivrex/kernels/interface';
import { transferPair } from '../../colour/transfer';
import { pictureAt, type Side } from './beauty-pictures';
import type { AxisPlot, Evidence, PlotPoint, WeighedEncoding } from './identification';
import type { Solution } from './solve';
import { findPoints } from './point-search';
import type { PointSet } from './points';
import { decodesAlike, type WeighedReading } from './posterior';
import { isHalfOf } from './second-set';
import { patchesOf, scaleOf } from './sweep';
import { pixelUnder } from './vector-field';
import { encodingOf } from './write-encoding';

const MOST_PLOTTED = 300,
  LINE_STEPS = 32,
  MOST_READINGS = 4,
  /** Larger differences count as this: something was hidden or lit anew. */
  MOST_DIFFERENCE = 0.15,
  /** Less of the belief is not worth a line. */
  LEAST_SHARE = 0.005;

/** What the reading rests on, ready to be drawn. */
export function evidenceOf(solution: Solution, frames: readonly (number | null)[], confidence: number, isKnown: boolean): Evidence {
  const [best] = solution.weighed,
    { of } = best;
  const side: Side = sideOf(best, solution);
  const [kx, ky] = scaleOf(best, best.named.factor);
  const sign = side === 1 ? 1 : -1;
  const patches = patchesOf(best, 0);
  let before = 0,
    after = 0,
    matched = 0;
  const byAxis: PlotPoint[][] = [[], []];
  let looked = 0,
    found = 0;
  of.sets.forEach((set, n) => {
    const predicted = new Float32Array(set.count * 2);
    for (let i = 0; i < set.count; i++) {
      predicted[i * 2] = sign * kx * patches[n][(i * MATCH_TAPS + 4) * 2];
      predicted[i * 2 + 1] = sign * ky * patches[n][(i * MATCH_TAPS + 4) * 2 + 1];
    }
    const { pictures } = set.frame;
    looked += set.count;
    if (!pictures.has[side]) return;
    const residual = (vectors: Float32Array, scale: readonly [number, number]) => {
      const out = new Float32Array(set.count);
      pictures.session.match(
        pictureAt(null, 0),
        pictureAt(side, 0),
        { places: set.levels[0].places, vectors, step: 1, scales: Float32Array.of(...scale) },
        out,
      );
      return out;
    };
    const still = residual(patches[n], [0, 0]),
      moved = residual(patches[n], [sign * kx, sign * ky]);
    for (let i = 0; i < set.count; i++) {
      if (still[i] < 0 || moved[i] < 0) continue;
      // Four channels are added up in a residual.
      before += Math.min(MOST_DIFFERENCE, Math.sqrt(still[i] / 4));
      after += Math.min(MOST_DIFFERENCE, Math.sqrt(moved[i] / 4));
      matched++;
    }
    const at = findPoints(set, predicted, side);
    for (let i = 0; i < set.count; i++) {
      const mx = at[i * 2] * sign,
        my = at[i * 2 + 1] * sign;
      if (mx !== mx) continue;
      found++;
      const off = Math.hypot(mx - sign * predicted[i * 2], my - sign * predicted[i * 2 + 1]);
      const fits = off < 0.75 + 0.05 * Math.hypot(mx, my);
      addPlotted(byAxis, best, set, i, [mx, my], fits);
    }
  });
  return {
    from: 'pictures',
    frames: frames.filter((f) => f !== null),
    points: looked,
    measured: found,
    explained: Math.max(0, Math.min(1, Math.max(...best.scores))),
    residual: matched === 0 ? null : { before: before / matched, after: after / matched },
    plots: of.candidate.length === null ? plotsOf(solution, best, byAxis) : [],
    readings: readingsOf(solution),
    isKnown,
    wouldTell: wouldTell(solution, confidence),
  };
}

/** The side of the frame that the vectors are about, where there is a neighbour on it. */
function sideOf(best: WeighedReading, { second, frames }: Solution): Side {
  const wanted: Side = second !== null ? (second.firstIsNext ? 1 : 0) : best.middle === -0.5 ? 0 : 1;
  return frames.some((f) => f.pictures.has[wanted]) ? wanted : wanted === 1 ? 0 : 1;
}

function addPlotted(
  byAxis: readonly PlotPoint[][],
  { of, swapped }: WeighedReading,
  set: PointSet,
  i: number,
  measured: readonly [number, number],
  fits: boolean,
): void {
  const { pictures, now, alpha } = set.frame;
  const pixel = pixelUnder(set.x[i], set.y[i], pictures, now);
  const channels = swapped ? [of.candidate.b, of.candidate.a] : [of.candidate.a, of.candidate.b];
  channels.forEach((c, axis) => {
    const raw = now.channels[c].data[pixel],
      stored = alpha.now === null ? raw : raw / alpha.now[pixel];
    if (stored - stored !== 0) return;
    byAxis[axis].push({
      stored,
      measured: measured[axis] * pictures.reduced,
      fits,
      x: Math.round((set.x[i] + 0.5) * pictures.reduced),
      y: Math.round((set.y[i] + 0.5) * pictures.reduced),
    });
  });
}

function plotsOf({ samples, frames }: Solution, best: WeighedReading, byAxis: readonly PlotPoint[][]): AxisPlot[] {
  const { candidate } = best.of,
    { undo } = transferPair(candidate.curve);
  const channels = best.swapped ? [candidate.b, candidate.a] : [candidate.a, candidate.b];
  const scale = scaleOf(best, best.named.factor),
    { reduced } = frames[0].pictures;
  return channels.map((c, axis) => {
    const all = byAxis[axis];
    const every = Math.max(1, all.length / MOST_PLOTTED);
    const points = Array.from({ length: Math.floor(all.length / every) }, (_, k) => all[Math.floor(k * every)]);
    let low = Infinity,
      high = -Infinity;
    for (const { stored } of all) {
      low = Math.min(low, stored);
      high = Math.max(high, stored);
    }
    const line = !(high > low)
      ? []
      : Array.from({ length: LINE_STEPS + 1 }, (_, k) => {
          const stored = low + ((high - low) * k) / LINE_STEPS;
          return { stored, measured: (undo(stored) - candidate.zero) * scale[axis] * reduced };
        });
    return { channel: samples.names[c], points, line };
  });
}

/** Readings with those that decode alike added to them, the likeliest first. */
function readingsOf({ weighed, samples, second, multiplied }: Solution): WeighedEncoding[] {
  const out: { encoding: WeighedEncoding['encoding']; share: number; explained: number; first: WeighedReading }[] = [];
  weighed.forEach((w, i) => {
    if (i > 0 && (decodesAlike(w) || isHalfOf(second, w))) {
      out[0].share += w.share;
      return;
    }
    const same = out.find(({ first }) => first !== weighed[0] && isAlike(first, w));
    if (same !== undefined) {
      same.share += w.share;
      return;
    }
    out.push({
      encoding: encodingOf(w, samples.names, i === 0 ? second : null, multiplied),
      share: w.share,
      explained: Math.max(0, ...w.scores),
      first: w,
    });
  });
  return out
    .filter((o, i) => i === 0 || o.share > LEAST_SHARE)
    .slice(0, MOST_READINGS)
    .map(({ encoding, share, explained }) => ({ encoding, share, explained }));
}

function isAlike(a: WeighedReading, b: WeighedReading): boolean {
  return (
    a.of === b.of &&
    a.swapped === b.swapped &&
    a.signX === b.signX &&
    a.signY === b.signY &&
    a.yScale === b.yScale &&
    Math.abs(Math.log((a.scale * a.named.factor) / (b.scale * b.named.factor))) < 0.05
  );
}

/** From this confidence on nothing needs to be told apart. */
const SETTLED = 0.85,
  FEW_TELL = 30,
  RIVAL_SHARE = 0.05;

/** What would settle an open question, the most useful first. */
function wouldTell({ weighed, frames }: Solution, confidence: number): string[] {
  if (confidence >= SETTLED) return [];
  const [best] = weighed,
    rival = weighed.find((w) => !decodesAlike(w) && w.share > RIVAL_SHARE);
  const out: string[] = [];
  if (frames.some((f) => !f.pictures.has[0] || !f.pictures.has[1]))
    out.push('The frame before or after this one, which is not there, would tell more.');
  if (best.of.telling < FEW_TELL)
    out.push(
      'Little of what moves can be recognised again here: a frame with more texture, or a point whose motion you know, would tell more.',
    );
  if (rival !== undefined) {
    const sameWay = rival.of === best.of && rival.swapped === best.swapped && rival.signX === best.signX && rival.signY === best.signY;
    out.push(
      sameWay
        ? 'What remains is the scale: one point of which you know how far it moves, or a frame in which the speed changes, would settle it.'
        : 'What remains is the direction: one point of which you know where it goes, or a frame in which things move another way, would settle it.',
    );
  }
  if (out.length === 0) out.push('A point whose motion you know, or another frame, would make it surer.');
  return out;
}
