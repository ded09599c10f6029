import { transferPair, type Transfer } from '../../colour/transfer';
import { jointRest, quantile, type JointRest, type PassSamples } from './pass-samples';
import { lengthOf } from './vector-length';

/**
 * Two channels that may hold a vector (and one that may hold its length), the value of no motion and the curve: what the values alone suggest. Which of the
 * two is x, signs, scale and span are for the pictures to say. Numbers are channels of the pass.
 */
export interface Candidate {
  readonly a: number;
  readonly b: number;
  readonly length: number | null;
  /** Value of no motion after the curve has been undone; in `b` it is another one where the centre of an axis is off. */
  readonly zero: number;
  readonly zeroB: number;
  readonly curve: Transfer;
  /** Logarithm of how usual it is; 0 is the most usual. */
  readonly prior: number;
}

/** A value that both channels hold at more pixels than this rests. A pan has one in x and another in y. */
const REST_SHARE = 0.03,
  /** Nearer to 0.5 than half a step of 8 bits and a little: 0.5 in 8 bits is 127 or 128. */
  HALF_STEP = 0.0022,
  /** A rest farther than this from where a curve brings 0.5 speaks against that curve. */
  OFF_CURVE = 0.006,
  /** Centres of x and y that are farther apart are no centres. */
  MOST_APART = 0.1;

/** Logarithms of how usual a thing is against the most usual one of its kind; a difference of 1 weighs as much as 2.5 % of a picture explained. */
const PRIOR = { power: -2, srgb: -2.5, oddZero: -3, unitZero: -2, wide: -1.5, length: 3, otherRest: -6, halfConstant: -6 },
  /** So much rarer than the most usual one is not looked at. */
  LEAST_PRIOR = -7;

const CURVES: readonly { readonly curve: Transfer; readonly prior: number }[] = [
  { curve: { kind: 'none' }, prior: 0 },
  { curve: { kind: 'power', exponent: 2.2 }, prior: PRIOR.power },
  { curve: { kind: 'srgb' }, prior: PRIOR.srgb },
];

/**
 * `channels`: those that may hold motion. `constants`: channels that are 0 or 1 everywhere, which may still be half of a direction in 8 bits.
 * `standsStill(a, b, rest)`: what holds these two values stands still in the pictures or is empty (true), moves (false), or can't be told (null).
 */
export function candidatesOf(
  samples: PassSamples,
  channels: readonly number[],
  constants: readonly number[],
  premultiplied: boolean,
  standsStill: (a: number, b: number, rest: JointRest) => boolean | null,
): Candidate[] {
  const pairs = channels.flatMap((a, i) => channels.slice(i + 1).map((b) => ({ a, b, directionOnly: false })));
  if (channels.length === 2)
    for (const c of constants) for (const b of channels) pairs.push({ a: Math.min(b, c), b: Math.max(b, c), directionOnly: true });
  const out = pairs.flatMap((pair) => ofPair(samples, pair, channels, premultiplied, standsStill));
  // Where a length fits, the pair alone is half of what is stored.
  const withLength = new Set(out.filter((c) => c.length !== null).map((c) => `${c.a} ${c.b}`));
  const kept = out.filter((c) => c.length !== null || !withLength.has(`${c.a} ${c.b}`)),
    usual = Math.max(...kept.map((c) => c.prior));
  return kept.filter((c) => c.prior > usual + LEAST_PRIOR);
}

