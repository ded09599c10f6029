import { MATCH_TAPS } from '@ivrex/kernels/interface';
import { somePoints, type PointSet } from './points';
import { scoreMoves, type Moves } from './score';
import { bestScale, fitOf, isSameKind, patchesOf, priorOf, scaleOf, SIGNS, type Case, type Reading } from './sweep';
import { pixelUnder, vectorField, type VectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** Middle of the interval that the vectors cover, frames: 0.5 towards the next frame, -0.5 from the one before, 0 around the frame, 0.25 its first half. */
export type Middle = 0.5 | 0.25 | 0 | -0.5;
const MIDDLES: readonly Middle[] = [0.5, 0.25, 0, -0.5];

/** A reading over one interval. */
export interface BentReading extends Reading {
  readonly middle: Middle;
  /** Of all levels together: what it explains of the pictures, up to 1. */
  readonly fit: number;
}

const LOOKED_AT = 5,
  WITHIN = 0.3,
  CLOSE = 0.15,
  ENDS: readonly Middle[] = [0.5, -0.5],
  SAME_SCALE = 0.06,
  RANKED_BY_PRIOR = 0.02;

/** From this fit on a straight path needs no other proposals. */
const STRAIGHT_ENOUGH = 0.6,
  FEW_POINTS = 72,
  BENT_PROPOSALS = 3,
  SLOWEST_PX = 3,
  FASTEST_WIDTHS = 0.4,
  STEP = 1.12,
  MIDDLES_OF_PROPOSALS: readonly Middle[] = [0, 0.25];

/**
 * The few best readings under every middle of the interval. Where motion changes its speed, the way to the next frame is not the way from the previous one:
 * how much it changes is read off the pass's own neighbours at the place where the point goes. Where no straight path explains much, bent ones are proposed.
 */
export function bendReadings(refined: readonly Reading[], cases: readonly Case[], proposes: boolean): BentReading[] {
  const sorted = [...refined].sort((a, b) => fitOf(b.scores) + RANKED_BY_PRIOR * b.prior - fitOf(a.scores) - RANKED_BY_PRIOR * a.prior);
  const groups = apart(sorted).slice(0, LOOKED_AT);
  const kept = groups.filter((g) => fitOf(g.scores) > fitOf(groups[0].scores) - WITHIN);
  // One that explains much less will not win by its middle.
  const straight = kept.flatMap((g) =>
    (fitOf(g.scores) > fitOf(groups[0].scores) - CLOSE ? MIDDLES : ENDS).map((middle) => bent(g, middle)),
  );
  if (!proposes || cases.length === 0 || straight.some((r) => r.fit > STRAIGHT_ENOUGH)) return straight;
  const likely = cases.reduce((best, c) => (c.candidate.prior > best.candidate.prior ? c : best));
  return [...straight, ...proposeBent(likely, refined)];
}

function apart(sorted: readonly Reading[]): Reading[] {
  const out: Reading[] = [];
  for (const r of sorted) if (!out.some((g) => isSameKind(g, r) && Math.abs(Math.log(g.scale / r.scale)) < SAME_SCALE)) out.push(r);
  return out;
}

/** Scales, signs and orders whose bent paths to both neighbours match best at a few points. */
function proposeBent(of: Case, refined: readonly Reading[]): BentReading[] {
  const like = refined.find((r) => r.of === of);
  if (like === undefined || !of.sets.some((s) => s.frame.beside.some((b) => b !== null))) return [];
  const few = fewOf(like).of;
  const width = Math.max(...of.sets.map((s) => s.frame.pictures.width));
  const found: { readonly reading: Reading; readonly score: number }[] = [];
  for (const swapped of [false, true])
    for (const [signX, signY] of SIGNS) {
      const row: { readonly reading: Reading; readonly score: number }[] = [];
      for (let px = SLOWEST_PX; px < FASTEST_WIDTHS * width; px *= STEP) {
        const prior = priorOf(of, swapped, signX, signY, 1, like.order);
        const reading: Reading = {
          ...like,
          of: few,
          swapped,
          signX,
          signY,
          yScale: 1,
          scale: px / of.speed.fast,
          side: 2,
          prior,
          scores: [0, 0, 0],
        };
        const moves = movesOf(reading, 1, 0, changesOf(reading, 1, 0));
        const [before, after] = scoreMoves(few.sets, 1, moves, [scaleOf(reading)]);
        row.push({ reading, score: (before[0] + after[0]) / 2 });
      }
      row.forEach((r, k) => {
        if (!(r.score < row[k - 1]?.score) && !(r.score < row[k + 1]?.score)) found.push(r);
      });
    }
  found.sort((a, b) => b.score + 0.004 * b.reading.prior - a.score - 0.004 * a.reading.prior);
  return found.slice(0, BENT_PROPOSALS).flatMap(({ reading }) => MIDDLES_OF_PROPOSALS.map((middle) => bent({ ...reading, of }, middle)));
}

function bent(reading: Reading, middle: Middle): BentReading {
  const { of, side } = reading;
  const score = (level: number, moves: Moves, scales: readonly number[]) =>
    scoreMoves(
      of.sets,
      level,
      moves,
      scales.map((k) => scaleOf({ ...reading, scale: k })),
    );
  let { scale } = reading;
  let bends = changesOf(reading, 1, middle);
  if (middle === 0 || middle === 0.25) {
    // The scale of a straight path is off by up to a third where motion changes its speed.
    let best = -Infinity;
    const few = fewOf(reading);
    for (let i = 0; i <= 12; i++) {
      const tried = { ...few, scale: reading.scale * Math.exp(-0.48 + 0.06 * i) };
      const [before, after] = scoreMoves(few.of.sets, 1, movesOf(tried, 1, middle, changesOf(tried, 1, middle)), [scaleOf(tried)]);
      if (before[0] + after[0] > best) {
        best = before[0] + after[0];
        scale = tried.scale;
      }
    }
    bends = changesOf({ ...reading, scale }, 1, middle);
  }
  const speed = scale * of.speed.fast;
  const scores: [number, number, number] = [0, 0, reading.scores[2]];
  for (const { level, half, steps } of [
    { level: 1, half: 0.06, steps: 9 },
    { level: 0, half: 0.015, steps: 7 },
  ] as const) {
    const moves = movesOf(reading, level, middle, bends);
    let both: Float64Array | null = null;
    const span = Math.max(half, Math.min(0.3, ((1 + level) * 0.4) / speed));
    const best = bestScale(scale, span, steps, (tried) => {
      const [before, after, better] = score(level, moves, tried);
      both = better;
      return sideScore(middle, before, after);
    });
    scale = best.scale;
    scores[level] = 0.5 * best.score + 0.5 * ((both as Float64Array | null)?.[best.at] ?? 0);
  }
  const final = { ...reading, scale };
  const coarse = score(2, movesOf(final, 2, middle, changesOf(final, 2, middle)), [scale]);
  scores[2] = Math.max(scores[2], 0.5 * sideScore(middle, coarse[0], coarse[1])[0] + 0.5 * coarse[2][0]);
  return { ...final, side: middle === 0.5 ? 1 : middle === -0.5 ? 0 : side, middle, scores, fit: fitOf(scores) };
}

/** The same reading at some of the points. */
function fewOf(reading: Reading): Reading {
  const { of } = reading;
  return { ...reading, of: { ...of, sets: of.sets.map((s) => somePoints(s, Math.ceil(FEW_POINTS / of.sets.length))) } };
}

/** The bent ways of a reading to both neighbours. */
export function bentMoves(reading: BentReading, level: number): Moves {
  return movesOf(reading, level, reading.middle, changesOf(reading, level, reading.middle));
}

function sideScore(middle: Middle, before: Float64Array, after: Float64Array): Float64Array {
  return middle === 0.5 ? after : middle === -0.5 ? before : before.map((v, k) => (v + after[k]) / 2);
}

function changesOf(reading: Reading, level: number, middle: Middle): Float32Array[] {
  const vectors = patchesOf(reading, level);
  return reading.of.sets.map((s, n) => changes(s, reading, middle, vectors[n]));
}

/** The ways to both neighbours, in the reading's order. */
function movesOf(reading: Reading, level: number, middle: Middle, bends: readonly Float32Array[]): Moves {
  const vectors = patchesOf(reading, level);
  return {
    next: vectors.map((v, n) => plus(v, bends[n], 0.5 - middle)),
    previous: vectors.map((v, n) => plus(v, bends[n], -0.5 - middle)),
  };
}

/**
 * Vectors `times` frames on: turned and lengthened evenly. What turns keeps its length this way (the mean of two chords of a circle is shorter than the chord
 * between them), and what speeds up along a line is a parabola.
 */
function plus(vectors: Float32Array, change: Float32Array, times: number): Float32Array {
  if (times === 0) return vectors;
  const out = new Float32Array(vectors.length);
  for (let i = 0; i < out.length; i += 2) bendInto(out, i, vectors[i], vectors[i + 1], change[i] * times, change[i + 1] * times);
  return out;
}

function bendInto(out: Float32Array, at: number, u: number, v: number, angle: number, length: number): void {
  const cos = Math.cos(angle) * (1 + length),
    sin = Math.sin(angle) * (1 + length);
  out[at] = u * cos - v * sin;
  out[at + 1] = u * sin + v * cos;
}

/**
 * Change of every point's vector from one frame to the next, the same for all of its patch: angle (radians) and length (share of it), in the reading's order. Twice, as the place where it
 * is read depends on it. Where no neighbour says anything that could belong to the same surface (a rim that a straight path leaves), the nearest point of like
 * motion lends its own.
 */
function changes({ frame, x, y, count }: PointSet, reading: Reading, intervalMiddle: Middle, vectors: Float32Array): Float32Array {
  const { pictures } = frame,
    { candidate } = reading.of;
  const [kx, ky] = scaleOf(reading);
  const fields = frame.beside.map((pass, side) =>
    pass === null || pass.width !== frame.now.width ? null : vectorField(pass, candidate, frame.alpha.beside[side]),
  );
  const out = new Float32Array(vectors.length),
    known = new Uint8Array(count),
    way = new Float32Array(2);
  for (let round = 0; round < 2; round++) {
    for (let i = 0; i < count; i++) {
      known[i] = 0;
      const j = i * MATCH_TAPS * 2,
        middle = j + MIDDLE_TAP * 2,
        u = vectors[middle],
        v = vectors[middle + 1],
        length = lengthOf(u, v);
      if (length === 0) continue;
      let angle = 0,
        longer = 0,
        n = 0;
      for (const [side, towards] of SIDES_IN_TIME) {
        const field: VectorField | null = fields[side];
        if (field === null) continue;
        const t = 0.5 * towards - intervalMiddle;
        bendInto(way, 0, u, v, out[middle] * t, out[middle + 1] * t);
        const there = pixelUnder(x[i] + towards * kx * way[0], y[i] + towards * ky * way[1], pictures, field);
        if (!field.read(there)) continue;
        const [a, b] = reading.swapped ? [field.v, field.u] : [field.u, field.v];
        // Another surface's vector differs by nearly a whole one.
        if (!(lengthOf(a - u, b - v) < OTHER_SURFACE * length)) continue;
        angle += towards * Math.atan2(u * b - v * a, u * a + v * b);
        longer += towards * (lengthOf(a, b) / length - 1);
        n++;
      }
      // What was lent stays where the bent path leaves its surface too.
      if (n === 0) continue;
      known[i] = 1;
      for (let tap = 0; tap < MATCH_TAPS; tap++) {
        out[j + tap * 2] = angle / n;
        out[j + tap * 2 + 1] = longer / n;
      }
    }
    if (round === 0) lend(x, y, vectors, known, out);
  }
  return out;
}

const SIDES_IN_TIME = [
    [1, 1],
    [0, -1],
  ] as const,
  MIDDLE_TAP = 4,
  OTHER_SURFACE = 0.95,
  /** Motions of one surface near each other differ by less than half of the longer one. */
  LIKE_MOTION = 0.5;

function lend(x: Float32Array, y: Float32Array, vectors: Float32Array, known: Uint8Array, out: Float32Array): void {
  const at = (i: number) => (i * MATCH_TAPS + MIDDLE_TAP) * 2;
  for (let i = 0; i < known.length; i++) {
    if (known[i] === 1) continue;
    const u = vectors[at(i)],
      v = vectors[at(i) + 1];
    let best = -1,
      nearest = Infinity;
    for (let k = 0; k < known.length; k++) {
      const distance = (x[k] - x[i]) ** 2 + (y[k] - y[i]) ** 2;
      if (known[k] === 0 || distance >= nearest) continue;
      const p = vectors[at(k)],
        q = vectors[at(k) + 1];
      if (lengthOf(p - u, q - v) > LIKE_MOTION * Math.max(lengthOf(u, v), lengthOf(p, q))) continue;
      nearest = distance;
      best = k;
    }
    if (best < 0) continue;
    for (let tap = 0; tap < MATCH_TAPS; tap++) {
      out[(i * MATCH_TAPS + tap) * 2] = out[at(best)];
      out[(i * MATCH_TAPS + tap) * 2 + 1] = out[at(best) + 1];
    }
  }
}
