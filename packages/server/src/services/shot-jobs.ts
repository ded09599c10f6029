import type { ShotId } from '@ivrex/contract';
import { IvrexError, orNull } from '@ivrex/core';
import type { z } from 'zod';
import pMap from 'p-map';
import { listShotJobs, type JobKind } from '../db/queries/list-shot-jobs';
import { saveShotJob } from '../db/queries/save-shot-job';
import type { Resources } from './resources';
import { shotDetail } from './shots';

type JobServices = Pick<Resources, 'database' | 'pool' | 'log'>;

interface JobStatus {
  readonly state: 'running' | 'done' | 'failed' | 'cancelled';
  readonly done: number;
  readonly failed: readonly { readonly frame: number; readonly message: string }[];
}

type Change<Status> = Partial<Status> | Partial<JobStatus>;

/** A job while it runs. */
export interface RunningJob<Status> {
  readonly signal: AbortSignal;
  readonly status: Status;
  readonly written: readonly number[];
  /** Says what has come about; `frame` is one that is whole on disk now. */
  update(part: Change<Status>, frame?: number): void;
}

export interface NewJob<Asked, Status> {
  readonly asked: Asked;
  readonly status: Status;
  /** Frames that an earlier run wrote. */
  readonly written: readonly number[];
  /** What goes wrong before any frame is told of this one. */
  readonly firstFrame: number;
}

/** What a job of one kind is. */
export interface JobForm<Asked, Status> {
  readonly kind: JobKind;
  readonly asked: z.ZodType<Asked>;
  readonly status: z.ZodType<Status>;
  /** What is said when another one is ordered meanwhile. */
  readonly busy: string;
}

/**
 * Work in the background, one job of a kind a shot. What is under way is written down with every frame, so that a server that was ended,
 * or died, goes on with it when it starts again.
 */
export class ShotJobs<Asked, Status extends JobStatus> {
  private readonly running = new Map<ShotId, { readonly stop: AbortController; status: Status; saving: Promise<void> }>();
  private closing = false;

  constructor(
    private readonly services: JobServices,
    private readonly form: JobForm<Asked, Status>,
  ) {}

  /** The job that runs, or the last one. It is told to have ended only once that is written down: a server that starts then knows it too. */
  async look(shotId: ShotId): Promise<Status | null> {
    const job = this.running.get(shotId);
    if (job !== undefined) {
      if (job.status.state !== 'running') await job.saving;
      return job.status;
    }
    const [row] = await listShotJobs(this.services.database, this.form.kind, { shotId });
    return row === undefined ? null : this.form.status.parse(row.status);
  }

  /** @throws IvrexError conflict */
  assertIdle(shotId: ShotId): void {
    if (this.running.has(shotId)) throw new IvrexError('conflict', this.form.busy);
  }

  /** `work` ends the job by a state; what it throws ends it as failed. @throws IvrexError conflict */
  start(
    shotId: ShotId,
    { asked, status, written: before, firstFrame }: NewJob<Asked, Status>,
    work: (job: RunningJob<Status>) => Promise<void>,
  ): Status {
    this.assertIdle(shotId);
    const stop = new AbortController(),
      job = { stop, status, saving: Promise.resolve() },
      written = [...before];
    this.running.set(shotId, job);
    const save = () => {
      const { kind } = this.form,
        kept = { shotId, kind, asked, status: job.status, written: [...written] };
      // One after the other: the last word stays. A server that is closing leaves the job as it was, to go on with.
      if (!this.closing)
        job.saving = job.saving
          .then(() => saveShotJob(this.services.database, kept))
          .catch((error: unknown) => this.services.log.error({ err: error, shotId, kind }, 'a job could not be written down'));
    };
    save();
    const update = (part: Change<Status>, frame?: number) => {
      if (frame !== undefined) written.push(frame);
      job.status = { ...job.status, ...part };
      save();
    };
    const handle: RunningJob<Status> = {
      signal: stop.signal,
      written,
      update,
      get status() {
        return job.status;
      },
    };
    void work(handle)
      .catch((error: unknown) => {
        this.services.log.error({ err: error, shotId, kind: this.form.kind }, 'a job ended unexpectedly');
        const message = error instanceof IvrexError ? error.message : 'it ended unexpectedly; the log says more';
        update({ state: 'failed', failed: [...job.status.failed, { frame: firstFrame, message }] });
      })
      .then(() => job.saving)
      .finally(() => this.running.delete(shotId));
    return status;
  }

  async cancel(shotId: ShotId): Promise<Status | null> {
    this.running.get(shotId)?.stop.abort();
    return this.look(shotId);
  }

  /** Ends everything for now. */
  stop(): void {
    this.closing = true;
    for (const { stop } of this.running.values()) stop.abort();
  }

  /** Goes on with what ran when the server was ended. A job that can't be gone on with has failed, and says why. */
  async resume(again: (shotId: ShotId, job: Omit<NewJob<Asked, Status>, 'firstFrame'>) => Promise<unknown>): Promise<void> {
    const { database, log } = this.services,
      { kind } = this.form;
    for (const { shotId, asked, status, written } of await listShotJobs(database, kind, 'running')) {
      try {
        await again(shotId, { asked: this.form.asked.parse(asked), status: this.form.status.parse(status), written });
      } catch (error) {
        log.error({ err: error, shotId, kind }, 'a job that was interrupted could not go on');
        const message = error instanceof IvrexError ? error.message : 'it could not go on after a restart; the log says more';
        const frame = (await orNull(() => shotDetail(database, shotId)))?.shot.firstFrame ?? 0;
        const failed = { ...(status as Status), state: 'failed', failed: [{ frame, message }] };
        await saveShotJob(database, { shotId, kind, asked, status: failed, written });
      }
    }
  }

  /**
   * Does the frames side by side, one thread left to those who look at the picture. Trouble with one frame is kept with it. False when
   * the job was stopped.
   */
  async eachFrame(job: RunningJob<Status>, frames: readonly number[], work: (frame: number) => Promise<Change<Status>>): Promise<boolean> {
    const each = async (frame: number) => {
      if (job.signal.aborted) return;
      try {
        job.update(await work(frame), frame);
      } catch (error) {
        if (!(error instanceof IvrexError)) throw error;
        if (error.code !== 'cancelled') job.update({ failed: [...job.status.failed, { frame, message: error.message }] });
      }
    };
    await pMap(frames, each, { concurrency: Math.max(1, this.services.pool.threads - 1) });
    return !job.signal.aborted;
  }
}
