import { deliveryIdSchema } from '@ivrex/contract';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { z } from 'zod';
import type { DeliveryQueue } from '../services/services';

const QUEUE = 'deliver-frames';
const jobSchema = z.object({ deliveryId: deliveryIdSchema, frames: z.array(z.number().int()) });
type Job = z.infer<typeof jobSchema>;

/** Frames a job: short jobs are lost cheaply and share out evenly. */
const CHUNK = 4;
/** A worker that dies gives its chunk back after this long; frames it had claimed wait for the next start. */
const EXPIRE_SECONDS = 120;

export interface RunningQueue extends DeliveryQueue {
  /** Starts taking jobs. */
  work(render: (job: { deliveryId: Job['deliveryId']; frame: number; signal: AbortSignal }) => Promise<void>): Promise<void>;
  stop(): Promise<void>;
}

export async function openDeliveryQueue(databaseUrl: string, log: Logger): Promise<RunningQueue> {
  const boss = new PgBoss({ connectionString: databaseUrl, schema: 'queue', max: 4 });
  boss.on('error', (error) => log.error({ err: error }, 'the job queue has trouble'));
  await boss.start();
  await boss.createQueue(QUEUE);
  const running = new Map<string, AbortController>();
  return {
    async send(deliveryId, frames) {
      for (let i = 0; i < frames.length; i += CHUNK)
        await boss.send(QUEUE, { deliveryId, frames: frames.slice(i, i + CHUNK) }, { expireInSeconds: EXPIRE_SECONDS, retryLimit: 2 });
    },
    abort(deliveryId) {
      running.get(deliveryId)?.abort();
      running.delete(deliveryId);
    },
    async work(render) {
      await boss.work(QUEUE, { pollingIntervalSeconds: 0.5 }, async ([job]) => {
        const { deliveryId, frames } = jobSchema.parse(job.data);
        const controller = running.get(deliveryId) ?? new AbortController();
        running.set(deliveryId, controller);
        for (const frame of frames) await render({ deliveryId, frame, signal: controller.signal });
        if (controller.signal.aborted) running.delete(deliveryId);
      });
    },
    async stop() {
      for (const controller of running.values()) controller.abort();
      await boss.stop({ graceful: true, timeout: 5000 });
    },
  };
}
