import path from 'node:path';
import {
  motionRemapSchema,
  remapOrderSchema,
  shotSettingsSchema,
  type ElementId,
  type MotionRemap,
  type PassId,
  type RemapOrder,
  type ShotDetail,
  type ShotId,
  type ShotSettings,
} from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { removeLeftovers, type PictureFile, type RemapRequest } from '@ivrex/media';
import { z } from 'zod';
import { passFileAt, pictureFileAt } from './frames';
import { chosenPasses } from './motion-readings';
import type { Resources } from './resources';
import { ShotJobs, type RunningJob } from './shot-jobs';
import { shotDetail } from './shots';

type RemapServices = Pick<Resources, 'database' | 'pool' | 'config' | 'log'>;

/** What the shot was set to when the order was given: later changes do not touch it. */
const askedSchema = z.object({ order: remapOrderSchema, settings: shotSettingsSchema });
type Asked = z.infer<typeof askedSchema>;

/**
 * Writes motion passes in other encodings, in the background, one a shot at a time. Every file appears whole. What is read are the shot's
 * files with its repairs, which stay as they are.
 */
export class MotionRemaps {
  private readonly jobs: ShotJobs<Asked, MotionRemap>;

  constructor(private readonly services: RemapServices) {
    this.jobs = new ShotJobs(services, {
      kind: 'remap',
      asked: askedSchema,
      status: motionRemapSchema,
      busy: 'motion of this shot is being written; wait for it, or stop it',
    });
  }

  look(shotId: ShotId): Promise<MotionRemap | null> {
    return this.jobs.look(shotId);
  }

  cancel(shotId: ShotId): Promise<MotionRemap | null> {
    return this.jobs.cancel(shotId);
  }

  stop(): void {
    this.jobs.stop();
  }

  /** @throws IvrexError badSetting, conflict */
  async order(shotId: ShotId, order: RemapOrder, element: ElementId | null = null): Promise<MotionRemap> {
    this.jobs.assertIdle(shotId);
    const detail = await shotDetail(this.services.database, shotId, element);
    chosenPasses(detail);
    if (detail.settings.elements[0].encoding === null) throw new IvrexError('badSetting', 'agree on a reading of the motion pass first');
    const status: MotionRemap = {
      state: 'running',
      name: order.name,
      pattern: path.join(this.folderOf(detail, order), `${order.name}.####.${order.format}`),
      done: 0,
      total: framesOf(detail).length,
      predictedErrorPx: 0,
      maxErrorPx: 0,
      clippedPixels: 0,
      invalidPixels: 0,
      failed: [],
    };
    const asked = { order, settings: detail.settings };
    return this.jobs.start(shotId, { asked, status, written: [], firstFrame: detail.shot.firstFrame }, (job) =>
      this.run(job, detail, asked),
    );
  }

  /** After a start: what was under way goes on where it was. */
  async resume(): Promise<void> {
    await this.jobs.resume(async (shotId, known) => {
      const detail = await shotDetail(this.services.database, shotId);
      this.jobs.start(shotId, { ...known, firstFrame: detail.shot.firstFrame }, (job) => this.run(job, detail, known.asked));
    });
  }

  private folderOf({ shot }: ShotDetail, order: RemapOrder): string {
    return path.join(this.services.config.deliveriesFolder, shot.name, order.name);
  }

  private async run(job: RunningJob<MotionRemap>, detail: ShotDetail, { order, settings }: Asked): Promise<void> {
    const asOrdered = { ...detail, settings },
      left = framesOf(asOrdered).filter((f) => !job.written.includes(f));
    const isWhole = await this.jobs.eachFrame(job, left, async (frame) => {
      const out = path.join(this.folderOf(detail, order), `${order.name}.${String(frame).padStart(4, '0')}.${order.format}`);
      await removeLeftovers(out);
      const request = await this.requestAt(asOrdered, order, frame, out);
      const result = await this.services.pool.run<'remap'>({ kind: 'remap', request }, job.signal);
      const s = job.status;
      return {
        done: s.done + 1,
        predictedErrorPx: Math.max(s.predictedErrorPx, result.predictedErrorPx),
        maxErrorPx: Math.max(s.maxErrorPx, result.maxErrorPx),
        clippedPixels: s.clippedPixels + result.clippedPixels,
        invalidPixels: s.invalidPixels + result.invalidPixels,
      };
    });
    job.update({ state: !isWhole ? 'cancelled' : job.status.failed.length > 0 ? 'failed' : 'done' });
  }

  /** Null where the beauty has no such frame: what can do without its alpha does. */
  private async beautyAt(beauty: PassId, frame: number, settings: ShotSettings): Promise<PictureFile | null> {
    try {
      return await pictureFileAt(this.services.database, beauty, frame, { settings });
    } catch (error) {
      if (error instanceof IvrexError && error.code === 'missingFrame') return null;
      throw error;
    }
  }

  private async requestAt({ settings, passes }: ShotDetail, order: RemapOrder, frame: number, out: string): Promise<RemapRequest> {
    const { database } = this.services;
    const [element] = settings.elements;
    if (element.motion === null || element.beauty === null || element.encoding === null)
      throw new IvrexError('badSetting', 'agree on a reading of the motion pass first');
    const { encoding: from, repairs } = element;
    const wantsAlpha = from.premultiplied || order.to.premultiplied || order.to.alpha !== null || repairs.some((r) => r.on);
    return {
      motion: await passFileAt(database, element.motion, frame, settings),
      beauty: wantsAlpha ? await this.beautyAt(element.beauty, frame, settings) : null,
      from,
      repairs,
      to: order.to,
      type: order.type,
      fps: settings.fps ?? passes.find((p) => p.id === element.beauty)?.fps ?? null,
      out,
      layer: '',
    };
  }
}

/** Frames of the motion pass inside the shot's range. */
function framesOf({ shot, passes, settings }: ShotDetail): number[] {
  const pass = passes.find((p) => p.id === settings.elements[0].motion);
  return (pass?.frames ?? [shot.firstFrame]).filter((f) => f >= shot.firstFrame && f <= shot.lastFrame);
}
