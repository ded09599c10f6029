import type { Encoding, ScaleUnit } from '../encoding/encoding';

/** What one unit of the linear value means, measured: pixels of the pass per frame, each axis with how sure that is. */
export interface MeasuredScale {
  /** Displacement per frame at full scale; null when nothing moves along that axis. */
  readonly x: number | null;
  readonly y: number | null;
  /** One standard error, as a share. */
  readonly sureX: number;
  readonly sureY: number;
}

export interface ScaleFacts {
  readonly width: number;
  readonly height: number;
  readonly fps: number | null;
  readonly pixelAspect: number;
  /** The zero is 0: full scale is then what a stored 1 means, and 1 pixel is the plain case. */
  readonly plain: boolean;
  /** From + to of the interval in frames, when the pictures told; null when they could not. */
  readonly middle: number | null;
}

export interface ScaleReading {
  readonly equals: number;
  readonly unit: ScaleUnit;
  readonly pixelAspect: number;
  /** Length of the interval: frames, or a second. */
  readonly span: { readonly length: number; readonly unit: 'frames' | 'seconds' };
  /** Lower is more usual. */
  readonly cost: number;
  readonly snapped: boolean;
}

/** Even a perfect fit is no better than this: highlights slide, things are lit anew. */
const FLOOR = 0.006,
  REACH = 3;

/** Readings that agree with the measured scale, the most usual first; never empty. */
export function snapScale(scale: MeasuredScale, facts: ScaleFacts): ScaleReading[] {
  const out: ScaleReading[] = [];
  const spans: { length: number; unit: 'frames' | 'seconds'; frames: number; cost: number }[] = [
    { length: 1, unit: 'frames', frames: 1, cost: facts.middle !== null && Math.abs(facts.middle) === 0.5 ? 0.7 : 0 },
    { length: 0.5, unit: 'frames', frames: 0.5, cost: facts.middle !== null && Math.abs(facts.middle) === 0.5 ? 0 : 0.6 },
  ];
  if (facts.fps !== null) spans.push({ length: 1, unit: 'seconds', frames: facts.fps, cost: 0.7 });
  const aspects = [...new Set([1, facts.pixelAspect, 2, 4 / 3, 0.5])];
  for (const span of spans) {
    for (const unit of UNITS) {
      const [ux, uy] = unitSize(unit, facts);
      for (const pixelAspect of aspects) {
        const ex = scale.x === null ? null : (Math.abs(scale.x) * span.frames * pixelAspect) / ux,
          ey = scale.y === null ? null : (Math.abs(scale.y) * span.frames) / uy;
        const aspectCost = pixelAspect === 1 ? 0 : pixelAspect === facts.pixelAspect ? 0.4 : 1.4;
        // Where one axis is not measured nothing tells an odd aspect.
        if (pixelAspect !== 1 && (ex === null || ey === null)) continue;
        const equals = roundValue(ex, ey, scale, unit, facts.plain);
        if (equals === null || (span.unit === 'seconds' && equals.cost > 0.4)) continue;
        out.push({
          equals: equals.value,
          unit,
          pixelAspect,
          span: { length: span.length, unit: span.unit },
          cost: span.cost + aspectCost + equals.cost,
          snapped: true,
        });
      }
    }
  }
  out.sort((a, b) => a.cost - b.cost);
  return out.length > 0 ? out : [asMeasured(scale)];
}

const UNITS: readonly ScaleUnit[] = ['px', 'frameWidth', 'frameSize', 'halfFrame'];

function unitSize(unit: ScaleUnit, { width, height }: ScaleFacts): readonly [number, number] {
  switch (unit) {
    case 'px':
      return [1, 1];
    case 'frameWidth':
      return [width, width];
    case 'frameSize':
      return [width, height];
    case 'halfFrame':
      return [width / 2, height / 2];
  }
}

/** The roundest value that both axes allow. */
function roundValue(
  ex: number | null,
  ey: number | null,
  scale: MeasuredScale,
  unit: ScaleUnit,
  plain: boolean,
): { value: number; cost: number } | null {
  const middle = middleOf(ex, ey, scale);
  if (middle === null) return null;
  const fits = (value: number) =>
    (ex === null || Math.abs(Math.log(ex / value)) < REACH * Math.hypot(FLOOR, scale.sureX)) &&
    (ey === null || Math.abs(Math.log(ey / value)) < REACH * Math.hypot(FLOOR, scale.sureY));
  for (const { values, cost } of roundness(unit, middle, plain)) {
    const near = values.filter(fits).sort((a, b) => Math.abs(Math.log(a / middle)) - Math.abs(Math.log(b / middle)));
    if (near.length > 0) return { value: near[0], cost };
  }
  return null;
}

function middleOf(ex: number | null, ey: number | null, scale: MeasuredScale): number | null {
  if (ex === null) return ey;
  if (ey === null) return ex;
  const wx = 1 / (FLOOR + scale.sureX) ** 2,
    wy = 1 / (FLOOR + scale.sureY) ** 2;
  return Math.exp((wx * Math.log(ex) + wy * Math.log(ey)) / (wx + wy));
}

function roundness(unit: ScaleUnit, near: number, plain: boolean): { values: number[]; cost: number }[] {
  if (unit !== 'px')
    return [
      { values: [1], cost: plain ? 0.15 : 0.3 },
      { values: [0.5, 2], cost: 0.9 },
      { values: [0.1, 0.25, 0.05, 10], cost: 1.3 },
    ];
  const power = 2 ** Math.round(Math.log2(near)),
    steps = (step: number) => [Math.round(near / step) * step].filter((v) => v > 0);
  return [
    { values: [1], cost: plain ? 0 : 1 },
    { values: power >= 4 ? [power] : [], cost: 0.35 },
    { values: near >= 8 ? [...steps(50), ...steps(10)] : [], cost: 0.4 },
    { values: near >= 2 ? steps(5) : [], cost: 0.6 },
    { values: near >= 1.6 ? steps(1) : [], cost: plain ? 1.1 : 0.8 },
    { values: near < 8 ? [0.5, 0.25, 0.1].filter(() => plain) : [], cost: 1.2 },
  ];
}

/** Nothing round fits: what was measured, to four digits. */
function asMeasured(scale: MeasuredScale): ScaleReading {
  const x = Math.abs(scale.x ?? scale.y ?? 1),
    y = Math.abs(scale.y ?? scale.x ?? 1);
  const odd = Math.abs(Math.log(x / y)) > REACH * Math.hypot(FLOOR, scale.sureX, scale.sureY);
  const equals = odd ? y : (middleOf(scale.x === null ? null : x, scale.y === null ? null : y, scale) ?? 1);
  const digits = (v: number) => Number(v.toPrecision(4));
  return {
    equals: digits(equals),
    unit: 'px',
    pixelAspect: odd ? digits(y / x) : 1,
    span: { length: 1, unit: 'frames' },
    cost: 3,
    snapped: false,
  };
}

/** The interval that a set covers, from its middle, its length and whether the stored vector points back in time. */
export function coversOf(middle: number | null, span: ScaleReading['span'], reversed: boolean): Encoding['sets'][number]['covers'] {
  const half = span.length / 2;
  // Seconds are a rate: where in the frame it was taken is not told by it.
  const centre = span.unit === 'seconds' ? half : middle === null ? half : middle / 2;
  const from = centre - half,
    to = centre + half;
  return reversed ? { from: to, to: from, unit: span.unit } : { from, to, unit: span.unit };
}
