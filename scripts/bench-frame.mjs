// `npm run bench -- frame`: a sequence of 12 frames, 1920 x 1080, two layers, float EXR to half EXR, stage by stage, on one thread and on two,
// against a plain C++ gather with the reference EXR library, and the start of the command line. Writes docs/speed.md.
import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { buildCli } from './steps/build-steps.mjs';
import { blurArguments, FIRST_FRAME, frameFiles, timed, writeSpeed } from './steps/frame-runs.mjs';
import { main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`),
  COUNT = 12,
  scratch = path.join(root, '.cache/bench/frame-out');

/** The gather, built and run on the same files: processor seconds a frame. */
async function plainGather(folder) {
  const program = path.join(root, '.cache/bench/frame-baseline'),
    flags = (await run('pkg-config', ['--cflags', '--libs', 'OpenEXR'], { quiet: true })).trim().split(/\s+/);
  await run('g++', [
    '-O3',
    '-march=x86-64-v3',
    '-std=c++17',
    path.join(root, 'packages/media/bench/frame-baseline.cpp'),
    '-o',
    program,
    ...flags,
  ]);
  const { said } = await timed(program, [String(FIRST_FRAME), '4', path.join(folder, 'frame.'), path.join(scratch, 'plain.')]);
  const [reading, gathering, writing] = said
    .trim()
    .split(' ')
    .map((s) => Number(s) / 4);
  return { reading, gathering, writing, total: reading + gathering + writing };
}

/** The stages of a frame, as threads do them. */
const STAGES = {
  load: 'reading and decoding a frame',
  prepare: 'set-up: the plan',
  foresee: 'two frames foresee each other',
  mix: 'weighing',
  rows: 'slices',
  saveFrame: 'writing',
};

/** Seconds of a plain loop: what this machine is worth. */
async function plainLoop() {
  const { wall } = await timed(process.execPath, ['-e', 'let s = 0; for (let i = 0; i < 1e9; i++) s += i % 7;']);
  return wall;
}

/** The quickest of some starts, seconds. */
async function quickestStart(command, args) {
  let least = Infinity;
  for (let i = 0; i < 5; i++) least = Math.min(least, (await timed(command, args)).wall);
  return least;
}

main(async () => {
  await buildCli(say);
  mkdirSync(scratch, { recursive: true });
  const folder = await frameFiles(1920, 1080, COUNT),
    plain = await plainGather(folder),
    ratio = (seconds, of) => (seconds / of).toFixed(2),
    lines = [],
    tell = (line) => {
      say(line.replaceAll('| --- ', ''));
      lines.push(line);
    };
  tell(
    `${COUNT} frames of 1920 x 1080 from float files (ZIP, ten channels) to half files, two layers, both neighbours mixed in, 180 degrees centred. Processor seconds.\n`,
  );
  tell(
    `A plain C++ gather with the reference EXR library (32 samples a pixel along its own vector, no neighbours, no surfaces) takes **${plain.total.toFixed(2)} s** a frame: reading ${plain.reading.toFixed(2)}, gathering ${plain.gathering.toFixed(2)}, writing ${plain.writing.toFixed(2)}. A plain loop of JavaScript over 10^9 takes ${(await plainLoop()).toFixed(2)} s here.\n`,
  );
  const runs = [];
  for (const threads of [1, 2]) {
    const one = await timed('./ivrex', blurArguments(folder, scratch, 1, threads)),
      all = await timed('./ivrex', blurArguments(folder, scratch, COUNT, threads));
    runs.push({ threads, one, all, next: (all.cpu - one.cpu) / (COUNT - 1), seconds: JSON.parse(all.said).seconds });
  }
  tell('| | one thread | two threads | goal |\n| --- | --- | --- | --- |');
  const row = (what, of, goal) => tell(`| ${what} | ${runs.map(of).join(' | ')} | ${goal} |`);
  row('first frame', ({ one }) => `${one.cpu.toFixed(2)} s, ${ratio(one.cpu, plain.total)} of the gather`, '');
  row('each that follows', ({ next }) => `${next.toFixed(2)} s, ${ratio(next, plain.total)} of the gather`, '1.00');
  row('all on the clock', ({ all }) => `${all.wall.toFixed(1)} s`, '');
  row('most memory in the sequence', ({ all }) => `${all.mib.toFixed(0)} MiB`, '700 MiB');
  row('most memory for one frame', ({ one }) => `${one.mib.toFixed(0)} MiB`, '');
  tell(`\nTwo threads are **${(runs[0].all.wall / runs[1].all.wall).toFixed(2)}** times as fast as one (goal 1.80).\n`);
  tell(
    'Seconds that threads spent, by stage, divided by the frames (one thread; a first frame makes two plans more):\n\n| stage | s |\n| --- | --- |',
  );
  for (const [stage, name] of Object.entries(STAGES)) tell(`| ${name} | ${((runs[0].seconds[stage] ?? 0) / COUNT).toFixed(2)} |`);
  const small = path.join(root, 'packages/core/test/fixtures/half-none.exr'),
    start = await quickestStart('./ivrex', ['probe', small]),
    empty = await quickestStart(process.execPath, ['-e', '0']);
  tell(
    `\n\`./ivrex probe\` on a small file takes ${start.toFixed(2)} s, an empty Node process ${empty.toFixed(2)}: ${ratio(start, empty)} times as long (goal 7.5: 0.3 s where that takes 0.04).`,
  );
  writeSpeed('A sequence', lines.join('\n'));
});
