/** Scene-linear brightness of a plate at three frames, row by row; a neighbour that is not there is null. */
export interface PlateLight {
  readonly width: number;
  readonly height: number;
  readonly previous: Float32Array | null;
  readonly now: Float32Array;
  readonly next: Float32Array | null;
}

export interface Place {
  readonly x: number;
  readonly y: number;
}

export interface StreakMeasure {
  /** Where the thing was when the shutter opened and closed, or the other way round; pixels. */
  readonly from: Place;
  readonly to: Place;
  readonly lengthPx: number;
  readonly lengthErrorPx: number;
  /** How far it goes from frame to frame. */
  readonly speedPx: number;
  readonly speedErrorPx: number;
  readonly angleDeg: number;
  readonly angleErrorDeg: number;
  /** 0..1: how alike it looks in the neighbouring frames. */
  readonly likeness: number;
  /** Brightness along the streak above its surroundings, `STEP_PX` apart, and the fitted one. */
  readonly profile: {
    readonly start: number;
    readonly step: number;
    readonly measured: readonly number[];
    readonly fitted: readonly number[];
  };
  readonly notes: readonly string[];
}

/** Why nothing could be measured. */
export interface StreakRefusal {
  readonly refused: string;
}

const STEP_PX = 0.5,
  /** Half the width of what is averaged across the streak, and where its surroundings are looked at. */
  ACROSS_PX = 2.5,
  AROUND_PX = 7,
  SHORTEST_PX = 4,
  LEAST_LIKENESS = 0.6;

/**
 * The shutter angle from one streak of a small thing: its length by fitting a box with soft ends to the brightness along it, its speed by
 * finding it again in the frames before and after. A thing smaller than its streak only softens the ends.
 */
export function measureStreak(plate: PlateLight, drawnFrom: Place, drawnTo: Place): StreakMeasure | StreakRefusal {
  const drawnPx = Math.hypot(drawnTo.x - drawnFrom.x, drawnTo.y - drawnFrom.y);
  if (drawnPx < SHORTEST_PX) return { refused: `Draw along the whole streak: ${SHORTEST_PX} pixels at least.` };
  const line = straighten(plate, drawnFrom, drawnTo);
  const profile = profileAlong(plate, line);
  const box = fitBox(profile.values, line.lengthPx);
  if (box === null)
    return {
      refused: 'Nothing along this line stands out from its surroundings with a beginning and an end. Draw along a bright or dark streak.',
    };
  const lengthPx = box.end - box.start,
    start = profile.start + box.start,
    end = profile.start + box.end;
  const from = alongOf(line, start),
    to = alongOf(line, end);
  const found = track(plate, line, from, to, lengthPx);
  if (found === null)
    return {
      refused:
        'It was not found again in the frame before or after. Take a streak that is in the picture in all three, away from others like it.',
    };
  const angleDeg = (360 * lengthPx) / found.speedPx;
  const relative = Math.hypot(box.error / lengthPx, found.errorPx / found.speedPx);
  const notes: string[] = [];
  if (box.softness * 2.5 > lengthPx)
    notes.push('The thing is about as long as its streak: the length is not sure. Take a smaller or a faster thing.');
  if (found.sides === 1) notes.push('It was found in one neighbouring frame only: that its speed stays is taken on trust.');
  return {
    from,
    to,
    lengthPx,
    lengthErrorPx: box.error,
    speedPx: found.speedPx,
    speedErrorPx: found.errorPx,
    angleDeg,
    angleErrorDeg: angleDeg * relative,
    likeness: found.likeness,
    profile: { start: profile.start, step: STEP_PX, measured: profile.values, fitted: box.fitted },
    notes,
  };
}

