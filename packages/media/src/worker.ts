import { workerData } from 'node:worker_threads';
import { bytesHeld, gaveUp, letGo, sharedBytesOf } from './host/collect';
import { loadNodeHost, type HostOptions } from './host/node-host';
import { runTask, type Task, type TimedOutcome } from './tasks/tasks';

/** Entry of a worker thread; `workerData.kernelsWasm` is the path of the compiled kernels. */
// Piscina passes [publicData, workerData] when it starts a thread.
const data = (Array.isArray(workerData) ? workerData[1] : workerData) as { kernelsWasm: string } & HostOptions;
const host = loadNodeHost(data.kernelsWasm, data);
/** Shared bytes of the last answer, which this thread does not let go of while it waits. */
let answered = 0;

export default async function handle(task: Task): Promise<TimedOutcome> {
  gaveUp(answered);
  const before = bytesHeld(),
    started = performance.now(),
    outcome = await runTask(task, await host);
  // This copy of the task is held for as long as the thread waits for the next, with the frames and plans that it names.
  for (const part of Object.keys(task)) Reflect.deleteProperty(task, part);
  letGo(before);
  answered = outcome.ok ? sharedBytesOf(outcome.value) : 0;
  return { outcome, seconds: (performance.now() - started) / 1000 };
}
