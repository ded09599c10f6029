import type { Encoding } from '../encoding/encoding';
import { transferPair } from '../../colour/transfer';
import { velocitiesOf, type Hypothesis } from './hypothesis';
import type { MotionFiles } from './identification';
import { slide, spread, type Judged } from './judge';
import type { MeasuredMotion } from './measured-motion';
import { settle, type Settled } from './settle';
import { BOTH, SIDES, warpErrorOf, type WarpView } from './warp-fit';

const LOOKED_AT_AGAIN = 6,
  PARTNERED = 2,
  SLID_PARTNERS = 2;

/**
 * Where everything speeds up, the way to the next frame is far from the mirrored way to the previous one, and against both a mixture of
 * the two does as well as either. Where two pairs of channels that are stored alike explain a neighbour each, they are two sets, and the
 * one to the next frame is read first. Gives back what it got where there are no such pairs.
 */
export function onOneSide(judged: readonly Judged[], measured: MeasuredMotion): readonly Judged[] {
  if (judged.length === 0 || judged[0].samples.varying.length < 4 || measured.next === null || measured.previous === null) return judged;
  const [{ samples, frameOffset }] = judged,
    chosen = spread(samples, 1000);
  const on = (side: WarpView, hypothesis: Hypothesis) => slide(samples, frameOffset, hypothesis, measured, [1, 0], { ...side, chosen });
  const pairs = SIDES.flatMap((side, s) => {
    const firsts = judged.slice(0, LOOKED_AT_AGAIN).map((j) => on(side, j.hypothesis));
    firsts.sort((a, b) => likely(a) - likely(b));
    return firsts.slice(0, PARTNERED).flatMap((first) =>
      partnersOf(first, measured, { ...SIDES[1 - s], chosen }).map((partner) => {
        const other = on(SIDES[1 - s], partner);
        return { next: s === 0 ? first : other, previous: s === 0 ? other : first, unlikely: likely(first) + likely(other) };
      }),
    );
  })
    .filter(({ next, previous }) => areTwoSets(next.hypothesis, previous.hypothesis))
    .sort((a, b) => a.unlikely - b.unlikely)
    .map((pair) => ({ ...pair, error: (pair.next.error.mean + pair.previous.error.mean) / 2 }));
  if (pairs.length > 0 && pairs[0].error < judged[0].error.mean) {
    const { next, previous } = pairs[0];
    return [next, previous, ...judged];
  }
  return judged;
}

/**
 * What is stored like it in two other channels, for the other neighbour: the same zero and scale, turned round or not. Of all pairs of
 * channels those that fit best as they are: of eight channels there are sixty, and sliding is slow.
 */
function partnersOf({ samples, hypothesis }: Judged, measured: MeasuredMotion, view: WarpView): Hypothesis[] {
  if (hypothesis.layout === 'direction') return [];
  const left = samples.varying.filter((c) => c !== hypothesis.x && c !== hypothesis.y);
  const partners = left.flatMap((x) =>
    left
      .filter((y) => y !== x)
      .flatMap((y) => [1, -1].map((sign) => ({ ...hypothesis, x, y, parameters: hypothesis.parameters.map((p) => sign * p) }))),
  );
  const fit = partners.map((partner) => {
    const { vx, vy } = velocitiesOf(samples, partner);
    return { partner, error: warpErrorOf(measured, vx, vy, view).mean };
  });
  return fit
    .sort((a, b) => a.error - b.error)
    .slice(0, SLID_PARTNERS)
    .map(({ partner }) => partner);
}

/**
 * The error, weighed up where x and y are no neighbours in the file or no motion is stored as no usual value: a common acceleration lets
 * x of one set pass for x of the other, with a zero of its own.
 */
