import { deliveryIdSchema, type DeliveryId, type Priority } from '@ivrex/contract';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { z } from 'zod';
import type { Db } from '../db/database';
import type { DeliveryQueue } from '../services/resources';

const FRAMES = 'deliver-frames',
  FINISH = 'finish-delivery';
const framesSchema = z.object({ deliveryId: deliveryIdSchema, frames: z.array(z.number().int()) });
const finishSchema = z.object({ deliveryId: deliveryIdSchema });

/** Frames a job: short jobs are lost cheaply and share out evenly. */
const CHUNK = 4;
/**
 * The engine takes a job for lost after this long. Nothing hangs on it: whether a worker lives is known by its heartbeat, and a job that comes a
 * second time finds its frames taken.
 */
const EXPIRE_SECONDS = 3600;
const PRIORITY: Record<Priority, number> = { low: -10, normal: 0, high: 10 };

export interface FrameJob {
  readonly deliveryId: DeliveryId;
  readonly frames: readonly number[];
}

export interface RunningQueue extends DeliveryQueue {
  /** Starts taking jobs, one of each kind at a time. */
  work(render: (job: FrameJob) => Promise<void>, finish: (id: DeliveryId) => Promise<void>): Promise<void>;
  stop(): Promise<void>;
}

export async function openDeliveryQueue(databaseUrl: string, database: Db, log: Logger): Promise<RunningQueue> {
  const boss = new PgBoss({ connectionString: databaseUrl, schema: 'queue', max: 4 });
  boss.on('error', (error) => log.error({ err: error }, 'the job queue has trouble'));
  await boss.start();
  await boss.createQueue(FRAMES);
  await boss.createQueue(FINISH);
  return {
    async sendFrames(deliveryId, frames, priority) {
      // One by one: jobs of one statement have the same time, and would be taken in any order.
      for (let i = 0; i < frames.length; i += CHUNK)
        await boss.send(
          FRAMES,
          { deliveryId, frames: frames.slice(i, i + CHUNK) },
          { expireInSeconds: EXPIRE_SECONDS, retryLimit: 2, priority: PRIORITY[priority] },
        );
    },
    async sendFinish(deliveryId) {
      await boss.send(FINISH, { deliveryId }, { expireInSeconds: EXPIRE_SECONDS, retryLimit: 2 });
    },
    async queued() {
      const { rows } = await database.query<{ id: string }>(
        `SELECT DISTINCT data->>'deliveryId' AS id FROM queue.job WHERE name IN ($1, $2) AND state IN ('created', 'retry')`,
        [FRAMES, FINISH],
      );
      return new Set(rows.map((row) => row.id));
    },
    async forget(id) {
      await database.query(`DELETE FROM queue.job WHERE name IN ($2, $3) AND state IN ('created', 'retry') AND data->>'deliveryId' = $1`, [
        id,
        FRAMES,
        FINISH,
      ]);
    },
    async changePriority(id, priority) {
      await database.query(
        `UPDATE queue.job SET priority = $2 WHERE name = $3 AND state IN ('created', 'retry') AND data->>'deliveryId' = $1`,
        [id, PRIORITY[priority], FRAMES],
      );
    },
    async work(render, finish) {
      await boss.work(FRAMES, { pollingIntervalSeconds: 0.5 }, async ([job]) => render(framesSchema.parse(job.data)));
      await boss.work(FINISH, { pollingIntervalSeconds: 0.5 }, async ([job]) => finish(finishSchema.parse(job.data).deliveryId));
    },
    async stop() {
      await boss.stop({ graceful: true, timeout: 5000 });
    },
  };
}
