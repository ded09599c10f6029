import type { StreakMeasure, StreakRefusal } from '@ivrex/core';
import { runOutside } from './run-outside';

interface Measured {
  readonly drawn: readonly (StreakMeasure | StreakRefusal)[];
  readonly found: readonly StreakMeasure[];
  readonly combined: { readonly angleDeg: number; readonly errorDeg: number } | null;
  readonly alone: StreakMeasure | StreakRefusal;
  readonly empty: StreakMeasure | StreakRefusal;
  readonly short: StreakMeasure | StreakRefusal;
  readonly unmoved: StreakMeasure | StreakRefusal;
}

let measured: Measured;
beforeAll(() => {
  measured = runOutside<Measured>('streaks-run.ts');
}, 300000);

const TRUE_DEG = 180;

test('a streak that was drawn along tells the plate’s shutter within ten per cent, and within what it says', () => {
  expect(measured.drawn.length).toBeGreaterThanOrEqual(4);
  for (const streak of measured.drawn) {
    if ('refused' in streak) throw new Error(streak.refused);
    expect(Math.abs(streak.angleDeg - TRUE_DEG)).toBeLessThan(0.1 * TRUE_DEG);
    expect(Math.abs(streak.angleDeg - TRUE_DEG)).toBeLessThan(4 * streak.angleErrorDeg);
    expect(streak.notes).toEqual([]);
  }
});

test('streaks are found by themselves, and together they are surer than one', () => {
  expect(measured.found.length).toBeGreaterThanOrEqual(3);
  const { combined, found } = measured;
  expect(Math.abs((combined?.angleDeg ?? 0) - TRUE_DEG)).toBeLessThan(0.03 * TRUE_DEG);
  expect(combined?.errorDeg).toBeLessThan(Math.min(...found.map((s) => s.angleErrorDeg)));
});

test('with one neighbouring frame it is less sure and says so; without any, and where nothing is, it is refused in words', () => {
  const { alone, empty, short, unmoved } = measured;
  if ('refused' in alone) throw new Error(alone.refused);
  expect(alone.notes.join(' ')).toContain('one neighbouring frame');
  expect(empty).toEqual({ refused: expect.stringContaining('stands out') as string });
  expect(short).toEqual({ refused: expect.stringContaining('whole streak') as string });
  expect(unmoved).toEqual({ refused: expect.stringContaining('not found again') as string });
});
