import type { DetectionOutcome } from './detection-run';
import { runOutside } from './run-outside';

/** Random encodings of random scenes: docs/detection.md has the whole set. */
let outcomes: readonly DetectionOutcome[];

beforeAll(() => {
  outcomes = runOutside<DetectionOutcome[]>('detection-run.ts');
}, 600000);

const UNKNOWABLE = ['static', 'foreign', 'random'];
const said = ({ seed, kind, damage, confidence, found }: DetectionOutcome) =>
  `${seed} ${kind}, ${damage}: ${found}, confidence ${confidence.toFixed(2)}`;

test('nine in ten of all that can be known are right, and every kind of scene is among them', () => {
  const knowable = outcomes.filter((o) => !UNKNOWABLE.includes(o.damage));
  expect(new Set(outcomes.map((o) => o.kind)).size).toBe(11);
  const wrong = knowable.filter((o) => !o.right).map(said);
  expect({ wrong, enough: wrong.length <= 0.1 * knowable.length }).toEqual({ wrong: expect.any(Array), enough: true });
});

test('none is wrong with confidence above 0.8', () => {
  expect(outcomes.filter((o) => !o.right && o.confidence > 0.8).map(said)).toEqual([]);
});

test('what is right is mostly known to be right', () => {
  const right = outcomes.filter((o) => o.right);
  expect(right.filter((o) => o.confidence > 0.8).length).toBeGreaterThan(0.8 * right.length);
});

test('hardly a sound pass has a warning that is not true', () => {
  const sound = outcomes.filter((o) => o.damage === 'none');
  expect(sound.length).toBeGreaterThan(20);
  // One thing of one scene that moves evenly, as fast as anything there, counts in all of its passes.
  const warned = sound.filter((o) => o.wrongWarnings.length > 0).map((o) => `${said(o)}: ${o.wrongWarnings.join(' ')}`);
  expect({ warned, few: warned.length <= 0.1 * sound.length }).toEqual({ warned: expect.any(Array), few: true });
});
