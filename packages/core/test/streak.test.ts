import { findStreaks, measureStreak, type PlateLight, type StreakMeasure } from '../src';
import { fitBox } from '../src/match/streak-box';
import { straighten, STEP_PX } from '../src/match/streak-line';

const W = 140,
  H = 90;

/** A small round light that moves evenly. */
interface Spark {
  readonly x: number;
  readonly y: number;
  /** Pixels a frame. */
  readonly vx: number;
  readonly vy: number;
  readonly light: number;
}

/** The plate exposed from `opens` to `closes` about frame `t`: every spark the mean of many Gaussian spots of deviation 1. */
function exposed(sparks: readonly Spark[], t: number, opens: number, closes: number, under = 0.1): Float32Array {
  const out = new Float32Array(W * H).fill(under),
    moments = 96;
  for (const { x, y, vx, vy, light } of sparks)
    for (let m = 0; m < moments; m++) {
      const at = t + opens + ((m + 0.5) / moments) * (closes - opens),
        cx = x + vx * at,
        cy = y + vy * at;
      for (let py = Math.max(0, Math.floor(cy) - 4); py <= Math.min(H - 1, Math.floor(cy) + 4); py++)
        for (let px = Math.max(0, Math.floor(cx) - 4); px <= Math.min(W - 1, Math.floor(cx) + 4); px++) {
          const d = (px + 0.5 - cx) ** 2 + (py + 0.5 - cy) ** 2;
          out[py * W + px] += (light / moments) * Math.exp(-d / 2);
        }
    }
  return out;
}

function plateOf(sparks: readonly Spark[], degrees: number, under = 0.1): PlateLight {
  const half = degrees / 720;
  const [previous, now, next] = [-1, 0, 1].map((t) => exposed(sparks, t, -half, half, under));
  return { width: W, height: H, previous, now, next };
}

const SPARK: Spark = { x: 70, y: 45, vx: 28, vy: 9, light: 6 };
const measured = (result: ReturnType<typeof measureStreak>): StreakMeasure => {
  if ('refused' in result) throw new Error(result.refused);
  return result;
};
/** Drawn by hand: along the streak, a little off at both ends and beside it. */
const drawn = ({ x, y, vx, vy }: Spark, degrees: number, off: number) => {
  const half = degrees / 720;
  return [
    { x: x - vx * half - off, y: y - vy * half + off },
    { x: x + vx * half + off, y: y + vy * half + off },
  ] as const;
};

describe('the shutter from one streak', () => {
  test.each([90, 144, 180, 270])('of %p degrees, within what it says of itself', (degrees) => {
    const streak = measured(measureStreak(plateOf([SPARK], degrees), ...drawn(SPARK, degrees, 1.2)));
    expect(Math.abs(streak.angleDeg - degrees)).toBeLessThan(Math.max(3, 3 * streak.angleErrorDeg));
    expect(Math.abs(streak.speedPx - Math.hypot(28, 9))).toBeLessThan(0.4);
    expect(Math.abs(streak.lengthPx - (Math.hypot(28, 9) * degrees) / 360)).toBeLessThan(0.6);
    expect(streak.likeness).toBeGreaterThan(0.9);
  });
  test('of a dark thing before a bright plate too', () => {
    const dark = { ...SPARK, light: -0.8 };
    const streak = measured(measureStreak(plateOf([dark], 180, 1.5), ...drawn(dark, 180, 1)));
    expect(Math.abs(streak.angleDeg - 180)).toBeLessThan(6);
  });
  test('with one neighbour it says on what it relies', () => {
    const streak = measured(measureStreak({ ...plateOf([SPARK], 180), next: null }, ...drawn(SPARK, 180, 1)));
    expect(Math.abs(streak.angleDeg - 180)).toBeLessThan(6);
    expect(streak.notes.join(' ')).toContain('one neighbouring frame only');
  });
  test.each<[string, PlateLight, readonly [{ x: number; y: number }, { x: number; y: number }], RegExp]>([
    [
      'a line that is too short',
      plateOf([SPARK], 180),
      [
        { x: 70, y: 45 },
        { x: 72, y: 45 },
      ],
      /4 pixels at least/,
    ],
    ['a plate without anything', plateOf([], 180), drawn(SPARK, 180, 1), /stands out/],
    [
      'a line beside it',
      plateOf([SPARK], 180),
      [
        { x: 20, y: 80 },
        { x: 34, y: 84 },
      ],
      /stands out/,
    ],
    [
      'a thing that is only here',
      { ...plateOf([SPARK], 180), previous: exposed([], 0, 0, 0), next: exposed([], 0, 0, 0) },
      drawn(SPARK, 180, 1),
      /found again/,
    ],
  ])('%s is refused in a sentence', (_, plate, [from, to], sentence) => {
    expect(measureStreak(plate, from, to)).toEqual({ refused: expect.stringMatching(sentence) as string });
  });
  test('the drawn line is turned and moved onto the light', () => {
    const { at, along } = straighten(plateOf([SPARK], 180), ...drawn(SPARK, 180, 2));
    const slope = along.y / along.x;
    expect(Math.abs(slope - 9 / 28)).toBeLessThan(0.02);
    expect(Math.abs(at.y + slope * (70 - at.x) - 45)).toBeLessThan(0.15);
  });
});