/** Several streaks of one shutter, by their errors; what they disagree by widens the error. Null without any. */
export function combineStreaks(
  streaks: readonly Pick<StreakMeasure, 'angleDeg' | 'angleErrorDeg'>[],
): { angleDeg: number; errorDeg: number } | null {
  if (streaks.length === 0) return null;
  let weight = 0,
    sum = 0;
  for (const { angleDeg, angleErrorDeg } of streaks) {
    const w = 1 / Math.max(0.5, angleErrorDeg) ** 2;
    weight += w;
    sum += w * angleDeg;
  }
  const angleDeg = sum / weight;
  let scatter = 0;
  for (const s of streaks) scatter += (s.angleDeg - angleDeg) ** 2 / Math.max(0.5, s.angleErrorDeg) ** 2;
  const excess = streaks.length > 1 ? Math.max(1, Math.sqrt(scatter / (streaks.length - 1))) : 1;
  return { angleDeg, errorDeg: excess / Math.sqrt(weight) };
}

interface Line {
  readonly at: Place;
  /** Unit vector along it. */
  readonly along: Place;
  readonly lengthPx: number;
}

function alongOf({ at, along }: Line, s: number, across = 0): Place {
  return { x: at.x + along.x * s - along.y * across, y: at.y + along.y * s + along.x * across };
}

/** The drawn line, moved and turned onto what is brightest (or darkest) across it. */
function straighten({ now, width, height }: PlateLight, from: Place, to: Place): Line {
  let line = lineOf(from, to);
  for (let turn = 0; turn < 2; turn++) {
    // Weighted straight line through the centres of light across.
    let w0 = 0,
      w1 = 0,
      w2 = 0,
      m0 = 0,
      m1 = 0;
    for (let s = 0; s <= line.lengthPx; s += 1) {
      const level = surroundings(now, width, height, line, s);
      let light = 0,
        moment = 0;
      for (let across = -5; across <= 5; across += 0.5) {
        const p = alongOf(line, s, across),
          v = Math.abs(sample(now, width, height, p) - level) ** 2;
        light += v;
        moment += v * across;
      }
      if (light === 0) continue;
      w0 += light;
      w1 += light * s;
      w2 += light * s * s;
      m0 += moment;
      m1 += moment * s;
    }
    const determinant = w0 * w2 - w1 * w1;
    if (!(determinant > 1e-9 * w0 * w2)) return line;
    const slope = (m1 * w0 - m0 * w1) / determinant,
      shift = (m0 - slope * w1) / w0;
    line = lineOf(alongOf(line, 0, shift), alongOf(line, line.lengthPx, shift + slope * line.lengthPx));
  }
  return line;
}

function lineOf(from: Place, to: Place): Line {
  const lengthPx = Math.hypot(to.x - from.x, to.y - from.y);
  return { at: from, along: { x: (to.x - from.x) / lengthPx, y: (to.y - from.y) / lengthPx }, lengthPx };
}

function surroundings(plane: Float32Array, width: number, height: number, line: Line, s: number): number {
  const beside = [-AROUND_PX - 1, -AROUND_PX, AROUND_PX, AROUND_PX + 1].map((across) =>
    sample(plane, width, height, alongOf(line, s, across)),
  );
  return beside.reduce((a, b) => a + b, 0) / beside.length;
}

/** From before the line's start to behind its end: half its length each, eight pixels at least. */
function profileAlong({ now, width, height }: PlateLight, line: Line): { start: number; values: number[] } {
  const beyond = Math.max(8, line.lengthPx * 0.5),
    values: number[] = [];
  for (let s = -beyond; s <= line.lengthPx + beyond; s += STEP_PX) {
    let sum = 0,
      count = 0;
    for (let across = -ACROSS_PX; across <= ACROSS_PX; across += 0.5) {
      sum += sample(now, width, height, alongOf(line, s, across));
      count++;
    }
    values.push(sum / count - surroundings(now, width, height, line, s));
  }
  return { start: -beyond, values };
}

interface FittedBox {
  /** From the profile's start, in pixels. */
  readonly start: number;
  readonly end: number;
  readonly softness: number;
  readonly error: number;
  readonly fitted: number[];
}

