import { spawn } from 'node:child_process';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project's root folder. */
export const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../..');

/**
 * For processes that blur: glibc learns from large blocks that were freed to keep such blocks (up to 32 MiB each) for later, and scatters them; a frame of
 * 1920 x 1080 then takes 0.4 GiB more. From 4 MiB on they are the machine's again at once. Other systems do not look at it.
 */
export const GIVES_MEMORY_BACK = { MALLOC_MMAP_THRESHOLD_: '4194304' };

/** A failure that is told in one sentence, without a stack. */
export class Failure extends Error {}

/** Runs a program; what it prints goes through, unless `quiet` (then it is shown only when it fails). */
export function run(command, args, { cwd = root, env = process.env, quiet = false, input = null } = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, {
      cwd,
      env,
      stdio: [input === null ? 'ignore' : 'pipe', quiet ? 'pipe' : 'inherit', quiet ? 'pipe' : 'inherit'],
    });
    let output = '';
    child.stdout?.on('data', (data) => {
      output += data;
    });
    child.stderr?.on('data', (data) => {
      output += data;
    });
    if (input !== null) child.stdin.end(input);
    child.on('error', (error) => reject(new Failure(`${command} could not be started: ${error.message}`)));
    child.on('close', (code) =>
      code === 0
        ? resolve(output)
        : reject(
            new Failure(
              `${command} ${args.slice(0, 2).join(' ')} failed with exit code ${code}${quiet ? `:\n${firstAndLast(output)}` : ''}`,
            ),
          ),
    );
  });
}

/** Long output, cut in the middle: the cause is mostly at either end. */
function firstAndLast(output) {
  const lines = output.trim().split('\n');
  return lines.length <= 40 ? lines.join('\n') : [...lines.slice(0, 20), '...', ...lines.slice(-20)].join('\n');
}

/** Runs a script's main function; a Failure becomes one line and exit code 1. */
export function main(body) {
  body().catch((error) => {
    process.stderr.write(error instanceof Failure ? `ivrex: ${error.message}\n` : `ivrex: unexpected: ${error.stack ?? error}\n`);
    process.exit(1);
  });
}
