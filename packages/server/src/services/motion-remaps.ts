import path from 'node:path';
import type { MotionRemap, PassId, RemapOrder, ShotDetail, ShotId, ShotSettings } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { PictureFile, RemapRequest } from '@ivrex/media';
import { passFileAt, pictureFileAt } from './frames';
import { chosenPasses } from './motion-readings';
import type { Services } from './services';
import { shotDetail } from './shots';

type RemapServices = Pick<Services, 'database' | 'pool' | 'config' | 'log'>;

interface Job {
  readonly stop: AbortController;
  status: MotionRemap;
}

/**
 * Writes motion passes in other encodings, in the background, one a shot at a time. Every file appears whole; an order that was cut short
 * is given again. What is read are the shot's files with its repairs, which stay as they are.
 */
export class MotionRemaps {
  private readonly jobs = new Map<ShotId, Job>();

  constructor(private readonly services: RemapServices) {}

  look(shotId: ShotId): MotionRemap | null {
    return this.jobs.get(shotId)?.status ?? null;
  }

  /** @throws IvrexError badSetting, conflict */
  async order(shotId: ShotId, order: RemapOrder): Promise<MotionRemap> {
    if (this.jobs.get(shotId)?.status.state === 'running')
      throw new IvrexError('conflict', 'motion of this shot is being written; wait for it, or stop it');
    const detail = await shotDetail(this.services.database, shotId);
    const { motion } = chosenPasses(detail);
    const pass = detail.passes.find((p) => p.id === motion);
    if (detail.settings.elements[0].encoding === null) throw new IvrexError('badSetting', 'agree on a reading of the motion pass first');
    const { firstFrame, lastFrame, name } = detail.shot;
    const frames = (pass?.frames ?? [firstFrame]).filter((f) => f >= firstFrame && f <= lastFrame);
    const folder = path.join(this.services.config.deliveriesFolder, name, order.name);
    const job: Job = {
      stop: new AbortController(),
      status: {
        state: 'running',
        name: order.name,
        pattern: path.join(folder, `${order.name}.####.${order.format}`),
        done: 0,
        total: frames.length,
        predictedErrorPx: 0,
        maxErrorPx: 0,
        clippedPixels: 0,
        invalidPixels: 0,
        failed: [],
      },
    };
    this.jobs.set(shotId, job);
    void this.run(job, detail, order, folder, [...frames]).catch((error: unknown) => {
      this.services.log.error({ err: error, shotId }, 'writing motion ended unexpectedly');
      job.status = { ...job.status, state: 'failed' };
    });
    return job.status;
  }

  cancel(shotId: ShotId): MotionRemap | null {
    this.jobs.get(shotId)?.stop.abort();
    return this.look(shotId);
  }

  stop(): void {
    for (const { stop } of this.jobs.values()) stop.abort();
  }

  /** One thread is left to those who look at the picture. */
  private async run(job: Job, detail: ShotDetail, order: RemapOrder, folder: string, left: number[]): Promise<void> {
    const { signal } = job.stop;
    const lane = async () => {
      for (let frame = left.shift(); frame !== undefined && !signal.aborted; frame = left.shift()) {
        const out = path.join(folder, `${order.name}.${String(frame).padStart(4, '0')}.${order.format}`);
        try {
          const result = await this.services.pool.run<'remap'>(
            { kind: 'remap', request: await this.requestAt(detail, order, frame, out) },
            signal,
          );
          const s = job.status;
          job.status = {
            ...s,
            done: s.done + 1,
            predictedErrorPx: Math.max(s.predictedErrorPx, result.predictedErrorPx),
            maxErrorPx: Math.max(s.maxErrorPx, result.maxErrorPx),
            clippedPixels: s.clippedPixels + result.clippedPixels,
            invalidPixels: s.invalidPixels + result.invalidPixels,
          };
        } catch (error) {
          if (!(error instanceof IvrexError)) throw error;
          if (error.code !== 'cancelled') job.status = { ...job.status, failed: [...job.status.failed, { frame, message: error.message }] };
        }
      }
    };
    await Promise.all(Array.from({ length: Math.max(1, this.services.pool.threads - 1) }, lane));
    job.status = { ...job.status, state: signal.aborted ? 'cancelled' : job.status.failed.length > 0 ? 'failed' : 'done' };
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
