import { access, mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { Piscina } from 'piscina';
import pMap from 'p-map';
import type { DemoSize } from './render-cards';
import { changedSince, DEMO_VERSION, demoFiles, TIDAL_CLOCK, type DemoFile } from './tidal-clock';

export interface MakeDemoOptions {
  /** The production's folder; shots are folders in it. */
  readonly folder: string;
  readonly workerFile: string;
  readonly kernelsWasm: string;
  readonly threads: number;
  /** Of the pictures; as the production has them when missing. */
  readonly size?: DemoSize;
  /** Which files are wanted; all when missing. */
  readonly wants?: (file: string) => boolean;
  /** `open` are the files that are still to come, in their order. */
  readonly onProgress: (done: number, total: number, open: readonly DemoFile[]) => void;
}

/** Beside the shots: which version of the demo was made. Without it the first. */
const VERSION_FILE = '.demo-version';

/** Renders what is missing of the demo production, or has changed since it was made. Other files stay as they are: a second run is quick. */
export async function makeDemo(options: MakeDemoOptions): Promise<void> {
  const files = demoFiles().filter(({ file }) => options.wants?.(file) ?? true),
    versionFile = path.join(options.folder, VERSION_FILE);
  const version = Number(await readFile(versionFile, 'utf8').catch(() => '1'));
  for (const { file } of changedSince(version)) await rm(path.join(options.folder, file), { force: true });
  const missing: DemoFile[] = [];
  for (const demo of files) if (!(await exists(path.join(options.folder, demo.file)))) missing.push(demo);
  const open = new Set(missing);
  const tell = () => options.onProgress(files.length - open.size, files.length, [...open]);
  tell();
  // Before anything is made: what is made from here on is of this version.
  await mkdir(options.folder, { recursive: true });
  await writeFile(versionFile, String(DEMO_VERSION));
  if (open.size === 0) return;
  const pool = new Piscina({
    filename: options.workerFile,
    minThreads: options.threads,
    maxThreads: options.threads,
    workerData: { kernelsWasm: options.kernelsWasm },
  });
  // One group a thread at a time, in order: a shot can be opened as soon as its first passes are whole.
  const groups = groupsOf(missing);
  const make = async (demos: readonly DemoFile[]) => {
    // The still is made of a plate that another thread may still be at.
    if (demos[0].shot === 'look') await othersDone(open);
    await pool.run({ demos, folder: options.folder, size: options.size ?? TIDAL_CLOCK });
    for (const demo of demos) open.delete(demo);
    tell();
  };
  try {
    await pMap(groups, make, { concurrency: options.threads });
  } finally {
    await pool.destroy();
  }
}

/** Passes of one frame that share their rendering are made together. */
function groupsOf(files: readonly DemoFile[]): DemoFile[][] {
  const groups = new Map<string, DemoFile[]>();
  for (const demo of files) {
    const isPlate = demo.kind === 'plate' || demo.kind === 'reeds';
    const key =
      demo.shot === 'TC_020' || demo.shot === 'TC_030' ? `${demo.shot} ${demo.frame}` : isPlate ? `plate ${demo.frame}` : demo.file;
    groups.set(key, [...(groups.get(key) ?? []), demo]);
  }
  return [...groups.values()];
}

/** Waits until everything else is there. */
async function othersDone(open: ReadonlySet<DemoFile>): Promise<void> {
  while ([...open].some((other) => other.shot !== 'look')) await new Promise((resolve) => setTimeout(resolve, 50));
}

async function exists(file: string): Promise<boolean> {
  return access(file).then(
    () => true,
    () => false,
  );
}
