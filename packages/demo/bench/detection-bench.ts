import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { instantiateKernels } from '@ivrex/kernels';
import { DetectionCases, type DetectionCase } from '../src/detection/measure-detection';
import { UNKNOWABLE } from '../src/detection/random-passes';
import { SCENE_KINDS } from '../src/detection/random-scenes';

/**
 * Detects random encodings of random scenes and writes docs/detection.md: how many are right, by kind of scene and damage, and whether confidence means what
 * it says. `--cases N`: how many. Odd scenes are for development; even ones are for a last look (`--held-back`). The interface shows the chart of both.
 */
const option = (name: string, otherwise: number) => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? otherwise : Number(process.argv[at + 1]);
};
const count = option('cases', 1020),
  heldBack = process.argv.includes('--held-back');
const root = process.cwd();
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync(path.join(root, 'packages/kernels/build/kernels.wasm'))));
const cases = new DetectionCases({ width: 480, height: 270 }, kernels);
const A_SCENE = 6;
const results: DetectionCase[] = [];
for (let scene = heldBack ? 0 : 1; results.length < count; scene += 2) {
  for (let n = 0; n < A_SCENE; n++) results.push(cases.run(scene * A_SCENE + n));
  if (process.stdout.isTTY) process.stdout.write(`\r${results.length} of ${count} cases`);
}

const share = (list: readonly DetectionCase[]) => `${list.filter((c) => c.right).length} of ${list.length}`,
  percent = (part: number, of: number) => (of === 0 ? '-' : `${((100 * part) / of).toFixed(1)} %`);
const knowable = results.filter((c) => !UNKNOWABLE.includes(c.damage)),
  unknowable = results.filter((c) => UNKNOWABLE.includes(c.damage)),
  right = knowable.filter((c) => c.right);
const warns = ({ found }: DetectionCase) => found.symptoms.some((s) => s.severity !== 'info');
const damaged = knowable.filter((c) => c.damage !== 'none'),
  sound = knowable.filter((c) => c.damage === 'none');
const tenths = Array.from({ length: 10 }, (_, k) => {
  const list = results.filter((c) => Math.min(9, Math.floor(c.found.confidence * 10)) === k);
  const mean = list.reduce((sum, c) => sum + c.found.confidence, 0) / Math.max(1, list.length),
    share = list.filter((c) => c.right).length / Math.max(1, list.length);
  return { from: k / 10, list, mean, share };
});
const seconds = results.map((c) => c.seconds).sort((a, b) => a - b);
const rounded = (v: number) => Number(v.toFixed(4));
const bar = (v: number) => '#'.repeat(Math.round(v * 30)).padEnd(30, '.');
const lines = [
  `${results.length} random passes (${heldBack ? 'held back, looked at last' : 'for development'}), ${results.length / A_SCENE} scenes of 480 x 270, one frame and its neighbours each.`,
  '',
  `- right: ${right.length} of ${knowable.length} that can be known (${percent(right.length, knowable.length)})`,
  `- wrong with confidence above 0.8: ${results.filter((c) => !c.right && c.found.confidence > 0.8).length}`,
  `- of ${unknowable.length} that can't be known (nothing moves, another animation, random values) at confidence below 0.5: ${unknowable.filter((c) => c.found.confidence < 0.5).length}`,
  `- damage named: ${damaged.filter(warns).length} of ${damaged.length}; sound passes with a warning that is not true: ${sound.filter((c) => c.wrongWarnings.length > 0).length} of ${sound.length}`,
  `- seconds a case on one thread, median ${seconds[seconds.length >> 1].toFixed(1)}, most ${seconds[seconds.length - 1].toFixed(1)}`,
  '',
  '| confidence | cases | mean confidence | right | |',
  '| --- | --- | --- | --- | --- |',
  ...tenths.map(
    ({ from, list, mean, share: s }) =>
      `| ${from.toFixed(1)} to ${(from + 0.1).toFixed(1)} | ${list.length} | ${list.length === 0 ? '-' : mean.toFixed(3)} | ${list.length === 0 ? '-' : s.toFixed(3)} | ${list.length === 0 ? '' : `\`${bar(s)}\``} |`,
  ),
  '',
  '| kind of scene | right |',
  '| --- | --- |',
  ...SCENE_KINDS.map((kind) => `| ${kind} | ${share(knowable.filter((c) => c.kind === kind))} |`),
  '',
  '| damage | right | named |',
  '| --- | --- | --- |',
  ...[...new Set(knowable.map((c) => c.damage))].sort().map((damage) => {
    const list = knowable.filter((c) => c.damage === damage);
    return `| ${damage} | ${share(list)} | ${damage === 'none' ? '-' : list.filter(warns).length} |`;
  }),
];
process.stdout.write(`\n${lines.join('\n')}\n`);
const file = path.join(root, 'docs/detection.md');
mkdirSync(path.dirname(file), { recursive: true });
const name = heldBack ? 'held back' : 'development',
  known = readFileSync(file, 'utf8'),
  [start, end] = [`<!-- ${name} -->`, `<!-- end of ${name} -->`];
const from = known.indexOf(start),
  to = known.indexOf(end);
if (from < 0 || to < 0) throw new Error(`docs/detection.md has no place for these results: "${start}" and "${end}" are missing`);
writeFileSync(file, `${known.slice(0, from + start.length)}\n\n${lines.join('\n')}\n\n${known.slice(to)}`);
const chartFile = path.join(root, 'packages/client/src/features/motion/reliability.json'),
  charts = JSON.parse(readFileSync(chartFile, 'utf8')) as Record<string, object>;
charts[name] = tenths.map(({ list, mean, share: right }) => ({ cases: list.length, confidence: rounded(mean), right: rounded(right) }));
writeFileSync(chartFile, `${JSON.stringify(charts, null, 2)}\n`);
process.stdout.write('\nwritten to docs/detection.md\n');
