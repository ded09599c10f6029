import { randomUUID } from 'node:crypto';
import { workerIdSchema, type DeliveryId } from '@ivrex/contract';
import type { PathMapping } from '@ivrex/media';
import { beatWorker } from '../src/db/queries/beat-worker';
import { openOrder, renderDeliveryFrame, type WorkServices } from '../src/services/delivery-work';
import { SharedDigests } from '../src/services/digests';
import type { Services } from '../src/services/services';

const worker = workerIdSchema.parse(randomUUID());

/** What a worker process is handed; it is one that lives. */
export async function workerOf(services: Services, mappings: readonly PathMapping[] = []): Promise<WorkServices> {
  const { database } = services;
  await beatWorker(database, { id: worker, name: 'test', host: 'marsh', pid: process.pid, threads: 2, doing: null, framesDone: 0 });
  return { ...services, worker, mappings, digests: new SharedDigests(database) };
}

/** One frame, as a worker makes it. */
export async function renderAt(
  services: Services,
  id: DeliveryId,
  frame: number,
  signal = new AbortController().signal,
  mappings: readonly PathMapping[] = [],
) {
  const work = await workerOf(services, mappings);
  return renderDeliveryFrame(work, await openOrder(work, id), frame, signal);
}

/** Frames that failed and wait: their time has come. */
export async function comeTime({ database }: Pick<Services, 'database'>): Promise<void> {
  await database.query(`UPDATE delivery_frames SET retry_at = now() WHERE state = 'waiting'`);
}
