// `npm run bench:against REV`: builds another revision beside this one and runs both in turn, A B A B, on the same files; prints ratios.
//   --rounds N     how often (3)          --frames N    frames of a run (12)
//   --threads N    worker threads (1)     --size WxH    1920x1080
import { existsSync, mkdirSync } from 'node:fs';
import path from 'node:path';
import { parseArgs } from 'node:util';
import { buildCli } from './steps/build-steps.mjs';
import { frameFiles, timeFrames, writeSpeed } from './steps/frame-runs.mjs';
import { Failure, main, root, run } from './steps/run.mjs';

const say = (what) => process.stdout.write(`${what}\n`);

/** The revision's files in a folder of their own, with its packages and its command line built. */
async function otherRevision(name) {
  const git = async (...args) => (await run('git', args, { quiet: true })).trim();
  const revision = await git('rev-parse', '--verify', `${name}^{commit}`).catch(() => {
    throw new Failure(`there is no revision "${name}"; a shallow clone has only the latest: git fetch --unshallow`);
  });
  const home = path.join(root, '.cache/against', revision.slice(0, 12));
  if (!existsSync(path.join(home, 'package.json'))) {
    mkdirSync(home, { recursive: true });
    const packed = `${home}.tar`;
    await git('archive', '--output', packed, revision);
    await run('tar', ['-xf', packed, '-C', home]);
  }
  say(`building ${revision.slice(0, 12)}`);
  if (!existsSync(path.join(home, 'node_modules'))) await run('npm', ['ci', '--no-audit', '--no-fund'], { cwd: home, quiet: true });
  await run('./ivrex', ['--help'], { cwd: home, quiet: true });
  return { home, revision: revision.slice(0, 12) };
}

const middle = (values) => [...values].sort((a, b) => a - b)[values.length >> 1];

main(async () => {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: {
      rounds: { type: 'string', default: '3' },
      frames: { type: 'string', default: '12' },
      threads: { type: 'string', default: '1' },
      size: { type: 'string', default: '1920x1080' },
    },
  });
  if (positionals.length !== 1) throw new Failure('say against which revision: npm run bench:against REV');
  const [rounds, frames, threads] = [values.rounds, values.frames, values.threads].map(Number),
    [width, height] = values.size.split('x').map(Number);
  await buildCli(say);
  const other = await otherRevision(positionals[0]),
    folder = await frameFiles(width, height, frames),
    seen = { first: [], next: [], wall: [] },
    told = [];
  for (let round = 0; round < rounds; round++) {
    const theirs = await timeFrames(other.home, folder, frames, threads),
      ours = await timeFrames(root, folder, frames, threads);
    seen.first.push(ours.first / theirs.first);
    seen.next.push(ours.next / theirs.next);
    seen.wall.push(ours.all.wall / theirs.all.wall);
    told.push(
      `round ${round + 1}: first frame ${theirs.first.toFixed(2)} s there, ${ours.first.toFixed(2)} here; each that follows ${theirs.next.toFixed(2)} there, ${ours.next.toFixed(2)} here; at the most ${theirs.all.mib.toFixed(0)} MiB there, ${ours.all.mib.toFixed(0)} here`,
    );
    say(told[round]);
  }
  const result = `${width} x ${height}, ${frames} frames, ${threads} thread${threads > 1 ? 's' : ''}, this revision against ${other.revision}, the middle of ${rounds} rounds in turn: the first frame takes **${middle(seen.first).toFixed(2)}** of its processor time (goal 0.40), each that follows **${middle(seen.next).toFixed(2)}** (goal 0.25), the whole run ${middle(seen.wall).toFixed(2)} of its time on the clock.`;
  say(result);
  writeSpeed(
    `Against ${other.revision}, ${threads} thread${threads > 1 ? 's' : ''}`,
    `${result}\n\n${told.map((line) => `- ${line}`).join('\n')}`,
  );
});
