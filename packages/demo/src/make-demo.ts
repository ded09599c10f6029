import { access } from 'node:fs/promises';
import path from 'node:path';
import { Piscina } from 'piscina';
import { demoFiles } from './tidal-clock';

export interface MakeDemoOptions {
  /** The production's folder; shots are folders in it. */
  readonly folder: string;
  readonly workerFile: string;
  readonly kernelsWasm: string;
  readonly threads: number;
  readonly onProgress: (done: number, total: number) => void;
}

/** Renders what is missing of the demo production. Files that are there stay as they are: a second run is quick. */
export async function makeDemo(options: MakeDemoOptions): Promise<void> {
  const files = demoFiles();
  const missing = [];
  for (const demo of files) if (!(await exists(path.join(options.folder, demo.file)))) missing.push(demo);
  let done = files.length - missing.length;
  options.onProgress(done, files.length);
  if (missing.length === 0) return;
  const pool = new Piscina({
    filename: options.workerFile,
    minThreads: options.threads,
    maxThreads: options.threads,
    workerData: { kernelsWasm: options.kernelsWasm },
  });
  try {
    await Promise.all(
      missing.map(async (demo) => {
        await pool.run({ demo, folder: options.folder });
        options.onProgress(++done, files.length);
      }),
    );
  } finally {
    await pool.destroy();
  }
}

async function exists(file: string): Promise<boolean> {
  return access(file).then(
    () => true,
    () => false,
  );
}