/** level + height x (a box from start to end, softened by a Gaussian), by Gauss-Newton with damping. Null when there is no such thing. */
function fitBox(values: readonly number[], drawnPx: number): FittedBox | null {
  const n = values.length;
  const edge = [...values.slice(0, 6), ...values.slice(-6)].sort((a, b) => a - b)[6],
    middle = values.slice(Math.floor(n * 0.4), Math.ceil(n * 0.6));
  const height = middle.reduce((a, b) => a + b, 0) / middle.length - edge;
  const sign = Math.sign(height);
  const isHigh = (i: number) => sign * (values[i] - edge) > Math.abs(height) / 2;
  let first = n >> 1,
    last = n >> 1;
  while (first > 0 && isHigh(first - 1)) first--;
  while (last < n - 1 && isHigh(last + 1)) last++;
  if (height === 0 || !isHigh(n >> 1) || first < 1 || last > n - 2) return null;
  // Another streak on the same line does not count.
  let low = first - 1,
    high = last + 1;
  while (low > 0 && !isHigh(low - 1)) low--;
  while (high < n - 1 && !isHigh(high + 1)) high++;
  const from = low > 0 ? (first + low) / 2 : 0,
    until = high < n - 1 ? (last + high) / 2 : n - 1;
  const weights = values.map((_, i) => (i >= from && i <= until ? 1 : 0));
  // start, end, softness, height, level
  let p = [first * STEP_PX, last * STEP_PX, 1.2, height, edge];
  const model = ([start, end, softness, tall, level]: readonly number[], i: number) =>
    level + tall * (phi((i * STEP_PX - start) / softness) - phi((i * STEP_PX - end) / softness));
  const costOf = (q: readonly number[]) => values.reduce((sum, v, i) => sum + weights[i] * (model(q, i) - v) ** 2, 0);
  let cost = costOf(p),
    damping = 1e-3;
  for (let step = 0; step < 40; step++) {
    const { matrix, right } = slopes(values, weights, p, model);
    const delta = solveLinear(
      matrix.map((row, k) => row.map((v, l) => (k === l ? v * (1 + damping) + 1e-12 : v))),
      right,
    );
    if (delta === null) return null;
    const next = p.map((v, k) => v + delta[k]);
    next[2] = Math.min(drawnPx, Math.max(0.3, next[2]));
    const then = costOf(next);
    if (then < cost) {
      const done = cost - then < 1e-9 * cost;
      p = next;
      cost = then;
      damping = Math.max(1e-6, damping / 4);
      if (done) break;
    } else if ((damping *= 6) > 1e6) break;
  }
  const { matrix } = slopes(values, weights, p, model);
  const inverse = [0, 1].map(
    (k) =>
      solveLinear(
        matrix,
        p.map((_, l) => (l === k ? 1 : 0)),
      ) ?? [],
  );
  const [start, end, softness, tall] = p;
  // Neighbouring values of the profile share pixels: about every fourth tells something of its own.
  const noise = Math.sqrt((4 * cost) / Math.max(1, until - from - 4));
  if (!(end - start > 1) || Math.abs(tall) < 3 * noise || inverse.some((row) => row.length === 0)) return null;
  const variance = inverse[0][0] + inverse[1][1] - 2 * inverse[0][1];
  return {
    start,
    end,
    softness,
    error: Math.hypot(0.1, noise * Math.sqrt(Math.max(0, variance))),
    fitted: values.map((_, i) => model(p, i)),
  };
}

function slopes(
  values: readonly number[],
  weights: readonly number[],
  p: readonly number[],
  model: (q: readonly number[], i: number) => number,
): { matrix: number[][]; right: number[] } {
  const matrix = p.map(() => p.map(() => 0)),
    right = p.map(() => 0);
  const moved = p.map((v, k) => p.map((u, l) => (l === k ? v + 1e-4 : u)));
  values.forEach((v, i) => {
    if (weights[i] === 0) return;
    const at = model(p, i),
      row = moved.map((q) => (model(q, i) - at) / 1e-4);
    for (let k = 0; k < p.length; k++) {
      right[k] += row[k] * (v - at);
      for (let l = 0; l < p.length; l++) matrix[k][l] += row[k] * row[l];
    }
  });
  return { matrix, right };
}

