import type { ElementId, MotionAudit, ShotDetail, ShotId } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import pMap from 'p-map';
import { insertMotionAudit } from '../db/queries/insert-motion-audit';
import { listMotionAudits } from '../db/queries/list-motion-audits';
import { passFileAt, pictureFileAt } from './frames';
import { chosenPasses, keyOf } from './motion-readings';
import type { Resources } from './resources';
import { shotDetail } from './shots';

type AuditServices = Pick<Resources, 'database' | 'pool' | 'log' | 'now'>;

interface Running {
  readonly stop: AbortController;
  readonly since: number;
  readonly before: number;
}

/**
 * Audits of whole motion passes, in the background. Each frame's figures are kept as they come: a restart goes on where it was, and an
 * audit under a known encoding is there at once.
 */
export class MotionAudits {
  private readonly running = new Map<string, Running>();
  private readonly cancelled = new Set<string>();

  constructor(private readonly services: AuditServices) {}

  /** What is known, starting or going on with what is not. Null while no encoding is agreed. @throws IvrexError notFound, badSetting */
  look(shotId: ShotId, element: ElementId | null = null): Promise<MotionAudit | null> {
    return this.tell(shotId, element, true);
  }

  /** What is known, and no more. Null while no encoding is agreed. @throws IvrexError notFound, badSetting */
  known(shotId: ShotId, element: ElementId | null = null): Promise<MotionAudit | null> {
    return this.tell(shotId, element, false);
  }

  private async tell(shotId: ShotId, element: ElementId | null, goOn: boolean): Promise<MotionAudit | null> {
    const audit = await this.place(shotId, element);
    if (audit === null) return null;
    const { key, frames, detail } = audit;
    const rows = await listMotionAudits(this.services.database, shotId, key);
    const known = new Set(rows.map((r) => r.frame));
    const open = frames.filter((f) => !known.has(f));
    if (goOn && open.length > 0 && !this.running.has(key) && !this.cancelled.has(key)) this.start(detail, key, open, rows.length);
    const running = this.running.get(key);
    const done = rows.length - (running?.before ?? 0);
    return {
      state: running !== undefined ? 'running' : open.length > 0 ? 'cancelled' : 'done',
      total: frames.length,
      frames: rows.flatMap((r) => (r.audit === null ? [] : [r.audit])),
      failed: rows.flatMap((r) => (r.error === null ? [] : [{ frame: r.frame, message: r.error }])),
      secondsLeft: running === undefined || done < 1 ? null : ((this.services.now().getTime() - running.since) / 1000 / done) * open.length,
    };
  }

  async cancel(shotId: ShotId, element: ElementId | null = null): Promise<MotionAudit | null> {
    const audit = await this.place(shotId, element);
    if (audit !== null) {
      this.cancelled.add(audit.key);
      this.running.get(audit.key)?.stop.abort();
      this.running.delete(audit.key);
    }
    return this.look(shotId, element);
  }

  async resume(shotId: ShotId, element: ElementId | null = null): Promise<MotionAudit | null> {
    const audit = await this.place(shotId, element);
    if (audit !== null) this.cancelled.delete(audit.key);
    return this.look(shotId, element);
  }

  /** Ends everything; what is known stays known. */
  stop(): void {
    for (const { stop } of this.running.values()) stop.abort();
  }

  private async place(
    shotId: ShotId,
    element: ElementId | null,
  ): Promise<{ key: string; frames: readonly number[]; detail: ShotDetail } | null> {
    const detail = await shotDetail(this.services.database, shotId, element);
    const { motion, beauty } = chosenPasses(detail);
    const { encoding } = detail.settings.elements[0];
    if (encoding === null) return null;
    const pass = detail.passes.find((p) => p.id === motion);
    const { firstFrame, lastFrame } = detail.shot;
    const frames = (pass?.frames ?? [firstFrame]).filter((f) => f >= firstFrame && f <= lastFrame);
    // Names and notes do not change figures.
    return { key: keyOf(detail, ['audit', beauty, motion, { ...encoding, name: '', note: '' }]), frames, detail };
  }

  private start(detail: ShotDetail, key: string, open: readonly number[], before: number): void {
    const stop = new AbortController();
    this.running.set(key, { stop, since: this.services.now().getTime(), before });
    void this.run(detail, key, open, stop.signal)
      .catch((error: unknown) => this.services.log.error({ err: error, shotId: detail.shot.id }, 'an audit ended unexpectedly'))
      .finally(() => {
        if (this.running.get(key)?.stop === stop) this.running.delete(key);
      });
  }

  /** One thread is left to those who look at the picture. */
  private async run(detail: ShotDetail, key: string, frames: readonly number[], signal: AbortSignal): Promise<void> {
    const audit = async (frame: number) => {
      if (signal.aborted) return;
      const result = await this.auditFrame(detail, frame, signal);
      if (result !== null) await insertMotionAudit(this.services.database, detail.shot.id, key, { frame, ...result });
    };
    await pMap(frames, audit, { concurrency: Math.max(1, this.services.pool.threads - 1) });
  }

  private async auditFrame(detail: ShotDetail, frame: number, signal: AbortSignal) {
    const { settings, passes } = detail;
    const { motion, beauty } = chosenPasses(detail);
    const { encoding } = settings.elements[0];
    if (encoding === null) return null;
    const { database, pool } = this.services;
    try {
      const borrows = encoding.premultiplied && encoding.alpha === null;
      const request = {
        motion: await passFileAt(database, motion, frame, settings),
        beauty: borrows ? await pictureFileAt(database, beauty, frame, { settings }) : null,
        encoding,
        fps: settings.fps ?? passes.find((p) => p.id === beauty)?.fps ?? null,
      };
      const audit = await pool.run<'audit'>({ kind: 'audit', request }, signal);
      return { audit: { frame, ...audit }, error: null };
    } catch (error) {
      if (!(error instanceof IvrexError)) throw error;
      if (error.code === 'cancelled') return null;
      return { audit: null, error: error.message };
    }
  }
}
