/**
 * Tuned numbers of the heart: { file, name, tunedOn, test }. `node scripts/mutants.mjs --constants` makes each of them half, four fifths, five quarters
 * and twice as large, and says which of these its test sees.
 */
const core = (file) => `packages/core/src/${file}`,
  tests = (file) => `packages/core/test/${file}.test.ts`;
const SCENES = 'the nine scenes',
  HERON = 'TC_010 and the nine scenes',
  WHEELS = 'TC_020 and the nine scenes',
  CODES = 'the demo passes in 23 encodings with 9 damages';

export const constants = [
  { file: core('blur/surfaces/islands.ts'), name: 'MISS_PX', tunedOn: WHEELS, test: tests('surfaces') },
  { file: core('blur/surfaces/surfaces.ts'), name: 'MIN_SURFACE_PX', tunedOn: HERON, test: tests('surfaces') },
  { file: core('blur/surfaces/surfaces.ts'), name: 'EDGE_RINGS', tunedOn: HERON, test: tests('surfaces') },
  { file: core('blur/surfaces/order.ts'), name: 'STEP_SHARE', tunedOn: WHEELS, test: tests('surfaces') },
  { file: core('blur/surfaces/mixed-edges.ts'), name: 'MISS_PX', tunedOn: 'spinner and crossing, filtered', test: tests('mixed-edges') },
  {
    file: core('blur/surfaces/mixed-edges.ts'),
    name: 'LEAST_SHARE',
    tunedOn: 'spinner and crossing, filtered',
    test: tests('mixed-edges'),
  },
  { file: core('blur/paths/affine-fit.ts'), name: 'RADIUS_PX', tunedOn: SCENES, test: tests('fit-grid') },
  { file: core('blur/paths/affine-fit.ts'), name: 'MIN_PIXELS', tunedOn: SCENES, test: tests('fit-grid') },
  {
    file: core('blur/paths/quiet-vectors.ts'),
    name: 'QUIET_PX',
    tunedOn: 'three scenes with noise of 0.3 px',
    test: tests('quiet-vectors'),
  },
  { file: core('blur/paths/chain-ends.ts'), name: 'PACE_PX', tunedOn: 'ease and TC_010', test: tests('blur') },
  { file: core('blur/occlusion/frame-look.ts'), name: 'ROUND_TRIP_PX', tunedOn: SCENES, test: tests('hidden') },
  { file: core('blur/occlusion/frame-look.ts'), name: 'SAME_DEPTH', tunedOn: SCENES, test: tests('hidden') },
  { file: core('blur/occlusion/transparency.ts'), name: 'SAME_COVERAGE', tunedOn: 'glass', test: tests('transparent') },
  { file: core('blur/occlusion/transparency.ts'), name: 'STANDS_OUT', tunedOn: 'glass', test: tests('transparent') },
  { file: core('motion/audit/walls.ts'), name: 'PILED_UP', tunedOn: CODES, test: tests('detect-parts') },
  { file: core('motion/audit/walls.ts'), name: 'INSIDE_SHARE', tunedOn: CODES, test: tests('detect-parts') },
  { file: core('motion/identify/round-scale.ts'), name: 'NEAR', tunedOn: CODES, test: tests('identify-parts') },
  { file: core('motion/estimate/warp-fit.ts'), name: 'DOUBT', tunedOn: CODES, test: tests('detect-parts') },
  { file: core('motion/repair/continue-clipped.ts'), name: 'REACH_PX', tunedOn: 'TC_010 and TC_020, clipped', test: tests('repair') },
  { file: core('motion/repair/continue-clipped.ts'), name: 'LONGEST', tunedOn: 'TC_010 and TC_020, clipped', test: tests('repair') },
  { file: core('motion/repair/smooth-steps.ts'), name: 'SAME_HALF_STEPS', tunedOn: 'TC_010 and TC_020 in 8 bits', test: tests('repair') },
  { file: core('match/streak-line.ts'), name: 'ACROSS_PX', tunedOn: 'the sluice plate at five shutters', test: tests('streak') },
  { file: core('match/find-streaks.ts'), name: 'ELONGATED', tunedOn: 'the sluice plate at five shutters', test: tests('streak') },
  { file: core('match/find-streaks.ts'), name: 'SURE', tunedOn: 'the sluice plate at five shutters', test: tests('streak') },
];

/** What a number is multiplied by; whole numbers stay whole and differ. */
export const FACTORS = [0.5, 0.8, 1.25, 2];

/** The line of a source that sets a constant: its text before the number, and the number. */
export function placeOf(text, { file, name }) {
  const found = [...text.matchAll(new RegExp(`^((?:export )?(?:const |  )${name} = )(-?[\\d.]+)(?=[,;])`, 'gm'))];
  if (found.length !== 1) throw new Error(`${name} is set ${found.length} times in ${file}; it must be set once, to a plain number`);
  const [[, before, number]] = found;
  return { before, number };
}

export function scaled(number, factor) {
  const value = Number(number) * factor;
  if (!/^\d+$/.test(number)) return String(Number(value.toPrecision(6)));
  return String(factor < 1 ? Math.min(Number(number) - 1, Math.floor(value)) : Math.max(Number(number) + 1, Math.ceil(value)));
}
