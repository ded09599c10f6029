import type { Encoding, ScaleUnit } from '../encoding/encoding';
import type { Middle } from './bend';

/** A measured scale brought to a value that people choose, or left as measured. */
export interface NamedScale {
  /** Logarithm of how usual it is, less what it is off. */
  readonly prior: number;
  /** What the measured scale is multiplied by to become this one; about 1. */
  readonly factor: number;
  readonly covers: Encoding['sets'][number]['covers'];
  readonly unit: ScaleUnit;
  readonly equals: number;
  readonly pixelAspect: number;
  readonly isRound: boolean;
  /** It was measured to be this one as closely as a right scale usually is; a wrong one comes so near to a round value by chance only. */
  readonly isExact: boolean;
}

export interface ScaleQuestion {
  /** Pixels of the pass per frame at full scale, in x. */
  readonly fullScalePx: number;
  readonly yScale: number;
  readonly pass: { readonly width: number; readonly height: number };
  /** The beauty's width over the pass's. */
  readonly beautyPerPass: number;
  readonly fps: number | null;
  readonly middle: Middle;
  readonly centred: boolean;
  readonly hasLength: boolean;
  /** Pixels of the picture that the fastest move: slow ones tell less of their scale. */
  readonly fastPx: number;
}

interface Span {
  readonly from: number;
  readonly to: number;
  readonly prior: number;
}

/** Intervals by their middle. */
const SPANS: Record<Middle, readonly Span[]> = {
  0.5: [{ from: 0, to: 1, prior: 0 }],
  [-0.5]: [{ from: -1, to: 0, prior: -0.7 }],
  0: [
    { from: -0.5, to: 0.5, prior: -1 },
    { from: -0.25, to: 0.25, prior: -1.2 },
    { from: -0.125, to: 0.125, prior: -3.5 },
    { from: 0, to: 0.25, prior: -3.5 },
  ],
  0.25: [{ from: 0, to: 0.5, prior: -1 }],
};

/** Logarithms of how usual a unit is. */
const PRIOR = {
  px: 3,
  frameWidth: 2,
  frameSize: 2,
  halfFrame: 1.5,
  knownRate: 3,
  usualRate: 1.2,
  rareRate: 0.3,
  roundPx: 1.2,
  roundWidths: 0.2,
  /** A round scale other than 1 where nothing moves at 0. */
  notPlain: -2,
  roundFrame: -1.5,
  none: -2,
  /** As in the beauty's pixels where the pass has another size. */
  otherPixels: -0.3,
};
/** The share of scales that are measured closely, and how many standard deviations still count as that. */
const CLOSELY = 0.5,
  EXACT = 3;
const RARE = -3;
const RATES = [24, 25, 30, 48, 50, 60];

