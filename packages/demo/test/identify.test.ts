import type { IdentifyResults } from './read-everything';
import type { Damage } from './encodings-and-damages';
import { runOutside } from './run-outside';

let results: IdentifyResults;

beforeAll(() => {
  results = runOutside<IdentifyResults>('read-everything.ts');
}, 600000);

test('of at least 60 passes 95 % are read right', () => {
  const { outcomes } = results;
  const wrong = outcomes.filter((o) => !o.right).map((o) => `${o.name}: ${o.error.toFixed(3)}, sure ${o.read.confidence.toFixed(2)}`);
  expect(outcomes.length).toBeGreaterThanOrEqual(60);
  expect({ wrong, share: 1 - wrong.length / outcomes.length >= 0.95 }).toEqual({ wrong: expect.any(Array), share: true });
});

test('none is wrong with confidence above 0.8, and nine in ten of those at 0.9 are right', () => {
  const { outcomes } = results;
  expect(outcomes.filter((o) => !o.right && o.read.confidence > 0.8).map((o) => o.name)).toEqual([]);
  const sure = outcomes.filter((o) => o.read.confidence >= 0.9);
  expect(sure.length).toBeGreaterThan(40);
  expect(sure.filter((o) => o.right).length).toBeGreaterThanOrEqual(0.9 * sure.length);
});

test('round values come out round', () => {
  const { outcomes } = results;
  const by = (stored: string) => outcomes.filter((o) => o.stored === stored && o.damage === 'none').map((o) => o.read.encoding);
  for (const e of by('centredHalfFrame')) expect(e.fullScale).toEqual({ stored: 1, equals: 1, unit: 'halfFrame' });
  for (const e of by('centred16')) expect(e).toMatchObject({ fullScale: { equals: 64, unit: 'px' }, axes: { y: 'up' } });
  for (const e of by('power')) expect(e).toMatchObject({ transfer: { kind: 'power', exponent: 2.2 }, zero: 0.5 });
  for (const e of by('srgb')) expect(e.transfer).toEqual({ kind: 'srgb' });
  for (const e of by('directionPerSecond')) expect(e.sets[0]).toMatchObject({ length: 'B', covers: { unit: 'seconds' } });
  for (const e of by('twoSets'))
    expect(e.sets.map((s) => [s.x, s.y, s.covers.to])).toEqual([
      ['R', 'G', 1],
      ['B', 'A', -1],
    ]);
  for (const e of by('halfShutter')) expect(e.sets[0].covers).toEqual({ from: 0, to: 0.5, unit: 'frames' });
  for (const e of by('aroundFrame')) expect(e.sets[0].covers).toEqual({ from: -0.25, to: 0.25, unit: 'frames' });
  for (const e of by('toPrevious')) expect(e.sets[0].covers).toEqual({ from: 0, to: -1, unit: 'frames' });
  for (const e of by('aspect')) expect(e.pixelAspect).toBe(2);
  for (const e of by('mirrored')) expect(e.axes).toEqual({ x: 'left', y: 'down' });
  for (const e of by('fromPrevious')) expect(e).toMatchObject({ axes: { y: 'up' }, sets: [{ covers: { from: -1, to: 0 } }] });
});

test('the other set, or one axis of each, is no other reading of a pass with two', () => {
  const { outcomes } = results;
  const two = outcomes.filter((o) => o.stored === 'twoSets' && o.right);
  expect(two.length).toBeGreaterThan(0);
  for (const { read } of two) expect(read.confidence).toBeGreaterThan(0.85);
});

test('the readings that were weighed come with their shares, the chosen one first', () => {
  for (const { read } of results.outcomes) {
    const { readings } = read.evidence;
    expect(readings[0].encoding).toEqual(read.encoding);
    expect(readings.reduce((sum, r) => sum + r.share, 0)).toBeLessThanOrEqual(1 + 1e-9);
    for (const { share, explained } of readings) expect(share >= 0 && explained >= 0 && explained <= 1).toBe(true);
  }
});

