import { workerData } from 'node:worker_threads';
import { bytesHeld, letGo } from './host/collect';
import { loadNodeHost, type HostOptions } from './host/node-host';
import { runTask, type Task, type TimedOutcome } from './tasks/tasks';

/** Entry of a worker thread; `workerData.kernelsWasm` is the path of the compiled kernels. */
// Piscina passes [publicData, workerData] when it starts a thread.
const data = (Array.isArray(workerData) ? workerData[1] : workerData) as { kernelsWasm: string } & HostOptions;
const host = loadNodeHost(data.kernelsWasm, data);

export default async function handle(task: Task): Promise<TimedOutcome> {
  const before = bytesHeld(),
    started = performance.now(),
    outcome = await runTask(task, await host);
  letGo(before);
  return { outcome, seconds: (performance.now() - started) / 1000 };
}