function ofPair(
  { names, types, values, alpha }: PassSamples,
  { a, b, directionOnly }: { readonly a: number; readonly b: number; readonly directionOnly: boolean },
  channels: readonly number[],
  premultiplied: boolean,
  standsStill: (a: number, b: number, rest: JointRest) => boolean | null,
): Candidate[] {
  let low = Infinity,
    high = -Infinity;
  for (let i = 0; i < alpha.length; i++) {
    const p = values[a][i],
      q = values[b][i];
    if ((p - q) * 0 !== 0 || (premultiplied && !(alpha[i] > 0.5))) continue;
    low = Math.min(low, p, q);
    high = Math.max(high, p, q);
  }
  if (!(high > low)) return [];
  const joint = jointRest(values[a], values[b]),
    isCommon = joint !== null && joint.share > REST_SHARE;
  // What rests in the pass and stands still in the pictures is no motion, whatever the value.
  const still = isCommon ? standsStill(a, b, joint) : null,
    apart = isCommon ? joint.b - joint.a : 0;
  // A pan has a value in x and another in y.
  const rest = isCommon && (Math.abs(apart) < 1e-6 || (still === true && Math.abs(apart) < MOST_APART)) ? joint.a : null;
  const unit = low >= -1e-3 && high <= 1 + 1e-3,
    // Float passes around 0.5 may leave 0 to 1.
    wide = !unit && low > -0.6 && high < 1.6 && !(rest !== null && Math.abs(rest) < 1e-3);
  const zeros: { readonly zero: number; readonly curve: Transfer; readonly prior: number }[] = [];
  if (wide || (unit && low >= (premultiplied ? -1e-3 : -1e-6)))
    for (const { curve, prior } of CURVES) {
      const half = transferPair(curve).apply(0.5);
      if (rest !== null && Math.abs(rest - half) > OFF_CURVE && rest > 0.02) continue;
      if (wide && curve.kind !== 'none') continue;
      const atHalf = rest !== null && Math.abs(rest - 0.5) < 0.003;
      // 8 bits have no 0.5: what stands still is held to stand still.
      const zero = rest !== null && curve.kind === 'none' && still !== false && Math.abs(rest - 0.5) <= HALF_STEP ? rest : 0.5;
      zeros.push({ zero, curve, prior: prior + (wide && !atHalf ? PRIOR.wide : 0) });
    }
  const none: Transfer = { kind: 'none' };
  if ((unit || wide) && rest !== null && rest > 0.4 && rest < 0.62 && Math.abs(rest - 0.5) > HALF_STEP)
    zeros.push({ zero: rest, curve: none, prior: PRIOR.oddZero });
  if (!unit) zeros.push({ zero: 0, curve: none, prior: 0 });
  else if (rest === null || rest <= 0.4) zeros.push({ zero: 0, curve: none, prior: PRIOR.unitZero });
  if (!unit && rest !== null && Math.abs(rest) > 1e-6 && !zeros.some((z) => Math.abs(z.zero - rest) < 1e-3))
    zeros.push({ zero: rest, curve: none, prior: PRIOR.oddZero });
  const weighed = zeros.map((z) => {
    const { undo } = transferPair(z.curve);
    if (rest === null || still !== true) return { ...z, zeroB: z.zero };
    const isRest = Math.abs(undo(rest) - z.zero) < HALF_STEP;
    if (Math.abs(apart) >= 1e-6) return { ...z, zero: undo(rest), zeroB: undo(rest + apart) };
    return { ...z, zeroB: z.zero, prior: isRest ? Math.max(z.prior, PRIOR.unitZero) : z.prior + PRIOR.otherRest };
  });
  // Where what rests is known, several guesses become one.
  const different = weighed.filter((z, i) => weighed.findIndex((o) => o.zero === z.zero && o.curve === z.curve) === i);
  return different.flatMap(({ zero, zeroB, curve, prior }) => {
    const own = prior + namesPrior(names[a], names[b]);
    const lengths = channels
      .filter((k) => k !== a && k !== b && isLengthOf(values, { a, b, zero, zeroB, curve }, k, types[k] === 'u8' ? EVEN_IN_8_BITS : EVEN))
      .map((length) => ({ a, b, length, zero, zeroB, curve, prior: own + (directionOnly ? PRIOR.halfConstant : PRIOR.length) }));
    return directionOnly ? lengths : [{ a, b, length: null, zero, zeroB, curve, prior: own }, ...lengths];
  });
}

