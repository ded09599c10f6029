import { transferPair } from '../../colour/transfer';
import { pairedT } from './compare-errors';
import { velocitiesOf } from './hypothesis';
import { isSameMotion, type Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import type { Settled } from './settle';
import { BOTH, fitWarp, SIDES, warpErrorOf, warpErrorsAt } from './warp-fit';

/** Readings that leave so much more are other ones, whichever neighbour they are held against. */
const CLEARLY_WORSE = 1.1;

/**
 * How sure a reading is, 0 to 1, held against the test set: what the warp takes away of the picture's difference, how clearly other
 * readings are worse, and how much of the measured motion it explains.
 */
export function confidenceOf(settled: Settled, measured: MeasuredMotion, rivals: readonly Judged[], explained: number): number {
  const { judged, scales } = settled;
  const { vx, vy } = velocitiesOf(judged.samples, judged.hypothesis);
  const still = new Float64Array(vx.length).map((_, k) => (vx[k] - vx[k] === 0 ? 0 : NaN));
  const errors = warpErrorsAt(measured, vx, vy, BOTH);
  const before = warpErrorOf(measured, still, still, { ...settled.view, bend: null }),
    after = warpErrorOf(measured, vx, vy, settled.view);
  const drop = before.mean > 0 ? 1 - after.mean / before.mean : 0;
  const overStill = pairedT(warpErrorsAt(measured, still, still, BOTH), errors);
  let margin = Infinity;
  const ownSide = settled.middle === 1 ? SIDES[0] : settled.middle === -1 ? SIDES[1] : null;
  for (const rival of rivals) {
    const other = velocitiesOf(rival.samples, rival.hypothesis);
    if (isSameMotion(vx, vy, other.vx, other.vy)) continue;
    // Two more channels that say nearly the same are the other neighbour's set, not another reading.
    const used = [judged.hypothesis.x, judged.hypothesis.y];
    const disjoint = ![rival.hypothesis.x, rival.hypothesis.y].some((c) => used.includes(c));
    if (disjoint && isSameMotion(vx, vy, other.vx, other.vy, 0.3)) continue;
    let t = pairedT(warpErrorsAt(measured, other.vx, other.vy, BOTH), errors);
    // Where things speed up, a vector to one neighbour fits that one, and its mirror image the other one only half.
    if (ownSide !== null) {
      const fits = warpErrorOf(measured, vx, vy, ownSide).mean,
        theirs = Math.min(...SIDES.map((side) => warpErrorOf(measured, other.vx, other.vy, side).mean));
      if (theirs > CLEARLY_WORSE * fits)
        t = Math.max(t, pairedT(warpErrorsAt(measured, other.vx, other.vy, ownSide), warpErrorsAt(measured, vx, vy, ownSide)));
      else if (disjoint) continue;
    }
    margin = Math.min(margin, t);
  }
  // Everything moving alike needs no pass: a reading must do clearly better than the best single vector.
  const alike = bestSingleVector(measured, vx, vy);
  if (!isSameMotion(vx, vy, alike.vx, alike.vy))
    margin = Math.min(margin, pairedT(warpErrorsAt(measured, alike.vx, alike.vy, BOTH), errors));
  const rise = (v: number, half: number) => v / (v + half);
  let confidence = rise(Math.max(0, drop - 0.05), 0.02) * rise(Math.max(0, overStill - 2), 0.4) * rise(Math.max(0, margin - 2), 0.3);
  confidence *= rise(after.points, 12);
  if (explained < 0.35) confidence *= 0.4 + explained;
  if (!settled.measuredX || !settled.measuredY) confidence *= 0.75;
  if (scales[0]?.snapped !== true) confidence *= 0.93;
  confidence /= 1 + 1.5 * coarseness(judged, vx, vy);
  return Math.min(0.99, Number.isNaN(confidence) ? 0 : confidence);
}

/** A step of the pass where values stand still, as a share of the usual speed: what lies between two steps can't be read. */
function coarseness({ samples, hypothesis }: Judged, vx: Float64Array, vy: Float64Array): number {
  if (hypothesis.layout === 'direction') return 0;
  const speeds = vx.map((x, k) => Math.hypot(x, vy[k])).filter((s) => s - s === 0);
  speeds.sort();
  const usual = speeds[speeds.length >> 1] ?? 0;
  if (!(usual > 0)) return 0;
  const { undo, apply } = transferPair(hypothesis.transfer);
  const [ox, slope] = hypothesis.parameters;
  const { step } = samples.shapes[hypothesis.x];
  // Of 16 bits and floats the steps are finer than anything that is measured.
  if (step < 1e-3) return 0;
  const rest = apply(-ox / slope);
  return Math.min(1, Math.abs(slope * (undo(rest + step) - undo(rest))) / usual);
}

function bestSingleVector(measured: MeasuredMotion, vx: Float64Array, vy: Float64Array): { vx: Float64Array; vy: Float64Array } {
  const ones = vx.map((v) => (v - v === 0 ? 1 : NaN));
  const middle = (v: Float64Array) => {
    const sorted = v.filter((n) => n - n === 0).sort();
    return sorted.length === 0 ? 0 : sorted[sorted.length >> 1];
  };
  const { parameters } = fitWarp(
    measured,
    { basisX: [ones, null], basisY: [null, ones] },
    Float64Array.of(middle(vx), middle(vy)),
    [2, 1, 0].filter((l) => l < measured.now.length),
    { target: 'both', chosen: null, bend: null },
  );
  return { vx: ones.map((o) => o * parameters[0]), vy: ones.map((o) => o * parameters[1]) };
}
