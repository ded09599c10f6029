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

/** Rec.709. */
export const LUMA = [0.2126, 0.7152, 0.0722] as const;

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
  return (luma) => (luma <= 1e-9 ? 1 : fromGreyAxis(curve(toGreyAxis(luma))) / luma);
}

/** Mantissa bits of a table's steps: between them it is linear, to within half a millionth of a smooth curve. */
const STEP_BITS = 9,
  SHIFT = 23 - STEP_BITS,
  /** Biased exponents of the first and the last entry: 2^-16 and 2^16. */
  FIRST = 111,
  LAST = 143,
  ENTRIES = (LAST - FIRST) << STEP_BITS;
const number = new Float32Array(1),
  bits = new Uint32Array(number.buffer);

/** A function of light by the bits of its float: as fast for any curve, three to ten times as fast as powers. */
class LightTable {
  private readonly values = new Float32Array(ENTRIES + 1);
  private readonly atZero: number;

  constructor(private readonly exact: (v: number) => number) {
    this.atZero = exact(0);
    for (let i = 0; i <= ENTRIES; i++) {
      bits[0] = (FIRST << 23) + (i << SHIFT);
      this.values[i] = exact(number[0]);
    }
  }

  at(v: number): number {
    if (v === 0) return this.atZero;
    number[0] = v;
    const index = (bits[0] >>> SHIFT) - (FIRST << STEP_BITS);
    // Signs, infinities and what is too dark or too bright for the table.
    if (index < 0 || index >= ENTRIES) return this.exact(v);
    const share = (bits[0] & ((1 << SHIFT) - 1)) / (1 << SHIFT);
    return this.values[index] + (this.values[index + 1] - this.values[index]) * share;
  }
}

/** A grade made ready: tables are filled once, not for every tile. */
export interface ReadyGrade {
  readonly channels: readonly [LightTable, LightTable, LightTable];
  readonly saturation: number;
  readonly luma: LightTable | null;
}

/** Null for the neutral grade. */
export function readyGrade(grade: Grade | null): ReadyGrade | null {
  if (grade === null || isNeutralGrade(grade)) return null;
  const luma = lumaGain(grade.curves.luma);
  return {
    channels: [new LightTable(channelCurve(grade, 0)), new LightTable(channelCurve(grade, 1)), new LightTable(channelCurve(grade, 2))],
    saturation: grade.saturation,
    luma: luma === null ? null : new LightTable(luma),
  };
}

/**
 * Grades premultiplied RGBA in place, pixels [from, to). It acts on straight colour: divided by alpha before, multiplied after. Light without
 * coverage (a glow) is graded as it is, without what the grade adds to black. Empty pixels stay empty.
 */
export function gradePixels(rgba: Float32Array, { channels, saturation, luma }: ReadyGrade, from = 0, to = rgba.length / 4): void {
  const [red, green, blue] = channels;
  for (let i = from * 4; i < to * 4; i += 4) {
    const a = rgba[i + 3];
    let r = rgba[i],
      g = rgba[i + 1],
      b = rgba[i + 2];
    if (a > 0) {
      r = red.at(r / a);
      g = green.at(g / a);
      b = blue.at(b / a);
    } else {
      if (r === 0 && g === 0 && b === 0) continue;
      r = red.at(r) - red.at(0);
      g = green.at(g) - green.at(0);
      b = blue.at(b) - blue.at(0);
    }
    if (saturation !== 1) {
      const y = LUMA[0] * r + LUMA[1] * g + LUMA[2] * b;
      r = y + saturation * (r - y);
      g = y + saturation * (g - y);
      b = y + saturation * (b - y);
    }
    const gain = (luma === null ? 1 : luma.at(LUMA[0] * r + LUMA[1] * g + LUMA[2] * b)) * (a > 0 ? a : 1);
    rgba[i] = r * gain;
    rgba[i + 1] = g * gain;
    rgba[i + 2] = b * gain;
  }
}