function likely({ samples, hypothesis, error }: Judged): number {
  if (hypothesis.layout === 'direction') return error.mean;
  const { undo } = transferPair(hypothesis.transfer),
    [ox, sx, oy, sy] = hypothesis.parameters;
  const off = (c: number, offset: number, slope: number) => {
    const { rest, restShare } = samples.shapes[c];
    return Math.min(...[0, 0.5, ...(restShare > 0.02 ? [undo(rest)] : [])].map((zero) => Math.abs(offset + slope * zero)));
  };
  const px = Math.hypot(off(hypothesis.x, ox, sx), off(hypothesis.y, oy, sy));
  return error.mean * (Math.abs(hypothesis.x - hypothesis.y) === 1 ? 1 : 1.1) * (1 + 0.1 * Math.min(3, px));
}

/** Other channels, the same scale, and the same sign or the other one on both axes. */
function areTwoSets(a: Hypothesis, b: Hypothesis): boolean {
  if (a.layout === 'direction' || b.layout === 'direction') return false;
  if ([b.x, b.y].some((c) => c === a.x || c === a.y)) return false;
  const [, ax, , ay] = a.parameters,
    [, bx, , by] = b.parameters;
  return Math.sign(ax * bx) === Math.sign(ay * by) && [ax / bx, ay / by].every((r) => Math.abs(Math.log(Math.abs(r))) < 0.12);
}

/** Of the rivals those that are no part of the two sets: the other set, or one axis of each, of the same file are no other reading. */
export function outsideOf(sets: Encoding['sets'], { samples, frameOffset }: Judged, rivals: readonly Judged[]): readonly Judged[] {
  const nameOf = (c: number) => samples.pass.channels[c].name;
  return rivals.filter(
    ({ hypothesis, frameOffset: theirs }) =>
      theirs !== frameOffset || !sets.some((s) => s.x === nameOf(hypothesis.x)) || !sets.some((s) => s.y === nameOf(hypothesis.y)),
  );
}

/** Two more channels that hold the way to the other neighbour: the encoding with both sets, or null. */
export function secondSet(settled: Settled, measured: MeasuredMotion, files: MotionFiles): Encoding | null {
  const { samples, hypothesis, frameOffset } = settled.judged;
  if (hypothesis.layout === 'direction') return null;
  const left = samples.varying.filter((c) => c !== hypothesis.x && c !== hypothesis.y);
  if (left.length < 2 || measured.next === null || measured.previous === null) return null;
  const chosen = spread(samples, 1000);
  const view = { ...BOTH, chosen };
  const tried = partnersOf(settled.judged, measured, view).map((partner) => slide(samples, frameOffset, partner, measured, [1, 0], view));
  tried.sort((a, b) => a.error.mean - b.error.mean);
  const [found] = tried;
  if (found === undefined || found.hypothesis.layout === 'direction') return null;
  const same = slide(samples, frameOffset, found.hypothesis, measured, [0], BOTH);
  const other = settle({ ...found, hypothesis: same.hypothesis }, measured, files);
  if (other.judged.error.mean > 1.4 * settled.judged.error.mean + 0.003) return null;
  const [mine] = settled.encoding.sets,
    [theirs] = other.encoding.sets;
  const [, slopeX, , slopeY] = hypothesis.parameters,
    [, otherX, , otherY] = other.judged.hypothesis.parameters;
  const flip = Math.sign(slopeX * otherX);
  if (Math.abs(Math.log(Math.abs(otherX / slopeX))) > 0.12 || flip !== Math.sign(slopeY * otherY)) return null;
  // The same vectors twice are one set.
  if (flip > 0 && settled.middle === other.middle) return null;
  const middle = Math.sign(settled.middle ?? -(other.middle ?? -1)) || 1,
    length = Math.abs(mine.covers.to - mine.covers.from),
    onward = Math.sign(mine.covers.to - mine.covers.from);
  /** The interval on one side of the frame, from its start to its end or the other way round. */
  const covers = (side: number, sense: number): Encoding['sets'][number]['covers'] => {
    const [from, to] = side > 0 ? [0, length] : [-length, 0];
    return sense > 0 ? { from, to, unit: mine.covers.unit } : { from: to, to: from, unit: mine.covers.unit };
  };
  const sets = [
    { ...mine, covers: covers(middle, onward) },
    { ...theirs, covers: covers(-middle, onward * flip) },
  ];
  // To the next frame first.
  return { ...settled.encoding, sets: middle < 0 ? sets.reverse() : sets };
}
