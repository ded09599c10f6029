import { MATCH_TAPS } from '@ivrex/kernels/interface';
import { LEVELS, pictureAt, type BeautyPictures } from './beauty-pictures';
import type { Candidate } from './candidates';
import { seeded } from './seeded';
import type { StoredPass } from './stored-pass';
import { pixelUnder, vectorField, type VectorField } from './vector-field';
import { lengthOf } from './vector-length';

/** One frame of the pass and the pictures it belongs to. */
export interface FrameOfPass {
  readonly pictures: BeautyPictures;
  readonly now: StoredPass;
  /** The files before and after this one. */
  readonly beside: readonly [StoredPass | null, StoredPass | null];
  /** What values are divided by, at the size of each pass; null where they were not multiplied. */
  readonly alpha: { readonly now: Float32Array | null; readonly beside: readonly [Float32Array | null, Float32Array | null] };
}

/** Points of a frame at which a candidate's vectors are held against the pictures. */
export interface PointSet {
  readonly frame: FrameOfPass;
  readonly count: number;
  /** Pixel indices of level 0. */
  readonly x: Float32Array;
  readonly y: Float32Array;
  readonly levels: readonly PointLevel[];
}

/** Points at one level of the pyramid, with what matches there by chance and standing still. */
export interface PointLevel {
  readonly level: number;
  /** Places for the kernel, pixels of the level. */
  readonly places: Float32Array;
  /** MATCH_TAPS vectors a point, u then v, linear stored units. */
  readonly vectors: Float32Array;
  /** The residual that halves a match, nearly: a fifth of that of random displacements, and noise. */
  readonly tolerance: Float32Array;
  /** By 0 previous, 1 next, 2 the better of both: what matches without the vectors, 0 to 1. */
  readonly base: readonly [Float32Array, Float32Array, Float32Array];
}

/** Two thirds where the pass moves, one third where the pictures change whatever the pass says: those convict a foreign pass. */
const MOVING_POINTS = 173,
  CHANGING_POINTS = 87,
  /** Slower than this share of the pass's fastest is at rest. */
  MOVES_FROM = 0.05,
  RANDOM_MOVES = 12,
  RANDOM_FROM_PX = 4,
  RANDOM_TO_PX = 100,
  /** A match is exp(-residual / tolerance). */
  OF_RANDOM = 0.2,
  OVER_NOISE = 2;

export interface SpeedOfPass {
  /** Linear stored units: the 99th percentile of what moves, over all frames. */
  readonly fast: number;
  /** Below this it is the pass's own noise, or a step of 8 bits. */
  readonly least: number;
  /** Of whole numbers: a step around zero; 0 for floats. */
  readonly step: number;
}

