import { workerData } from 'node:worker_threads';
import { loadNodeHost } from '@ivrex/media';
import type { DemoSize } from './render-cards';
import { makeDemoFile, type DemoFile } from './tidal-clock';

// Piscina passes [publicData, workerData] when it starts a thread.
const data = (Array.isArray(workerData) ? workerData[1] : workerData) as { kernelsWasm: string };
const host = loadNodeHost(data.kernelsWasm);

export default async function handle(task: { demos: readonly DemoFile[]; folder: string; size: DemoSize }): Promise<void> {
  for (const demo of task.demos) await makeDemoFile(demo, task.folder, task.size, await host);
}
