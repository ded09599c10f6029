import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { BlurPool, loadNodeHost, type NodeHost } from '@ivrex/media';
import type { CliHost } from '../src/host';
import { runIvrex } from '../src/run-ivrex';

export const ROOT = path.join(__dirname, '../../..');
export const DEMO = path.join(ROOT, '.cache/demo/small');
export const HERON_ENCODING = path.join(ROOT, 'packages/demo/encodings/heron.json');

/** As the wheel room's pass is stored at this size: its range is that many pixels fewer. */
export function wheelEncoding(folder: string): string {
  const file = path.join(folder, 'wheel-room.json');
  const document = JSON.parse(readFileSync(path.join(ROOT, 'packages/demo/encodings/wheel-room.json'), 'utf8')) as { fullScale: object };
  writeFileSync(file, JSON.stringify({ ...document, fullScale: { ...document.fullScale, equals: 16 } }));
  return file;
}

/** The command line as it was built. */
export const BUILT = path.join(ROOT, 'packages/cli/dist/ivrex.mjs');

export interface Ran {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** A real start of the command line as it was built: exit codes, streams, signals. Costs a second, so most tests take `ivrex`. */
export function startIvrex(...args: string[]): Ran {
  return spawnSync(process.execPath, [BUILT, ...args], { encoding: 'utf8', maxBuffer: 1 << 28 });
}

/** Threads that stay for the next command. */
class KeptPool extends BlurPool {
  override close(): Promise<void> {
    return Promise.resolve();
  }
}

const KERNELS = path.join(ROOT, 'packages/kernels/build/kernels.wasm'),
  WORKER = path.join(ROOT, 'packages/cli/dist/media-worker.mjs');
const pools = new Map<number, KeptPool>();
let kernels: Promise<NodeHost> | null = null;

/** The host as the program has it; what it opens stays open. */
const host: CliHost = {
  kernels: () => (kernels ??= loadNodeHost(KERNELS)),
  openPool: (threads) => {
    const pool = pools.get(threads) ?? new KeptPool({ workerFile: WORKER, kernelsWasm: KERNELS, threads });
    pools.set(threads, pool);
    return pool;
  },
  fontFile: path.join(ROOT, 'node_modules/@fontsource-variable/inter/files/inter-latin-wght-normal.woff2'),
};

/** One command in this process, with what it writes to its streams. One at a time. */
export async function ivrex(...args: string[]): Promise<Ran> {
  const said = { stdout: '', stderr: '' };
  const spies = (['stdout', 'stderr'] as const).map((name) =>
    jest.spyOn(process[name], 'write').mockImplementation((text: string | Uint8Array) => {
      said[name] += String(text);
      return true;
    }),
  );
  try {
    const status = await runIvrex(args, host);
    return { status, ...said };
  } finally {
    for (const spy of spies) spy.mockRestore();
  }
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