/** Null where fewer than LEAST_POINTS points have texture and a vector. `times`: so many times the usual number. */
export function choosePoints(
  frame: FrameOfPass,
  candidate: Candidate,
  { fast, least }: SpeedOfPass,
  votes: (pixel: number) => boolean,
  seed: number,
  times = 1,
): PointSet | null {
  const { pictures } = frame,
    { cells } = pictures;
  const field = vectorField(frame.now, candidate, frame.alpha.now);
  const random = seeded(seed);
  const moving: Drawn[] = [],
    changing: Drawn[] = [];
  const speeds = new Float64Array(cells.x.length),
    classes = new Int32Array(cells.x.length),
    perClass = new Map<number, number>();
  const slowest = Math.max(MOVES_FROM * fast, least);
  for (let k = 0; k < cells.x.length; k++) {
    const x = cells.x[k],
      y = cells.y[k];
    speeds[k] = NaN;
    const pixel = pixelUnder(x, y, pictures, field);
    if (!field.read(pixel) || !votes(pixel)) continue;
    speeds[k] = lengthOf(field.u, field.v);
    if (!(speeds[k] > slowest)) continue;
    // Classes of speed and place share the points between them, so that a large even thing does not take all.
    classes[k] =
      Math.min(8, Math.floor((8 * speeds[k]) / fast)) +
      10 * Math.floor((y * 4) / pictures.height) +
      100 * Math.floor((x * 6) / pictures.width);
    perClass.set(classes[k], (perClass.get(classes[k]) ?? 0) + 1);
  }
  for (let k = 0; k < speeds.length; k++) {
    if (speeds[k] !== speeds[k]) continue;
    // Drawn without putting back: the largest of u^(1/weight) (Efraimidis and Spirakis, 2006).
    if (speeds[k] > slowest) {
      const weight = (speeds[k] / fast + 0.05) / Math.sqrt(perClass.get(classes[k]) ?? 1);
      moving.push({ cell: k, key: Math.log(random()) / weight });
    }
    // What rests beside something that moves may be hidden behind it, or its soft edge.
    const rests = !(speeds[k] > slowest);
    if (cells.changes[k] === 2 && !(rests && movesBeside(field, pictures, cells.x[k], cells.y[k], slowest)))
      changing.push({ cell: k, key: Math.log(random()) });
  }
  const drawn = new Set([...largest(moving, times * MOVING_POINTS), ...largest(changing, times * CHANGING_POINTS)]);
  if (drawn.size < LEAST_POINTS) return null;
  const chosen = [...drawn].sort((a, b) => a - b);
  const x = Float32Array.from(chosen, (k) => cells.x[k]),
    y = Float32Array.from(chosen, (k) => cells.y[k]);
  const levels = Array.from({ length: LEVELS }, (_, level) => {
    const vectors = patchVectors(frame, candidate, x, y, level, least);
    return withBases(frame, x, y, level, vectors, random);
  });
  return { frame, count: chosen.length, x, y, levels };
}

const LEAST_POINTS = 8,
  BESIDE_PX = 4;

function movesBeside(field: VectorField, pictures: BeautyPictures, x: number, y: number, slowest: number): boolean {
  for (const dy of [-BESIDE_PX, 0, BESIDE_PX])
    for (const dx of [-BESIDE_PX, 0, BESIDE_PX])
      if (field.read(pixelUnder(x + dx, y + dy, pictures, field)) && lengthOf(field.u, field.v) > slowest) return true;
  return false;
}

interface Drawn {
  readonly cell: number;
  readonly key: number;
}

function largest(drawn: Drawn[], count: number): number[] {
  const keys = Float64Array.from(drawn, (d) => d.key).sort(),
    least = keys[Math.max(0, keys.length - count)];
  return drawn.flatMap((d) => (d.key >= least ? [d.cell] : []));
}

/** Every place of a patch moves by its own vector: a zoom or a turn changes within a patch. A place without one moves with the middle. */
export function patchVectors(
  frame: FrameOfPass,
  candidate: Candidate,
  x: Float32Array,
  y: Float32Array,
  level: number,
  least: number,
): Float32Array {
  const { pictures } = frame;
  const field = vectorField(frame.now, candidate, frame.alpha.now);
  const out = new Float32Array(x.length * MATCH_TAPS * 2),
    step = 2 ** level;
  for (let i = 0; i < x.length; i++) {
    let u = 0,
      v = 0;
    if (field.read(pixelUnder(x[i], y[i], pictures, field))) [u, v] = [field.u, field.v];
    for (let tap = 0; tap < MATCH_TAPS; tap++) {
      const px = Math.min(pictures.width - 1, Math.max(0, x[i] + ((tap % 3) - 1) * step)),
        py = Math.min(pictures.height - 1, Math.max(0, y[i] + (Math.floor(tap / 3) - 1) * step));
      const has = field.read(pixelUnder(px, py, pictures, field));
      let a = has ? field.u : u,
        b = has ? field.v : v;
      if (lengthOf(a, b) <= least) a = b = 0;
      out[(i * MATCH_TAPS + tap) * 2] = a;
      out[(i * MATCH_TAPS + tap) * 2 + 1] = b;
    }
  }
  return out;
}