test('damage is named by its symptom, and sound passes have none', () => {
  const { outcomes } = results;
  const named: Partial<Record<Damage, string>> = {
    centreOff: 'centreOff',
    centresApart: 'centreOff',
    clipped: 'clippedRange',
    multiplied: 'multipliedByAlpha',
    halfSize: 'otherSize',
    nan: 'badPixels',
    filtered: 'mixedEdges',
    frameOff: 'frameOff',
  };
  const missed = outcomes.filter((o) => {
    const wanted = named[o.damage];
    return wanted !== undefined && !o.read.symptoms.some((s) => s.code === wanted && s.severity !== 'info');
  });
  // A centre that is a hundredth of a pixel off is none; one filtered pass has too few edges inside its object.
  expect(missed.length).toBeLessThanOrEqual(1);
  // The heron's fastest frame does not fit into 64 px: that clipping is real, as are an sRGB curve's steps.
  const alarmed = outcomes.filter(
    (o) =>
      o.damage === 'none' &&
      !['power', 'srgb', 'centred8', 'swapped', 'swappedCentred', 'mirrored', 'centred16'].includes(o.stored) &&
      o.read.symptoms.some((s) => s.severity !== 'info'),
  );
  expect(alarmed.map((o) => `${o.name}: ${o.read.symptoms.map((s) => s.message).join(' ')}`)).toEqual([]);
});

test('the repair that a symptom proposes brings the vectors nearer to the true ones', () => {
  const off = (damage: Damage, stored?: string) =>
    results.outcomes
      .filter((o) => o.damage === damage && (stored === undefined || o.stored === stored))
      .flatMap(({ name, mended }) => (mended === null ? [] : [{ name, ...mended }]));
  const worse = (list: ReturnType<typeof off>, factor: number) => list.filter((m) => !(m.afterPx < m.beforePx * factor));
  expect(off('centresApart')).toHaveLength(3);
  expect(worse(off('centresApart'), 0.5)).toEqual([]);
  expect(off('nan').length).toBeGreaterThan(2);
  expect(worse(off('nan'), 1)).toEqual([]);
  expect(worse(off('nan'), 0.3).length).toBeLessThanOrEqual(1);
  expect(off('clipped').length).toBeGreaterThan(2);
  expect(worse(off('clipped'), 0.9)).toEqual([]);
  // 8 bits over 64 px: half a pixel a step.
  expect(off('none', 'centred8').length).toBeGreaterThan(0);
  expect(worse(off('none', 'centred8'), 0.8)).toEqual([]);
});

test('the pass of another animation is never read with confidence', () => {
  for (const confidence of results.foreign) expect(confidence).toBeLessThan(0.5);
});

test('the residual drops to a third, and the plotted line goes through the measured points', () => {
  const { evidence } = results.outcomes[0].read;
  const { residual } = evidence;
  expect(residual && residual.after < residual.before / 3).toBe(true);
  const [plot] = evidence.plots;
  const fitting = plot.points.filter((p) => p.fits);
  expect(fitting.length).toBeGreaterThan(30);
  const [a, b] = [plot.line[0], plot.line[plot.line.length - 1]];
  const slope = (b.measured - a.measured) / (b.stored - a.stored);
  for (const p of fitting) expect(Math.abs(a.measured + slope * (p.stored - a.stored) - p.measured)).toBeLessThan(0.75 + 0.05 * 80);
});

test('without a neighbour the values alone are read, without confidence; a fact settles axis, sign and scale', () => {
  const { guess, told } = results.alone;
  expect(guess.confidence).toBeLessThan(0.5);
  expect(guess.symptoms.map((s) => s.code)).toContain('notMeasured');
  expect(guess.encoding.zero).toBeCloseTo(0.5, 3);
  expect(told.confidence).toBeGreaterThan(guess.confidence);
  expect(told.encoding.axes.y).toBe('up');
  expect(Math.abs(told.encoding.fullScale.equals - 64)).toBeLessThan(1.5);
});