/** Gaussian elimination with pivots; null when there is no single answer. */
function solveLinear(matrix: readonly (readonly number[])[], right: readonly number[]): number[] | null {
  const n = right.length,
    rows = matrix.map((row, k) => [...row, right[k]]);
  for (let k = 0; k < n; k++) {
    let pivot = k;
    for (let r = k + 1; r < n; r++) if (Math.abs(rows[r][k]) > Math.abs(rows[pivot][k])) pivot = r;
    if (!(Math.abs(rows[pivot][k]) > 1e-14)) return null;
    [rows[k], rows[pivot]] = [rows[pivot], rows[k]];
    for (let r = 0; r < n; r++) {
      if (r === k) continue;
      const share = rows[r][k] / rows[k][k];
      for (let c = k; c <= n; c++) rows[r][c] -= share * rows[k][c];
    }
  }
  return rows.map((row, k) => row[n] / row[k]);
}

/** The normal distribution's integral (Abramowitz and Stegun 1964, 7.1.26; off by less than 1.5e-7). */
function phi(x: number): number {
  const z = Math.abs(x) / Math.SQRT2,
    t = 1 / (1 + 0.3275911 * z);
  const erf = 1 - t * (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) * Math.exp(-z * z);
  return x < 0 ? (1 - erf) / 2 : (1 + erf) / 2;
}

/** A streak may be this many times shorter than the way from frame to frame, and longer. */
const MOST_TIMES = 6,
  LEAST_TIMES = 0.7;

interface Tracked {
  readonly speedPx: number;
  readonly errorPx: number;
  readonly likeness: number;
  readonly sides: 1 | 2;
}

interface Sighting {
  readonly along: number;
  readonly across: number;
  readonly likeness: number;
}

/** Finds the streak again along its own line, one way in the next frame and the other way in the one before. */
function track(plate: PlateLight, line: Line, from: Place, to: Place, lengthPx: number): Tracked | null {
  const patch = patchOf(plate.now, plate, line, from, to);
  const next = plate.next && sightings(plate.next, plate, line, patch, lengthPx),
    previous = plate.previous && sightings(plate.previous, plate, line, patch, lengthPx);
  if (next !== null && previous !== null) {
    let best: (Tracked & { readonly score: number }) | null = null;
    for (const n of next)
      for (const p of previous) {
        const a = Math.hypot(n.along, n.across),
          b = Math.hypot(p.along, p.across);
        const apart = Math.hypot(n.along + p.along, n.across + p.across);
        if (apart > 3 + 0.12 * Math.max(a, b)) continue;
        const likeness = (n.likeness + p.likeness) / 2,
          score = likeness - apart / (20 + Math.max(a, b));
        if (best === null || score > best.score)
          best = { speedPx: (a + b) / 2, errorPx: Math.hypot(0.15, Math.abs(a - b) / 4), likeness, sides: 2, score };
      }
    if (best !== null) return best;
  }
  const [only] = [...(next ?? []), ...(previous ?? [])].sort((a, b) => b.likeness - a.likeness);
  if (only === undefined || (next !== null && previous !== null)) return null;
  return { speedPx: Math.hypot(only.along, only.across), errorPx: 0.3 + 0.03 * Math.abs(only.along), likeness: only.likeness, sides: 1 };
}

interface Patch {
  readonly start: number;
  readonly across: number;
  readonly long: number;
  readonly wide: number;
  /** Less their mean, with squares that add up to 1. */
  readonly values: Float64Array;
}

function patchOf(plane: Float32Array, plate: PlateLight, line: Line, from: Place, to: Place): Patch {
  const s0 = (from.x - line.at.x) * line.along.x + (from.y - line.at.y) * line.along.y,
    s1 = (to.x - line.at.x) * line.along.x + (to.y - line.at.y) * line.along.y;
  const start = Math.floor(Math.min(s0, s1)) - 5,
    long = Math.ceil(Math.abs(s1 - s0)) + 11;
  const form = { start, across: -6, long, wide: 13 };
  return { ...form, values: valuesOf(plane, plate, line, form, 0, 0) };
}

