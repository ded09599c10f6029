// `npm run bench -- frame`: a sequence of 12 frames, 1920 x 1080, two layers, float EXR to half EXR, stage by stage, on one thread and on two,
// against a plain C++ gather with the reference EXR library.
import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { buildCli } from './steps/build-steps.mjs';
import { blurArguments, FIRST_FRAME, frameFiles, timed } from './steps/frame-runs.mjs';
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

main(async () => {
  await buildCli(say);
  mkdirSync(scratch, { recursive: true });
  const folder = await frameFiles(1920, 1080, COUNT),
    plain = await plainGather(folder),
    ratio = (seconds, of) => (seconds / of).toFixed(2);
  say(`\n${COUNT} frames, 1920 x 1080, two layers, both neighbours mixed in, 180 degrees centred; processor seconds a frame`);
  say(
    `plain C++ gather, reference EXR library: ${plain.total.toFixed(2)} s (reading ${plain.reading.toFixed(2)}, gathering ${plain.gathering.toFixed(2)}, writing ${plain.writing.toFixed(2)})`,
  );
  const walls = [];
  for (const threads of [1, 2]) {
    const one = await timed('./ivrex', blurArguments(folder, scratch, 1, threads)),
      all = await timed('./ivrex', blurArguments(folder, scratch, COUNT, threads)),
      next = (all.cpu - one.cpu) / (COUNT - 1);
    walls.push(all.wall);
    say(
      `${threads} thread${threads > 1 ? 's' : ''}: first frame ${one.cpu.toFixed(2)} s (${ratio(one.cpu, plain.total)} of the gather), each that follows ${next.toFixed(2)} (${ratio(next, plain.total)}, goal 1.00); ${all.wall.toFixed(1)} s on the clock, ${all.mib.toFixed(0)} MiB at the most (goal 700), one frame alone ${one.mib.toFixed(0)} MiB`,
    );
    const { seconds } = JSON.parse(all.said);
    for (const [stage, spent] of Object.entries(seconds)) say(`  ${stage.padEnd(12)} ${(spent / COUNT).toFixed(2)} s a frame`);
  }
  say(`two threads are ${(walls[0] / walls[1]).toFixed(2)} times as fast as one (goal 1.8)`);
});