/** All names that the scale can have, the likeliest first; the last resort, what was measured, is always among them. */
export function nameScale(question: ScaleQuestion): NamedScale[] {
  const { fullScalePx, yScale, pass, beautyPerPass, fps, middle, centred, hasLength, fastPx } = question;
  const tolerance = 0.008 + 0.15 / Math.max(0.3, fastPx) + (middle === 0 || middle === 0.25 ? 0.01 : 0);
  const close = 0.0015 + 0.03 / Math.max(0.3, fastPx);
  const out: NamedScale[] = [];
  const add = (px: number, prior: number, covers: Span | 'second', unit: ScaleUnit, equals: number, aspect = 1) => {
    const off = Math.log(fullScalePx / px);
    // Most are measured closely, some only roughly: two normal distributions in one.
    const near = (width: number) => Math.exp((-0.5 * off * off) / width ** 2) / width;
    out.push({
      prior: prior + Math.log(tolerance * (CLOSELY * near(close) + (1 - CLOSELY) * near(tolerance)) + 1e-9),
      factor: px / fullScalePx,
      covers: covers === 'second' ? { from: 0, to: 1, unit: 'seconds' } : { from: covers.from, to: covers.to, unit: 'frames' },
      unit,
      equals,
      pixelAspect: aspect,
      // A rare span explains too much to be believed by its name.
      isRound: covers === 'second' || covers.prior > RARE,
      isExact: Math.abs(off) < EXACT * close,
    });
  };
  const isFrame = yScale !== 1 && Math.abs(Math.log(yScale / (pass.height / pass.width))) < 1e-6;
  const aspect = yScale === 1 || isFrame ? 1 : yScale;
  for (const span of SPANS[middle]) {
    const length = span.to - span.from,
      { prior } = span;
    if (isFrame) {
      for (const { per, unit, usual } of [
        { per: 1, unit: 'frameSize', usual: PRIOR.frameSize },
        { per: 2, unit: 'halfFrame', usual: PRIOR.halfFrame },
      ] as const) {
        const one = pass.width / per;
        if (!centred) add(one / length, usual + prior, span, unit, 1);
        const round = roundShare((fullScalePx * length) / one);
        if (round !== null && (centred || round !== 1))
          add((round * one) / length, usual + PRIOR.roundFrame * (round === 1 ? 0 : 1) + prior, span, unit, round);
      }
      continue;
    }
    // x was multiplied by the pixel aspect: full scale counts along y.
    const perX = 1 / aspect;
    for (const { perPx, less } of [
      { perPx: 1, less: 0 },
      // Scaled down as a picture, values keep the beauty's pixels.
      ...(Math.abs(beautyPerPass - 1) > 1e-3 ? [{ perPx: 1 / beautyPerPass, less: PRIOR.otherPixels }] : []),
    ]) {
      const exact = (v: number) => Number((v * perPx).toPrecision(12));
      if (!centred) {
        add((perPx * perX) / length, PRIOR.px + prior + less, span, 'px', exact(1), aspect);
        if (span === SPANS[middle][0]) {
          // Where in the frame a rate was taken is not told by it.
          if (fps !== null) add((perPx * perX) / fps, PRIOR.knownRate + less, 'second', 'px', exact(1), aspect);
          else if (length === 1)
            for (const rate of RATES)
              add(
                (perPx * perX) / rate,
                (rate <= 30 ? PRIOR.usualRate : PRIOR.rareRate) + prior + less,
                span,
                'px',
                exact(1 / rate),
                aspect,
              );
        }
      }
      const round = roundNear((fullScalePx * length) / perX / perPx);
      // Nobody multiplies pixels by 0.9 or 15.
      if (round !== null && (centred || (round.prior === 0 && round.value !== 1)))
        add(
          (round.value * perPx * perX) / length,
          PRIOR.roundPx + round.prior + (centred ? 0 : PRIOR.notPlain) + prior + less,
          span,
          'px',
          exact(round.value),
          aspect,
        );
    }
    if (aspect === 1) {
      if (!centred && !hasLength) add(pass.width / length, PRIOR.frameWidth + prior, span, 'frameWidth', 1);
      const widths = roundShare((fullScalePx * length) / pass.width);
      if (widths !== null && centred) add((widths * pass.width) / length, PRIOR.roundWidths + prior, span, 'frameWidth', widths);
    }
  }
  const measured = isFrame ? fullScalePx / pass.width : fullScalePx * aspect;
  const [span] = SPANS[middle];
  out.push({
    prior: PRIOR.none + span.prior,
    factor: 1,
    covers: { from: span.from, to: span.to, unit: 'frames' },
    unit: isFrame ? 'frameSize' : 'px',
    equals: Number((measured * (span.to - span.from)).toPrecision(4)),
    pixelAspect: aspect,
    isRound: false,
    isExact: false,
  });
  return out.sort((a, b) => b.prior - a.prior);
}

const NEAR = 0.025,
  POWERS_OF_TWO = [16, 32, 64, 128, 256, 512, 1024, 2048, 4096],
  /** One digit but 1, 2 and 5; two that end in 5. */
  LESS_ROUND = -0.4,
  LEAST_ROUND = -1;

interface Round {
  readonly value: number;
  /** Logarithm of how usual it is; 0: 1, 2 or 5 and zeros, or a power of two. */
  readonly prior: number;
}

/** One digit, two that end in 5, or a power of two, within 2.5 %; null when none is near. */
function roundNear(value: number): Round | null {
  if (!(value > 0)) return null;
  const ten = 10 ** Math.floor(Math.log10(value));
  const digits = (v: number) => Number(v.toPrecision(12));
  const first = Math.round(value / ten),
    half = Math.round(value / (ten / 2));
  const tried: Round[] = [
    { value: digits(first * ten), prior: [1, 2, 5, 10].includes(first) ? 0 : LESS_ROUND },
    { value: digits((half * ten) / 2), prior: [5, 15].includes(half) ? LESS_ROUND : LEAST_ROUND },
    ...POWERS_OF_TWO.map((v) => ({ value: v, prior: 0 })),
  ];
  const near = tried.filter((t) => t.value > 0 && Math.abs(t.value / value - 1) < NEAR);
  const off = (t: Round) => Math.abs(Math.log(t.value / value));
  return near.length === 0 ? null : near.reduce((a, b) => (off(b) < off(a) || (b.value === a.value && b.prior > a.prior) ? b : a));
}

const SHARES = [0.01, 0.02, 0.05, 0.1, 0.2, 0.25, 0.5, 1, 2, 4, 5, 10];

/** A usual share of the frame within 2.5 %; null when none is near. */
function roundShare(value: number): number | null {
  return SHARES.find((s) => Math.abs(s / value - 1) < NEAR) ?? null;
}