test('all streaks of a plate are found; what stands still, or disagrees, is none', () => {
  const sparks = [
    { ...SPARK, x: 40, y: 24 },
    { ...SPARK, x: 96, y: 60, vx: 24, vy: -14 },
    { ...SPARK, x: 44, y: 66, vx: 30, vy: 3 },
  ];
  const lamp: Spark = { x: 118, y: 18, vx: 0, vy: 0, light: 6 };
  const found = findStreaks(plateOf([...sparks, lamp], 180));
  expect(found.length).toBeGreaterThanOrEqual(2);
  for (const { angleDeg, from, to } of found) {
    expect(Math.abs(angleDeg - 180)).toBeLessThan(10);
    expect(Math.hypot((from.x + to.x) / 2 - lamp.x, (from.y + to.y) / 2 - lamp.y)).toBeGreaterThan(8);
  }
  expect(findStreaks(plateOf([lamp], 180))).toEqual([]);
  expect(findStreaks(plateOf([], 180))).toEqual([]);
});

describe('a box with soft ends', () => {
  const gauss = (d: number) => Math.exp((-d * d) / 2);
  /** By adding up spots, not by the integral that the fit uses. */
  const profile = (start: number, end: number, softness: number, height: number, level: number, length = 120) => {
    const spots = 400;
    return Array.from({ length }, (_, i) => {
      let sum = 0;
      for (let k = 0; k < spots; k++) sum += gauss((i * STEP_PX - (start + ((k + 0.5) / spots) * (end - start))) / softness);
      return level + (height * sum * (end - start)) / (spots * softness * Math.sqrt(2 * Math.PI));
    });
  };
  test.each([
    [18, 42, 1.2, 1, 0.2],
    [22.3, 36.8, 2, -0.6, 0.9],
    [10, 50, 0.8, 0.02, 0.001],
  ])('from %p to %p is found to a tenth of a pixel', (start, end, softness, height, level) => {
    const box = fitBox(profile(start, end, softness, height, level), end - start);
    expect(Math.abs((box?.start ?? NaN) - start)).toBeLessThan(0.1);
    expect(Math.abs((box?.end ?? NaN) - end)).toBeLessThan(0.1);
    expect(Math.abs((box?.softness ?? NaN) - softness)).toBeLessThan(0.2);
  });
  test('another streak on the same line does not count', () => {
    const two = profile(24, 40, 1, 1, 0.1, 160).map((v, i) => v + profile(62, 72, 1, 1.5, 0, 160)[i]);
    const box = fitBox(two, 16);
    expect(box === null ? NaN : Math.abs(box.end - box.start - 16)).toBeLessThan(0.3);
  });
  test('there is none in what is flat, in a step, or at the border', () => {
    expect(fitBox(Array<number>(100).fill(0.4), 20)).toBeNull();
    expect(
      fitBox(
        Array.from({ length: 100 }, (_, i) => (i > 50 ? 1 : 0)),
        20,
      ),
    ).toBeNull();
    expect(fitBox(profile(-10, 60, 1, 1, 0), 30)).toBeNull();
  });
});
