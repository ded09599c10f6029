import type { WorkerId } from '@ivrex/contract';
import type { Db } from '../database';

export interface WorkerBeat {
  readonly id: WorkerId;
  readonly name: string;
  readonly host: string;
  readonly pid: number;
  readonly threads: number;
  readonly doing: string | null;
  readonly framesDone: number;
}

/** The worker lives. */
export async function beatWorker(db: Db, w: WorkerBeat): Promise<void> {
  await db.query(
    `INSERT INTO workers (id, name, host, pid, threads, doing, frames_done) VALUES ($1, $2, $3, $4, $5, $6, $7)
     ON CONFLICT (id) DO UPDATE SET doing = excluded.doing, frames_done = excluded.frames_done, seen_at = now()`,
    [w.id, w.name, w.host, w.pid, w.threads, w.doing, w.framesDone],
  );
}
