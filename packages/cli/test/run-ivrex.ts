import { spawnSync } from 'node:child_process';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';

export const ROOT = path.join(__dirname, '../../..');
export const DEMO = path.join(ROOT, '.cache/demo/small');
export const HERON_ENCODING = path.join(ROOT, 'packages/demo/encodings/heron.json'),
  WHEEL_ENCODING = path.join(ROOT, 'packages/demo/encodings/wheel-room.json');

export interface Ran {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** The command line as it was built. */
export function ivrex(...args: string[]): Ran {
  return spawnSync(process.execPath, [path.join(ROOT, 'packages/cli/dist/ivrex.mjs'), ...args], { encoding: 'utf8', maxBuffer: 1 << 28 });
}

/** What it answered with --json; what it complained of when it answered nothing. */
export function json({ stdout, stderr }: Ran): Record<string, unknown> {
  if (stdout === '') throw new Error(stderr);
  return JSON.parse(stdout) as Record<string, unknown>;
}

export const HERONS = path.join(DEMO, 'TC_010');
export const HERON = path.join(HERONS, 'TC_010_heron.####.exr');

/** A folder of its own. */
export const scratch = () => mkdtempSync(path.join(tmpdir(), 'ivrex-cli-'));
/** What blur reads of the heron. */
export const inputs = (beauty = HERON) => [
  '--beauty',
  beauty,
  '--motion',
  `${beauty}::motion`,
  '--depth',
  `${beauty}::depth`,
  '--ids',
  `${beauty}::id`,
  '--encoding',
  HERON_ENCODING,
];
export const centred = ['--angle', '180', '--align', 'centre'];
