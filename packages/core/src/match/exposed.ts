import { exposureWithin, type ExposureShape } from '../shutter/exposure-shape';
import type { Moments } from './moments';

/** The points of `m` under an exposure from a to b (frames, strength included), into `out`: points x 4. */
export function exposedPoints(m: Moments, a: number, b: number, shape: ExposureShape, out: Float32Array): void {
  const dt = (2 * m.reach) / m.steps,
    row = m.points * 4;
  // A shorter exposure than a step is one moment: the slope of the sums there.
  const grow = Math.max(0, dt - (b - a)) / 2;
  const opens = clampTo(a - grow, m.reach),
    closes = clampTo(b + grow, m.reach);
  out.fill(0);
  if (shape.kind === 'even') {
    const scale = 1 / Math.max(1e-9, closes - opens);
    addSums(m, (closes + m.reach) / dt, scale, row, out);
    addSums(m, (opens + m.reach) / dt, -scale, row, out);
    return;
  }
  const length = Math.max(1e-9, closes - opens);
  const share = (t: number) => Math.min(1, Math.max(0, (t - opens) / length));
  for (let j = Math.floor((opens + m.reach) / dt); j < m.steps; j++) {
    const from = share(-m.reach + j * dt),
      to = share(-m.reach + (j + 1) * dt);
    if (from >= 1) break;
    const weight = to > from ? exposureWithin(shape, from, to) / dt : 0;
    if (weight === 0) continue;
    const high = (j + 1) * row,
      low = j * row;
    for (let i = 0; i < row; i++) out[i] += weight * (m.sums[high + i] - m.sums[low + i]);
  }
}

/** Adds `scale` x the sums at step `at`, which may lie between two. */
function addSums({ sums, steps }: Moments, at: number, scale: number, row: number, out: Float32Array): void {
  const j = Math.min(steps - 1, Math.max(0, Math.floor(at))),
    u = at - j;
  const low = scale * (1 - u),
    high = scale * u,
    from = j * row,
    to = from + row;
  for (let i = 0; i < row; i++) out[i] += low * sums[from + i] + high * sums[to + i];
}

function clampTo(v: number, most: number): number {
  return Math.min(most, Math.max(-most, v));
}