function withBases(
  { pictures }: FrameOfPass,
  x: Float32Array,
  y: Float32Array,
  level: number,
  vectors: Float32Array,
  random: () => number,
): PointLevel {
  const count = x.length,
    scale = 2 ** -level;
  const places = new Float32Array(count * 2);
  for (let i = 0; i < count; i++) {
    places[i * 2] = (x[i] + 0.5) * scale - 0.5;
    places[i * 2 + 1] = (y[i] + 0.5) * scale - 0.5;
  }
  const rigid = new Float32Array(count * MATCH_TAPS * 2),
    scales = new Float32Array((RANDOM_MOVES + 1) * 2);
  // Standing still first, then displacements that all points share but for the quarter they point to.
  for (let n = 1; n <= RANDOM_MOVES; n++) {
    const length = RANDOM_FROM_PX * (RANDOM_TO_PX / RANDOM_FROM_PX) ** random() * scale,
      angle = (random() * Math.PI) / 2;
    scales.set([Math.cos(angle) * length, Math.sin(angle) * length], n * 2);
  }
  for (let i = 0; i < count; i++) {
    const right = random() < 0.5 ? 1 : -1,
      down = random() < 0.5 ? 1 : -1;
    for (let tap = 0; tap < MATCH_TAPS; tap++) {
      rigid[(i * MATCH_TAPS + tap) * 2] = right;
      rigid[(i * MATCH_TAPS + tap) * 2 + 1] = down;
    }
  }
  const residuals = ([0, 1] as const).map((side) => {
    if (!pictures.has[side]) return null;
    const out = new Float32Array(count * (RANDOM_MOVES + 1));
    pictures.session.match(pictureAt(null, level), pictureAt(side, level), { places, vectors: rigid, step: 1, scales }, out);
    return out;
  });
  const tolerance = new Float32Array(count),
    base = [new Float32Array(count), new Float32Array(count), new Float32Array(count)] as const;
  for (let i = 0; i < count; i++) {
    let sum = 0,
      n = 0;
    for (const side of residuals)
      if (side !== null)
        for (let k = count + i; k < side.length; k += count)
          if (side[k] >= 0) {
            sum += side[k];
            n++;
          }
    tolerance[i] = OF_RANDOM * (n === 0 ? 0 : sum / n) + OVER_NOISE * pictures.noise;
    const match = (side: 0 | 1, k: number) => {
      const r = residuals[side]?.[k * count + i] ?? -1;
      return r >= 0 ? Math.exp(-r / tolerance[i]) : 0;
    };
    const chance = [0, 0, 0];
    for (let k = 1; k <= RANDOM_MOVES; k++) {
      const before = match(0, k),
        after = match(1, k);
      chance[0] += before / RANDOM_MOVES;
      chance[1] += after / RANDOM_MOVES;
      chance[2] += Math.max(before, after) / RANDOM_MOVES;
    }
    const stands = [match(0, 0), match(1, 0)];
    base[0][i] = Math.max(chance[0], stands[0]);
    base[1][i] = Math.max(chance[1], stands[1]);
    base[2][i] = Math.max(chance[2], stands[0], stands[1]);
  }
  return { level, places, vectors, tolerance, base };
}

/** A part of a set's points, spread over it. */
export function somePoints(set: PointSet, count: number): PointSet {
  if (set.count <= count) return set;
  const chosen = Array.from({ length: count }, (_, k) => Math.floor((k * set.count) / count));
  const take = (from: Float32Array, each: number) => {
    const out = new Float32Array(count * each);
    chosen.forEach((i, k) => out.set(from.subarray(i * each, (i + 1) * each), k * each));
    return out;
  };
  const levels = set.levels.map((l) => ({
    ...l,
    places: take(l.places, 2),
    vectors: take(l.vectors, MATCH_TAPS * 2),
    tolerance: take(l.tolerance, 1),
    base: [take(l.base[0], 1), take(l.base[1], 1), take(l.base[2], 1)] as const,
  }));
  return { ...set, count, x: take(set.x, 1), y: take(set.y, 1), levels };
}

/** Number of points that can tell a motion from standing still and from chance: soft, repetitive and still places count for nothing. */
export function tellingPoints(sets: readonly PointSet[]): number {
  let sum = 0;
  for (const { levels } of sets) for (const b of levels[1].base[2]) sum += 1 - b;
  return sum;
}