function valuesOf(
  plane: Float32Array,
  { width, height }: PlateLight,
  line: Line,
  { start, across, long, wide }: Omit<Patch, 'values'>,
  byAlong: number,
  byAcross: number,
): Float64Array {
  const out = new Float64Array(long * wide),
    { at, along } = line;
  let mean = 0;
  for (let j = 0; j < wide; j++)
    for (let i = 0; i < long; i++) {
      // Written out: millions of these are looked at.
      const s = start + i + byAlong,
        a = across + j + byAcross,
        v = sampleAt(plane, width, height, at.x + along.x * s - along.y * a, at.y + along.y * s + along.x * a);
      out[j * long + i] = v;
      mean += v / out.length;
    }
  let square = 0;
  for (let k = 0; k < out.length; k++) square += (out[k] -= mean) ** 2;
  const scale = square > 0 ? 1 / Math.sqrt(square) : 0;
  for (let k = 0; k < out.length; k++) out[k] *= scale;
  return out;
}

/** Places where it looks the same, to a part of a pixel, the likest first. */
function sightings(plane: Float32Array, plate: PlateLight, line: Line, patch: Patch, lengthPx: number): Sighting[] {
  const far = Math.ceil(lengthPx * MOST_TIMES + 4),
    near = Math.max(2, Math.floor(lengthPx * LEAST_TIMES));
  const likeness = (along: number, across: number) => {
    const there = valuesOf(plane, plate, line, patch, along, across);
    let sum = 0;
    for (let k = 0; k < there.length; k++) sum += there[k] * patch.values[k];
    return sum;
  };
  const coarse: Sighting[] = [];
  for (let along = -far; along <= far; along += 2) {
    if (Math.abs(along) < near) continue;
    const middle = alongOf(line, line.lengthPx / 2 + along);
    if (middle.x < 0 || middle.y < 0 || middle.x >= plate.width || middle.y >= plate.height) continue;
    const wide = 3 + 0.12 * Math.abs(along);
    for (let across = -wide; across <= wide; across += 2) coarse.push({ along, across, likeness: likeness(along, across) });
  }
  const found: Sighting[] = [];
  for (const seen of coarse.sort((a, b) => b.likeness - a.likeness)) {
    if (seen.likeness < LEAST_LIKENESS / 2 || found.length === 5) break;
    if (found.some((f) => Math.hypot(f.along - seen.along, f.across - seen.across) < 6)) continue;
    const exact = sharpen(seen, likeness);
    if (exact.likeness >= LEAST_LIKENESS) found.push(exact);
  }
  return found;
}

/** Uphill in ever smaller steps. */
function sharpen(start: Sighting, likeness: (along: number, across: number) => number): Sighting {
  let best = start;
  for (let step = 1; step > 0.03;) {
    let better = best;
    for (const [a, b] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      const along = best.along + a * step,
        across = best.across + b * step,
        like = likeness(along, across);
      if (like > better.likeness) better = { along, across, likeness: like };
    }
    if (better === best) step /= 2;
    else best = better;
  }
  return best;
}

/** Bilinear; a pixel's centre is at its index plus a half; the border is repeated. */
function sample(plane: Float32Array, width: number, height: number, { x, y }: Place): number {
  return sampleAt(plane, width, height, x, y);
}

function sampleAt(plane: Float32Array, width: number, height: number, x: number, y: number): number {
  const fx = Math.min(width - 1, Math.max(0, x - 0.5)),
    fy = Math.min(height - 1, Math.max(0, y - 0.5));
  const x0 = Math.min(width - 2, Math.floor(fx)),
    y0 = Math.min(height - 2, Math.floor(fy));
  const u = fx - x0,
    v = fy - y0,
    i = y0 * width + x0;
  return (plane[i] * (1 - u) + plane[i + 1] * u) * (1 - v) + (plane[i + width] * (1 - u) + plane[i + width + 1] * u) * v;
}
