import { curveWords } from '../encoding/describe-encoding';
import { transferPair } from '../../colour/transfer';
import { measuredVelocity, velocitiesOf } from './hypothesis';
import type { AxisPlot, Evidence, PlotPoint } from './identification';
import type { Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import type { Settled } from './settle';
import { warpErrorOf } from './warp-fit';

const MOST_PLOTTED = 300,
  LINE_STEPS = 32;

/** What the reading rests on, ready to be drawn. */
export function evidenceOf(settled: Settled, measured: MeasuredMotion, rivals: readonly Judged[]): Evidence {
  const { judged } = settled;
  const { vx, vy } = velocitiesOf(judged.samples, judged.hypothesis);
  const { mx, my } = sideOf(settled, measured);
  let found = 0,
    explained = 0;
  const fits = new Uint8Array(vx.length);
  for (let k = 0; k < vx.length; k++) {
    const off = Math.hypot(vx[k] - mx[k], vy[k] - my[k]);
    if (off !== off) continue;
    found++;
    if (off < 0.75 + 0.05 * Math.hypot(mx[k], my[k])) {
      explained++;
      fits[k] = 1;
    }
  }
  const still = vx.map((v) => (v - v === 0 ? 0 : NaN));
  return {
    from: 'pictures',
    points: vx.length,
    measured: found,
    explained: found === 0 ? 0 : explained / found,
    residual: {
      before: warpErrorOf(measured, still, still, { ...settled.view, bend: null }).mean,
      after: warpErrorOf(measured, vx, vy, settled.view).mean,
    },
    plots: judged.hypothesis.layout === 'components' ? plotsOf(settled, measured, mx, my, fits) : [],
    alternatives: otherReadings(judged, rivals),
  };
}

/** The best of each kind of reading that was tried and is not the chosen one. */
function otherReadings(chosen: Judged, rivals: readonly Judged[]): Evidence['alternatives'] {
  const out = new Map<string, number>();
  for (const rival of [...rivals].sort((a, b) => a.error.mean - b.error.mean)) {
    const words = wordsOf(rival);
    if (words !== wordsOf(chosen) && !out.has(words)) out.set(words, rival.error.mean);
  }
  return [...out].slice(0, 3).map(([reading, residual]) => ({ reading, residual }));
}

function wordsOf({ hypothesis, samples, frameOffset }: Judged): string {
  const names = [hypothesis.x, hypothesis.y].map((c) => samples.shapes[c].name).join(', ');
  const words = [`${names} as ${hypothesis.layout === 'direction' ? 'direction, with a length' : 'x, y'}`, curveWords(hypothesis)];
  if (frameOffset !== 0) words.push(`file number ${frameOffset > 0 ? 'plus' : 'minus'} one`);
  return words.join(', ');
}

/** Measured motion on the side of the frame that the vectors are about. */
function sideOf({ middle }: Settled, measured: MeasuredMotion): { mx: Float64Array; my: Float64Array } {
  if (middle === null || middle === 0) return measuredVelocity(measured);
  const from = middle > 0 ? measured.toNext : measured.toPrevious,
    sign = middle > 0 ? 1 : -1;
  const axis = (c: 0 | 1) => Float64Array.from({ length: measured.x.length }, (_, k) => sign * from[k * 2 + c]);
  return { mx: axis(0), my: axis(1) };
}

function plotsOf(settled: Settled, measured: MeasuredMotion, mx: Float64Array, my: Float64Array, fits: Uint8Array): AxisPlot[] {
  const { samples, hypothesis } = settled.judged;
  const { undo } = transferPair(hypothesis.transfer);
  const [ox, sx, oy, sy] = hypothesis.parameters;
  return [
    { c: hypothesis.x, m: mx, offset: ox, slope: sx },
    { c: hypothesis.y, m: my, offset: oy, slope: sy },
  ].map(({ c, m, offset, slope }) => {
    const all: PlotPoint[] = [];
    for (let k = 0; k < m.length; k++) {
      const stored = samples.values[c][k];
      if ((stored - m[k]) * 0 !== 0) continue;
      all.push({ stored, measured: m[k], fits: fits[k] === 1, x: measured.x[k], y: measured.y[k] });
    }
    const every = Math.max(1, all.length / MOST_PLOTTED);
    const points = Array.from({ length: Math.floor(all.length / every) }, (_, k) => all[Math.floor(k * every)]);
    const shape = samples.shapes[c];
    const line = Array.from({ length: LINE_STEPS + 1 }, (_, k) => {
      const stored = shape.low + ((shape.high - shape.low) * k) / LINE_STEPS;
      return { stored, measured: offset + slope * undo(stored) };
    });
    return { channel: shape.name, points, line };
  });
}
