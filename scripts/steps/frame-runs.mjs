// A sequence of frames from files to files by the command line, timed: for `npm run bench -- frame` and `npm run bench:against`.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { bundle } from './build-steps.mjs';
import { Failure, root, run } from './run.mjs';

/** The same in packages/media/bench/frame-files.ts. */
export const FIRST_FRAME = 101;

/** Frames of two layers with their neighbours' files, made on first use. Returns the folder. */
export async function frameFiles(width, height, count) {
  const folder = path.join(root, `.cache/bench/frame-files-${width}x${height}`),
    last = path.join(folder, `frame.${FIRST_FRAME + count}.exr`);
  if (!existsSync(last)) {
    await bundle({ 'frame-files': 'packages/media/bench/frame-files.ts' }, '.cache/bench/frame-files-maker');
    await run('node', [path.join(root, '.cache/bench/frame-files-maker/frame-files.mjs'), folder, width, height, count].map(String));
  }
  return folder;
}

/** Arguments of `ivrex blur`: 180 degrees centred, both neighbours mixed in. */
export function blurArguments(folder, out, count, threads) {
  const file = path.join(folder, 'frame.###.exr');
  return [
    ['blur', '--beauty', file, '--motion', `${file}::motion`, '--encoding', path.join(folder, 'encoding.json')],
    ['--depth', `${file}::depth`, '--ids', `${file}::id`, '--opens=-0.25', '--closes=0.25', '--threads', String(threads), '--json'],
    ['--frames', `${FIRST_FRAME}-${FIRST_FRAME + count - 1}`, '--out', path.join(out, 'out.###.exr')],
  ].flat();
}

/** Runs a program to its end. Returns what it printed, seconds on the clock and of processor time, and the most memory, MiB. */
export function timed(command, args, cwd = root) {
  return new Promise((resolve, reject) => {
    const child = spawn('bash', ['-c', 'TIMEFORMAT="%R %U %S"; time "$@"', 'timed', command, ...args], {
      cwd,
      stdio: ['ignore', 'pipe', 'pipe'],
    });
    let said = '',
      told = '',
      mib = 0;
    const look = setInterval(() => {
      mib = Math.max(mib, mostMemory(child.pid));
    }, 50);
    child.stdout.on('data', (data) => {
      said += data;
    });
    child.stderr.on('data', (data) => {
      told += data;
    });
    child.on('close', (code) => {
      clearInterval(look);
      const times = told.trim().split('\n').pop().split(' ').map(Number);
      if (code !== 0) reject(new Failure(`${command} failed: ${told}`));
      else resolve({ said, mib, wall: times[0], cpu: times[1] + times[2] });
    });
  });
}

/** The most memory that a process' only child has had, MiB; 0 when it is gone. */
function mostMemory(pid) {
  try {
    const [child] = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ');
    return Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${child}/status`, 'utf8'))?.[1] ?? 0) / 1024;
  } catch {
    return 0;
  }
}

/**
 * Processor seconds of the first frame and of each that follows, and what the whole run took. A program's start belongs to the first.
 * `home`: the folder of the revision whose command line is run.
 */
export async function timeFrames(home, folder, count, threads) {
  const out = path.join(root, '.cache/bench/frame-out');
  mkdirSync(out, { recursive: true });
  const one = await timed('./ivrex', blurArguments(folder, out, 1, threads), home),
    all = await timed('./ivrex', blurArguments(folder, out, count, threads), home);
  return { first: one.cpu, next: (all.cpu - one.cpu) / (count - 1), all, firstMib: one.mib };
}

const HEAD = '# How fast it is\n\nWritten by `npm run bench -- frame` and `npm run bench:against REV`, a section each.\n';

/** Puts a section into docs/speed.md, in the place of the one with its title. */
export function writeSpeed(title, text) {
  const file = path.join(root, 'docs/speed.md'),
    known = existsSync(file) ? readFileSync(file, 'utf8').split(/^## /m).slice(1) : [],
    sections = new Map(known.map((section) => [section.slice(0, section.indexOf('\n')), section.slice(section.indexOf('\n')).trim()]));
  sections.set(title, text.trim());
  writeFileSync(file, [HEAD, ...[...sections].map(([name, body]) => `\n## ${name}\n\n${body}\n`)].join(''));
}
