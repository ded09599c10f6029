import type { ShutterMatch } from '@ivrex/core';
import { runOutside } from './run-outside';

interface Row {
  readonly name: string;
  readonly isNoisy: boolean;
  readonly opens: number;
  readonly closes: number;
  readonly match: ShutterMatch;
}
type Odd = 'graded' | 'asRendered' | 'strength' | 'closesOnly' | 'allFree' | 'bell' | 'turned' | 'otherFrame' | 'still';

let rows: readonly Row[] = [],
  odd: Readonly<Record<Odd, ShutterMatch | null>>;
beforeAll(() => {
  ({ rows, odd } = runOutside<{ rows: Row[]; odd: Record<Odd, ShutterMatch | null> }>('match-run.ts'));
}, 600000);

const oddly = (name: Odd): ShutterMatch => {
  const match = odd[name];
  if (match === null) throw new Error(`nothing was found for ${name}`);
  return match;
};

test.each([
  [false, 2.9, 0.0075],
  [true, 4, 0.02],
])('the shutter of a reference is found (noisy: %s) within %s degrees and %s frames', (isNoisy, degrees, frames) => {
  const found = rows.filter((row) => row.isNoisy === isNoisy);
  expect(found).toHaveLength(isNoisy ? 7 : 6);
  for (const { name, opens, closes, match } of found) {
    const off = 360 * (match.closes - match.opens - closes + opens);
    process.stdout.write(
      `${name}${isNoisy ? ', noisy' : ''}: off by ${off.toFixed(2)} degrees (said ${match.angleErrorDeg.toFixed(2)}), opens ${(match.opens - opens).toFixed(4)}, closes ${(match.closes - closes).toFixed(4)}\n`,
    );
    expect(Math.abs(off)).toBeLessThan(degrees);
    expect(Math.abs(match.opens - opens)).toBeLessThan(frames);
    expect(Math.abs(match.closes - closes)).toBeLessThan(frames);
    // What is said about the error is true: within three of them.
    expect(Math.abs(off)).toBeLessThan(3 * match.angleErrorDeg);
    expect(match.confidence).toBeGreaterThan(0.8);
    expect(match.undetermined).toEqual([]);
    expect(match.grade).toBeNull();
  }
});

test('the error is least at the angle that was found, and rises on both sides', () => {
  const [{ match }] = rows;
  const angle = 360 * (match.closes - match.opens);
  const least = match.curve.reduce((a, b) => (b.residual < a.residual ? b : a));
  expect(Math.abs(least.angleDeg - angle)).toBeLessThan(15);
  expect(match.curve[0].residual).toBeGreaterThan(2 * least.residual);
  expect(match.curve[match.curve.length - 1].residual).toBeGreaterThan(2 * least.residual);
  expect(match.residual).toBeLessThan(0.2 * match.sharpResidual);
});

test('another grade is told from another shutter', () => {
  const { opens, closes, grade, residual } = oddly('graded');
  expect(Math.abs(opens + 0.25)).toBeLessThan(0.02);
  expect(Math.abs(closes - 0.25)).toBeLessThan(0.02);
  [1.3, 1.1, 0.8].forEach((gain, c) => expect(grade?.gain[c]).toBeCloseTo(gain, 1));
  [0.02, 0, -0.01].forEach((offset, c) => expect(Math.abs((grade?.offset[c] ?? 9) - offset)).toBeLessThan(0.01));
  expect(residual).toBeLessThan(0.3 * oddly('asRendered').residual);
});

test('what is given stays, and the rest is found', () => {
  const strength = oddly('strength');
  expect(strength).toMatchObject({ opens: -0.5, closes: 0.5, opensError: null, closesError: null, angleErrorDeg: 0 });
  expect(strength.strength).toBeCloseTo(0.5, 1);
  const closes = oddly('closesOnly');
  expect(closes).toMatchObject({ opens: -0.25, opensError: null, strength: 1, strengthError: null });
  expect(Math.abs(closes.closes - 0.25)).toBeLessThan(0.02);
});

test('a bell-shaped exposure is told from an even one', () => {
  const { shape, opens, closes } = oddly('bell');
  expect(shape.kind).toBe('bell');
  expect(Math.abs(closes - opens - 0.8)).toBeLessThan(0.03);
});

test('what a reference can’t tell is said', () => {
  const free = oddly('allFree');
  expect(free.undetermined).toContain('strength');
  expect(free.strength).toBe(1);
  const turned = oddly('turned');
  expect(turned.undetermined).toContain('direction');
  expect(turned.notes.join(' ')).toMatch(/mirrored in time|Another exposure fits as well/);
  expect(turned.confidence).toBeLessThan(0.5);
  const other = oddly('otherFrame');
  expect(other.undetermined).toContain('everything');
  expect(other.confidence).toBe(0);
  expect(odd.still).toBeNull();
});
