import type { Transfer } from '../../colour/transfer';
import { transferPair } from '../../colour/transfer';
import { CURVES, motionOf, restOf, velocitiesOf, type Hypothesis, type PassSamples } from './hypothesis';
import type { MeasuredMotion } from './measured-motion';
import { velocities, warpErrorOf, type WarpView } from './warp-fit';

const SWEEP_STEPS = 22,
  SWEEP_FROM_PX = 1.5,
  SWEEP_TO_PX = 160,
  SWEEP_POINTS = 400,
  SWEEPS_KEPT = 4;

/**
 * Hypotheses without flow: every pair of channels, both signs, and a ladder of ranges, judged by how well the coarse picture warps.
 * It finds what flow can't follow: turning, repeating and very fast things.
 */
export function suggestFromSweep(samples: PassSamples, measured: MeasuredMotion): Hypothesis[] {
  const level = Math.min(2, measured.now.length - 1);
  const every = Math.max(1, measured.x.length / SWEEP_POINTS);
  const chosen = Int32Array.from({ length: Math.floor(measured.x.length / every) }, (_, k) => Math.floor(k * every));
  const found: { readonly score: number; readonly hypothesis: Hypothesis }[] = [];
  for (const transfer of CURVES.slice(0, 2)) {
    const { undo } = transferPair(transfer);
    for (const x of samples.varying.slice(0, 4)) {
      for (const y of samples.varying.slice(0, 4)) {
        if (x === y) continue;
        for (const zeros of restingPairs(samples, x, y, undo)) {
          const best = sweepPair(samples, measured, { x, y, transfer }, zeros, { target: 'both', level, chosen, bend: null });
          if (best !== null) found.push(best);
        }
      }
    }
  }
  const view = { target: 'both', level, chosen, bend: null } as const;
  const components = found.sort((a, b) => a.score - b.score).slice(0, SWEEPS_KEPT);
  return [...components, ...sweepDirections(samples, measured, view)].map((f) => f.hypothesis);
}

/** Two channels that lie on a circle around their zero hold a direction, whatever the pictures say; a third one is their length. */
function sweepDirections(samples: PassSamples, measured: MeasuredMotion, view: WarpView): { score: number; hypothesis: Hypothesis }[] {
  const out: { score: number; hypothesis: Hypothesis }[] = [];
  const [first] = CURVES;
  for (const x of samples.varying.slice(0, 4)) {
    for (const y of samples.varying.slice(0, 4)) {
      if (x === y) continue;
      for (const zero of new Set([0, 0.5, restOf(samples.shapes[x])])) {
        if (!isCircle(samples.values[x], samples.values[y], zero)) continue;
        for (const length of samples.varying.filter((c) => c !== x && c !== y)) {
          const { high } = samples.shapes[length];
          let best: { score: number; hypothesis: Hypothesis } | null = null;
          for (let step = 0; step < SWEEP_STEPS && high > 0; step++) {
            const px = SWEEP_FROM_PX * (SWEEP_TO_PX / SWEEP_FROM_PX) ** (step / (SWEEP_STEPS - 1));
            for (const [signX, signY] of [
              [1, 1],
              [1, -1],
              [-1, 1],
              [-1, -1],
            ] as const) {
              const hypothesis: Hypothesis = {
                layout: 'direction',
                x,
                y,
                length,
                zero,
                signX,
                signY,
                transfer: first,
                parameters: Float64Array.of(px / high),
              };
              const { vx, vy } = velocitiesOf(samples, hypothesis);
              const { mean, points } = warpErrorOf(measured, vx, vy, view);
              if (points > 30 && (best === null || mean < best.score)) best = { score: mean, hypothesis };
            }
          }
          if (best !== null) out.push(best);
        }
      }
    }
  }
  return out.sort((a, b) => a.score - b.score).slice(0, 2);
}

/** Distances from the zero hardly vary, although the values do. */
function isCircle(xs: Float64Array, ys: Float64Array, zero: number): boolean {
  const radii: number[] = [];
  for (let k = 0; k < xs.length; k++) {
    const r = Math.hypot(xs[k] - zero, ys[k] - zero);
    if (r === r) radii.push(r);
  }
  if (radii.length < 30) return false;
  radii.sort((a, b) => a - b);
  const low = radii[Math.floor(radii.length * 0.1)],
    high = radii[Math.floor(radii.length * 0.9)];
  return low > 0 && high < 1.08 * low;
}

/** What may stand still: what most pixels hold, and the middle where values lie on both sides of it. */
function restingPairs(samples: PassSamples, x: number, y: number, undo: (v: number) => number): (readonly [number, number])[] {
  const [sx, sy] = [samples.shapes[x], samples.shapes[y]];
  const rests = [undo(restOf(sx)), undo(restOf(sy))] as const;
  const centred = [sx, sy].every((s) => undo(s.low) < 0.5 && undo(s.high) > 0.5 && s.min >= 0 && s.max <= 1);
  return centred && (Math.abs(rests[0] - 0.5) > 0.02 || Math.abs(rests[1] - 0.5) > 0.02) ? [rests, [0.5, 0.5]] : [rests];
}

function sweepPair(
  samples: PassSamples,
  measured: MeasuredMotion,
  channels: { readonly x: number; readonly y: number; readonly transfer: Transfer },
  zeros: readonly [number, number],
  view: WarpView,
): { score: number; hypothesis: Hypothesis } | null {
  const { x, y, transfer } = channels,
    { undo } = transferPair(transfer);
  const reach = Math.max(...[x, y].flatMap((c, i) => [undo(samples.shapes[c].high) - zeros[i], zeros[i] - undo(samples.shapes[c].low)]));
  if (!(reach > 0)) return null;
  let best: { score: number; hypothesis: Hypothesis } | null = null;
  const motion = motionOf(samples, { layout: 'components', x, y, transfer, parameters: new Float64Array(4) });
  const vx = new Float64Array(measured.x.length),
    vy = new Float64Array(measured.x.length);
  for (let step = 0; step < SWEEP_STEPS; step++) {
    const px = SWEEP_FROM_PX * (SWEEP_TO_PX / SWEEP_FROM_PX) ** (step / (SWEEP_STEPS - 1));
    for (const [sx, sy] of [
      [1, 1],
      [1, -1],
      [-1, 1],
      [-1, -1],
    ]) {
      const slopeX = (sx * px) / reach,
        slopeY = (sy * px) / reach;
      const parameters = Float64Array.of(-zeros[0] * slopeX, slopeX, -zeros[1] * slopeY, slopeY);
      velocities(motion, parameters, vx, vy);
      const { mean, points } = warpErrorOf(measured, vx, vy, view);
      if (points > 30 && (best === null || mean < best.score))
        best = { score: mean, hypothesis: { layout: 'components', x, y, transfer, parameters } };
    }
  }
  return best;
}
