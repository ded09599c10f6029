import { LUMA, lumaOf } from '../colour/luma';
import type { GradeTables, LightTable } from '@ivrex/kernels/interface';
import { curveThrough, fromGreyAxis, isStraight, MIDDLE_GREY, STRAIGHT_CURVE, toGreyAxis, type CurvePoints } from './tone-curve';

/** Changes of colour on scene-linear light, in this order. */
export interface Grade {
  /** Stops between red and blue; positive is warmer. The luma of grey stays. */
  readonly warmth: number;
  /** Stops between green and magenta; positive is more magenta. */
  readonly tint: number;
  /** Stops. */
  readonly exposure: number;
  /** Added light. */
  readonly offset: number;
  /** A power around the pivot: above 1 steeper. */
  readonly contrast: number;
  readonly pivot: number;
  /** Above 1 lifts the middle; 0 and 1 stay. */
  readonly gamma: number;
  readonly curves: {
    readonly red: CurvePoints;
    readonly green: CurvePoints;
    readonly blue: CurvePoints;
    /** On the brightness alone, hue and saturation kept. */
    readonly luma: CurvePoints;
  };
  readonly saturation: number;
}

export const NEUTRAL_GRADE: Grade = {
  warmth: 0,
  tint: 0,
  exposure: 0,
  offset: 0,
  contrast: 1,
  pivot: MIDDLE_GREY,
  gamma: 1,
  curves: { red: STRAIGHT_CURVE, green: STRAIGHT_CURVE, blue: STRAIGHT_CURVE, luma: STRAIGHT_CURVE },
  saturation: 1,
};

export function isNeutralGrade({ warmth, tint, exposure, offset, contrast, gamma, curves, saturation }: Grade): boolean {
  return (
    warmth === 0 &&
    tint === 0 &&
    exposure === 0 &&
    offset === 0 &&
    contrast === 1 &&
    gamma === 1 &&
    saturation === 1 &&
    Object.values(curves).every(isStraight)
  );
}

/** What white balance multiplies red, green and blue by. */
export function balanceGains({ warmth, tint }: Pick<Grade, 'warmth' | 'tint'>): readonly [number, number, number] {
  const gains = [2 ** (warmth / 2 + tint / 4), 2 ** (-tint / 2), 2 ** (-warmth / 2 + tint / 4)];
  const luma = gains.reduce((sum, gain, c) => sum + LUMA[c] * gain, 0);
  return [gains[0] / luma, gains[1] / luma, gains[2] / luma];
}

/** The balance under which this colour, as it comes in, is grey. Null when a channel has no light. */
export function balanceFor([r, g, b]: readonly [number, number, number]): Pick<Grade, 'warmth' | 'tint'> | null {
  if (!(r > 0 && g > 0 && b > 0)) return null;
  const warmth = Math.log2(b / r);
  // r 2^(w/2 + t/4) = g 2^(-t/2).
  return { warmth, tint: (4 / 3) * (Math.log2(g / r) - warmth / 2) };
}

/** All that happens to one channel before saturation. */
export function channelCurve(grade: Grade, channel: 0 | 1 | 2): (v: number) => number {
  const { offset, contrast, pivot, gamma, curves } = grade;
  const gain = balanceGains(grade)[channel] * 2 ** grade.exposure;
  const points = [curves.red, curves.green, curves.blue][channel];
  const curve = isStraight(points) ? null : curveThrough(points);
  return (v) => {
    let out = v * gain + offset;
    // Below black there is no power: what is there stays as dark as it is.
    if (out <= 0) return curve === null || curve(0) === 0 ? out : fromGreyAxis(curve(0)) + out;
    if (contrast !== 1) out = pivot * (out / pivot) ** contrast;
    if (gamma !== 1) out **= 1 / gamma;
    return curve === null ? out : fromGreyAxis(curve(toGreyAxis(out)));
  };
}

/** By how much the luma curve multiplies a colour of this luma. */
export function lumaGain(points: CurvePoints): ((luma: number) => number) | null {
  if (isStraight(points)) return null;
  const curve = curveThrough(points);
  // Darkness has no brightness that could be curved.
  return (luma) => (luma <= 1e-9 ? 1 : fromGreyAxis(curve(toGreyAxis(luma))) / luma);
}

/** Mantissa bits of a table's steps: between them it is linear, to within half a millionth of a smooth curve. */
const STEP_BITS = 9,
  SHIFT = 23 - STEP_BITS,
  /** Biased exponents of the first and the last entry: 2^-30 and 2^16. */
  FIRST = 97,
  LAST = 143,
  ENTRIES = (LAST - FIRST) << STEP_BITS;

function tableOf(exact: (v: number) => number): LightTable {
  const number = new Float32Array(1),
    bits = new Uint32Array(number.buffer),
    values = new Float32Array(ENTRIES + 1);
  for (let i = 0; i <= ENTRIES; i++) {
    bits[0] = (FIRST << 23) + (i << SHIFT);
    values[i] = exact(number[0]);
  }
  const atZero = exact(0);
  return { values, atZero, below: atZero - exact(-1) };
}

/**
 * A grade made ready for the kernel: tables are filled once, not for every tile. They are as fast for any curve. The kernel acts on straight colour:
 * divided by alpha before, multiplied after. Light without coverage (a glow) is graded as it is, without what the grade adds to black; empty pixels
 * stay empty. Null for the neutral grade.
 */
export function gradeTables(grade: Grade | null): GradeTables | null {
  if (grade === null || isNeutralGrade(grade)) return null;
  const luma = lumaGain(grade.curves.luma);
  return {
    firstStep: FIRST << STEP_BITS,
    shift: SHIFT,
    channels: [tableOf(channelCurve(grade, 0)), tableOf(channelCurve(grade, 1)), tableOf(channelCurve(grade, 2))],
    saturation: grade.saturation,
    luma: luma === null ? null : tableOf(luma),
  };
}

/** One straight colour. For many there are tables. */
export function gradeColour(grade: Grade, [red, green, blue]: readonly [number, number, number]): [number, number, number] {
  const r = channelCurve(grade, 0)(red),
    g = channelCurve(grade, 1)(green),
    b = channelCurve(grade, 2)(blue);
  const y = lumaOf(r, g, b),
    gain = lumaGain(grade.curves.luma)?.(y) ?? 1;
  const graded = (v: number) => (y + grade.saturation * (v - y)) * gain;
  return [graded(r), graded(g), graded(b)];
}