/** Of the pixels whose length is more than a twentieth of the largest, 80 % have the same distance from zero in x and y. */
function isLengthOf(
  values: readonly Float32Array[],
  { a, b, zero, zeroB, curve }: Pick<Candidate, 'a' | 'b' | 'zero' | 'zeroB' | 'curve'>,
  length: number,
  even: number,
): boolean {
  const { undo } = transferPair(curve);
  // A length is never below nothing.
  let high = 0;
  for (const v of values[length]) {
    if (v < -1e-6) return false;
    if (v > high) high = v;
  }
  high = undo(high);
  if (!(high > 0)) return false;
  const radii: number[] = [],
    seen: number[] = [];
  let lowA = Infinity,
    highA = -Infinity;
  for (let i = 0; i < values[length].length; i += LENGTHS_EVERY) {
    const own = undo(values[length][i]);
    if (!(own > 0.05 * high)) continue;
    const radius = lengthOf(undo(values[a][i]) - zero, undo(values[b][i]) - zeroB);
    if (radius !== radius) continue;
    radii.push(radius);
    seen.push(own);
    lowA = Math.min(lowA, values[a][i]);
    highA = Math.max(highA, values[a][i]);
  }
  if (radii.length < LEAST_FOR_LENGTH) return false;
  const middle = quantile(radii, 0.5);
  if (!(middle > 1e-6)) return false;
  const off = quantile(
    radii.map((r) => Math.abs(r / middle - 1)),
    0.8,
  );
  if (!(off < even)) return false;
  const lengthsDiffer = quantile(seen, 1) - quantile(seen, 0) > 0.02 * high;
  return (highA - lowA > TURNS * middle && lengthsDiffer) || Math.abs(middle / (1 - zero) - 1) < 0.03;
}

const LEAST_FOR_LENGTH = 60,
  /** What 80 % of directions differ in length by. */
  EVEN = 0.02,
  EVEN_IN_8_BITS = 0.06,
  /** A thing that moves evenly is no direction: directions turn by more than this, or are as long as they can be. */
  TURNS = 0.2,
  LENGTHS_EVERY = 3;

const ORDER = ['r', 'g', 'b', 'a'],
  AXES = ['x', 'y', 'z', 'w'];

/** Two channels of one name but for the axis are a pair; of colour channels red and green, then blue and alpha. */
function namesPrior(a: string, b: string): number {
  const [stemA, lastA] = splitName(a),
    [stemB, lastB] = splitName(b);
  if (stemA !== stemB) return -2.5;
  const colours = [lastA, lastB].map((l) => ORDER.indexOf(l));
  if (colours.every((c) => c >= 0)) {
    const key = colours.sort().join('');
    return key === '01' ? 0 : key === '23' ? -1 : key === '12' || key === '02' ? -1.5 : -2.5;
  }
  const pair = [lastA, lastB].sort().join('');
  return pair === 'xy' || pair === 'uv' ? 0 : -0.5;
}

function splitName(name: string): readonly [string, string] {
  const lower = name.toLowerCase();
  if (['red', 'green', 'blue', 'alpha'].includes(lower)) return ['', lower[0]];
  return [lower.slice(0, -1), lower.slice(-1)];
}

/** -1: `a` is usually x; 1: `b` is; 0: neither by name. */
export function usualOrder(a: string, b: string): number {
  const rank = (name: string) => {
    const [, last] = splitName(name);
    const colour = ORDER.indexOf(last),
      axis = AXES.indexOf(last);
    return colour >= 0 ? colour : axis >= 0 ? axis : last === 'u' ? 0 : last === 'v' ? 1 : -1;
  };
  const [ra, rb] = [rank(a), rank(b)];
  return ra < 0 || rb < 0 ? 0 : Math.sign(ra - rb);
}
