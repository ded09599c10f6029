import { transferPair } from '../../colour/transfer';
import type { Candidate } from './candidates';
import { choosePoints, tellingPoints, type FrameOfPass, type PointSet, type SpeedOfPass } from './points';
import { quantile, type PassSamples } from './pass-samples';
import { isFiltered } from './edges';
import { stuckIn } from './stored-pass';
import type { Case } from './sweep';
import { vectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** Steps of whole numbers that rest half a step off are at rest: a step and a half from the middle. */
const RESTS_WITHIN_STEPS = 0.9,
  FASTEST_SHARE = 0.99,
  /** Against a pass that hums everywhere: what counts as moving is held against its very fastest. */
  TOP_SHARE = 0.999,
  OF_TOP = 0.05,
  LEAST_MOVING = 0.0003,
  OVER_PASS_NOISE = 3;

/** A candidate with its points in all frames; null where next to nothing moves, or no textured place. */
export function caseOf(candidate: Candidate, frames: readonly FrameOfPass[], samples: PassSamples): Case | null {
  const { undo, apply } = transferPair(candidate.curve);
  const speeds: number[] = [];
  const [p, q] = [samples.values[candidate.a], samples.values[candidate.b]],
    length = candidate.length === null ? null : samples.values[candidate.length];
  for (let i = 0; i < p.length; i++) {
    const speed = length === null ? lengthOf(undo(p[i]) - candidate.zero, undo(q[i]) - candidate.zeroB) : Math.abs(undo(length[i]));
    if (speed - speed === 0) speeds.push(speed);
  }
  const type = samples.types[candidate.a],
    codes = type === 'u8' ? 255 : type === 'u16' ? 65535 : null;
  const step = codes === null ? 0 : Math.abs(undo(apply(candidate.zero) + 1 / codes) - candidate.zero),
    resting = RESTS_WITHIN_STEPS * step;
  const top = quantile(speeds, TOP_SHARE);
  const moving = speeds.filter((s) => s > Math.max(resting, OF_TOP * top));
  if (moving.length < LEAST_MOVING * speeds.length || moving.length === 0) return null;
  const fast = quantile(moving, FASTEST_SHARE);
  const noise = Math.min(...frames.map((f) => passNoise(f, candidate)));
  const speed: SpeedOfPass = { fast, least: Math.max(resting, noise > 0.01 * fast ? OVER_PASS_NOISE * noise : 0), step };
  const votes = frames.map((frame, n) => votesAt(frame, candidate, samples, n));
  const choose = (alsoRough: boolean, times = 1) =>
    frames.flatMap((frame, n) => choosePoints(frame, candidate, speed, (pixel) => votes[n](pixel, alsoRough), n + 1, times) ?? []);
  let sets = choose(false),
    telling = tellingPoints(sets);
  // A small thing may be all edge.
  if (telling < FEW_TELLING) {
    const all = choose(true);
    if (tellingPoints(all) > telling) [sets, telling] = [all, tellingPoints(all)];
  }
  let many: PointSet[] | null = null;
  return sets.length === 0 ? null : { candidate, sets, speed, telling, manyPoints: () => (many ??= choose(false, MANY_TIMES)) };
}

/** A pixel whose value is stuck at the end of the range does not vote, nor does a rough one beside an edge that was filtered, unless asked to. */
function votesAt(
  frame: FrameOfPass,
  candidate: Candidate,
  { shapes }: PassSamples,
  n: number,
): (pixel: number, alsoRough: boolean) => boolean {
  const { width, channels } = frame.now,
    own = candidate.length === null ? [candidate.a, candidate.b] : [candidate.length];
  const zero = candidate.length === null ? transferPair(candidate.curve).apply(candidate.zero) : 0;
  const walls = own.flatMap((c) =>
    stuckIn(channels[c], shapes[n][c], width, zero).map(({ value }) => ({ data: channels[c].data, at: value })),
  );
  const filtered = own.flatMap((c) => {
    const range = shapes[n][c].high - shapes[n][c].low;
    return frame.alpha.now === null && isFiltered(frame.now, c, range) ? [{ data: channels[c].data, most: ROUGH_SHARE * range }] : [];
  });
  return (pixel, alsoRough) =>
    walls.every(({ data, at }) => data[pixel] !== at) &&
    (alsoRough || filtered.every(({ data, most }) => isSmooth(data, width, pixel, most)));
}

/** So many more points are `manyPoints`. */
export const MANY_TIMES = 8;

const FEW_TELLING = 20,
  ROUGH_SHARE = 0.08,
  ROUGH_REACH_PX = 4;

function isSmooth(data: Float32Array, width: number, pixel: number, most: number): boolean {
  const here = data[pixel];
  for (const step of [1, width])
    for (const way of [ROUGH_REACH_PX, -ROUGH_REACH_PX]) if (Math.abs(data[pixel + way * step] - here) > most) return false;
  return true;
}

/** A mean of four neighbours differs from a pixel of noise s by 0.36 s at the 25th percentile. */
function passNoise(frame: FrameOfPass, candidate: Candidate): number {
  return neighbourDistance(frame, candidate, 0) / 0.36;
}

/** Of pixels that move: the 25th percentile of the distance from the mean of their neighbours, linear stored units. */
export function movingNoise({ candidate, sets, speed }: Case): number {
  return Math.max(...sets.map((s) => neighbourDistance(s.frame, candidate, MOVING_FROM * speed.fast)));
}

const MOVING_FROM = 0.1,
  LOOKED_AT = 4000;

/** The 25th percentile, on the noisier axis, over pixels faster than `least`; 0 where hardly any are. */
function neighbourDistance({ now, alpha }: FrameOfPass, candidate: Candidate, least: number): number {
  const field = vectorField(now, candidate, alpha.now);
  const { width, height } = now,
    offs: [number[], number[]] = [[], []];
  const every = Math.max(1, Math.floor((width * height) / LOOKED_AT)) | 1;
  for (let i = width + 1; i < width * (height - 1) - 1; i += every) {
    if (!field.read(i) || !(lengthOf(field.u, field.v) >= least)) continue;
    const { u, v } = field;
    let sumU = 0,
      sumV = 0,
      ok = true;
    for (const j of [i - 1, i + 1, i - width, i + width]) {
      ok = field.read(j) && ok;
      sumU += field.u;
      sumV += field.v;
    }
    if (!ok) continue;
    offs[0].push(Math.abs(u - sumU / 4));
    offs[1].push(Math.abs(v - sumV / 4));
  }
  return offs[0].length < FEWEST_FOR_NOISE ? 0 : Math.max(...offs.map((o) => quantile(o, 0.25)));
}

const FEWEST_FOR_NOISE = 100;
