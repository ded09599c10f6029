import { createHash } from 'node:crypto';
import { mkdir, readdir, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import type { MadeSource, MakingMotion, MotionTrial, ShotDetail, ShotId, ShotSettings } from '@ivrex/contract';
import { cameraAt, IvrexError, orNull, type CameraTrack } from '@ivrex/core';
import { MADE_ENCODING, type MakeMotionRequest, type MotionSource, type PictureFile } from '@ivrex/media';
import { bringIn } from './bring-in';
import { cameraTrackOf } from './camera-tracks';
import { passFileAt, pictureFileAt } from './frames';
import { madeFolderOf, MADE_PREFIX } from './made-folders';
import type { Services } from './services';
import { changeSettings, shotDetail } from './shots';

type MakeServices = Pick<Services, 'database' | 'pool' | 'config' | 'log' | 'now' | 'looks'>;

interface Job {
  readonly stop: AbortController;
  readonly since: number;
  status: MakingMotion;
}

/** What the written passes are called, and what undo says. */
const NAMES: Record<MadeSource['kind'], { readonly file: string; readonly label: string }> = {
  camera: { file: 'motion_from_camera', label: 'Motion made from the camera' },
  pictures: { file: 'motion_from_pictures', label: 'Motion estimated from the pictures' },
  render: { file: 'motion_borrowed', label: 'Motion borrowed from another render' },
};

/**
 * Makes motion passes where a render brought none: derived from a camera, estimated from the pictures, borrowed from another render. They
 * are ordinary passes, written beside the shot's own files and chosen as its motion. Half-written ones stay, hidden, and the same order
 * goes on with them.
 */
export class MotionMakes {
  private readonly jobs = new Map<ShotId, Job>();

  constructor(private readonly services: MakeServices) {}

  look(shotId: ShotId): MakingMotion | null {
    return this.jobs.get(shotId)?.status ?? null;
  }

  /** One frame, held against the pictures; nothing is written. @throws IvrexError as `makeMotion` */
  async try(shotId: ShotId, source: MadeSource, frame: number): Promise<MotionTrial> {
    const detail = await shotDetail(this.services.database, shotId);
    const plan = await this.plan(detail, source);
    const { request, warnings } = await this.requestAt(plan, frame, null);
    return { ...(await this.services.pool.run<'make'>({ kind: 'make', request })), frame, warnings };
  }

  /** @throws IvrexError badSetting, conflict */
  async order(shotId: ShotId, source: MadeSource): Promise<MakingMotion> {
    if (this.jobs.get(shotId)?.status.state === 'running')
      throw new IvrexError('conflict', 'motion of this shot is being made; wait for it, or stop it');
    const detail = await shotDetail(this.services.database, shotId);
    const plan = await this.plan(detail, source);
    const status: MakingMotion = {
      state: 'running',
      source,
      done: 0,
      total: plan.frames.length,
      secondsLeft: null,
      failed: [],
      warnings: [],
    };
    const job: Job = { stop: new AbortController(), since: this.services.now().getTime(), status };
    this.jobs.set(shotId, job);
    void this.decided(plan)
      .then((all) => this.run(job, all))
      .catch((error: unknown) => {
        this.services.log.error({ err: error, shotId }, 'making motion ended unexpectedly');
        const message = error instanceof IvrexError ? error.message : 'it ended unexpectedly; the log says more';
        job.status = { ...job.status, state: 'failed', failed: [...job.status.failed, { frame: detail.shot.firstFrame, message }] };
      });
    return status;
  }

  cancel(shotId: ShotId): MakingMotion | null {
    this.jobs.get(shotId)?.stop.abort();
    return this.look(shotId);
  }

  stop(): void {
    for (const { stop } of this.jobs.values()) stop.abort();
  }

  private async plan(detail: ShotDetail, source: MadeSource): Promise<Plan> {
    const [{ beauty }] = detail.settings.elements;
    if (beauty === null) throw new IvrexError('badSetting', 'choose the beauty in step Passes first: motion is made for it');
    const pass = detail.passes.find((p) => p.id === beauty);
    const { firstFrame, lastFrame } = detail.shot;
    const frames = (pass?.frames ?? [firstFrame]).filter((f) => f >= firstFrame && f <= lastFrame);
    const track = source.kind === 'camera' ? await cameraTrackOf(this.services, detail, source.camera) : null;
    const other = source.kind === 'render' ? await shotDetail(this.services.database, source.shot) : null;
    return { detail, source, beauty, frames, isOne: (pass?.frames ?? null) === null, track, other };
  }

  /** Which way depth counts is found once, on a frame in the middle, and holds for all. */
  private async decided(plan: Plan): Promise<Plan> {
    const { source, frames } = plan;
    if (source.kind !== 'camera' || source.surface.kind !== 'depth' || source.surface.measured !== 'auto') return plan;
    const { request } = await this.requestAt(plan, frames[frames.length >> 1], null);
    const { depthKind } = await this.services.pool.run<'make'>({ kind: 'make', request });
    return { ...plan, source: { ...source, surface: { ...source.surface, measured: depthKind ?? 'alongView' } } };
  }

  /** One thread is left to those who look at the picture. */
  private async run(job: Job, plan: Plan): Promise<void> {
    const { signal } = job.stop,
      { id } = plan.detail.shot,
      { file, label } = NAMES[plan.source.kind];
    const folder = path.join(madeFolderOf(this.services.config, id), file);
    // Files of another order, or of other settings, are not gone on with.
    const key = createHash('sha256')
      .update(JSON.stringify([plan.source, plan.detail.settings.readings, plan.detail.look]))
      .digest('hex');
    const partFolder = path.join(path.dirname(folder), `.${file}-${key.slice(0, 16)}`);
    await mkdir(partFolder, { recursive: true });
    const nameOf = (frame: number) => `${file}.${String(frame).padStart(4, '0')}.exr`;
    const there = new Set(await readdir(partFolder));
    const left = plan.frames.filter((f) => !there.has(nameOf(f)));
    const before = plan.frames.length - left.length;
    const count = (part: Partial<MakingMotion>) => {
      const status = { ...job.status, ...part };
      const made = status.done - before;
      const each = (this.services.now().getTime() - job.since) / 1000 / Math.max(1, made);
      job.status = { ...status, secondsLeft: made < 1 ? null : each * (status.total - status.done) };
    };
    count({ done: before });
    const lane = async () => {
      for (let frame = left.shift(); frame !== undefined && !signal.aborted; frame = left.shift()) {
        try {
          const { request, warnings } = await this.requestAt(plan, frame, path.join(partFolder, nameOf(frame)));
          await this.services.pool.run<'make'>({ kind: 'make', request }, signal);
          count({ done: job.status.done + 1, warnings: [...new Set([...job.status.warnings, ...warnings])] });
        } catch (error) {
          if (!(error instanceof IvrexError)) throw error;
          if (error.code !== 'cancelled') count({ failed: [...job.status.failed, { frame, message: error.message }] });
        }
      }
    };
    await Promise.all(Array.from({ length: Math.max(1, this.services.pool.threads - 1) }, lane));
    if (signal.aborted) return count({ state: 'cancelled' });
    if (job.status.done === 0) return count({ state: 'failed' });
    await rm(folder, { recursive: true, force: true });
    await rename(partFolder, folder);
    await bringIn(this.services, plan.detail.shot.folder, { force: true });
    await this.choose(id, file, label);
    count({ state: job.status.failed.length > 0 ? 'failed' : 'done' });
  }

  /** The made pass becomes the shot's motion, as one change that can be undone. */
  private async choose(shotId: ShotId, file: string, label: string): Promise<void> {
    for (let attempt = 0; ; attempt++) {
      const { passes, settings, state } = await shotDetail(this.services.database, shotId);
      const pass = passes.find((p) => p.file.startsWith(`${MADE_PREFIX}${file}/`));
      if (pass === undefined) throw new IvrexError('missingFile', 'the motion that was made is not there');
      const [element, ...others] = settings.elements;
      const next: ShotSettings = {
        ...settings,
        roles: { ...settings.roles, [pass.id]: 'motion' },
        elements: [{ ...element, motion: pass.id, encoding: MADE_ENCODING, repairs: [] }, ...others],
      };
      try {
        await changeSettings(this.services, shotId, next, label, state.sequence);
        return;
      } catch (error) {
        // Somebody else was faster: what they decided stays, and ours is put on top.
        if (!(error instanceof IvrexError) || error.code !== 'conflict' || attempt > 3) throw error;
      }
    }
  }

  private async requestAt(plan: Plan, frame: number, out: string | null): Promise<{ request: MakeMotionRequest; warnings: string[] }> {
    const { detail, beauty, isOne } = plan,
      { database } = this.services;
    const picture = (at: number) => pictureFileAt(database, beauty, at, { settings: detail.settings });
    const beside = async (at: number): Promise<PictureFile | null> => (isOne ? null : orNull(() => picture(at)));
    const { source, warnings } = await this.sourceAt(plan, frame);
    return {
      request: {
        beauty: { previous: await beside(frame - 1), now: await picture(frame), next: await beside(frame + 1) },
        source,
        out,
        comment: `${NAMES[plan.source.kind].label}, ${detail.shot.name}, frame ${frame}`,
      },
      warnings,
    };
  }

  private async sourceAt({ detail, source, track, other }: Plan, frame: number): Promise<{ source: MotionSource; warnings: string[] }> {
    const { database } = this.services;
    switch (source.kind) {
      case 'pictures':
        return { source, warnings: [] };
      case 'render': {
        if (other === null) throw new IvrexError('notFound', 'the other render is no longer there');
        const [element] = other.settings.elements;
        if (element.motion === null || element.encoding === null)
          throw new IvrexError('badSetting', `agree on a reading of ${other.shot.name}'s motion first`);
        const at = frame + source.offset;
        const motion = await passFileAt(database, element.motion, at, other.settings);
        const { beauty } = element;
        const needsAlpha = beauty !== null && (element.encoding.premultiplied || element.repairs.some((r) => r.on));
        return {
          source: {
            kind: 'render',
            motion,
            encoding: element.encoding,
            repairs: element.repairs,
            fps: other.settings.fps ?? other.shot.fps,
            beauty: needsAlpha ? await orNull(() => pictureFileAt(database, beauty, at, { settings: other.settings })) : null,
          },
          warnings: [],
        };
      }
      case 'camera': {
        if (track === null) throw new IvrexError('notFound', 'the camera is no longer there');
        const [previous, now, next] = [frame - 1, frame, frame + 1].map((f) => cameraAt(track, f));
        const passFile = (pass: (typeof detail.passes)[number]['id']) => passFileAt(database, pass, frame, detail.settings);
        const { surface, velocity } = source;
        return {
          source: {
            kind: 'camera',
            cameras: { previous: previous.camera, now: now.camera, next: next.camera },
            surface:
              surface.kind === 'card'
                ? { kind: 'card', distance: surface.distance, facing: cameraAt(track, surface.frame).camera }
                : surface.kind === 'position'
                  ? { kind: 'position', pass: await passFile(surface.pass) }
                  : { kind: 'depth', pass: await passFile(surface.pass), measured: surface.measured },
            velocity: velocity === null ? null : { pass: await passFile(velocity.pass), encoding: velocity.encoding },
            fps: detail.settings.fps ?? detail.shot.fps,
          },
          warnings: [previous, now, next].some((c) => c.continued)
            ? [`The camera is not known one frame beyond its ends (frame ${frame}): its motion was carried on evenly.`]
            : [],
        };
      }
    }
  }
}

interface Plan {
  readonly detail: ShotDetail;
  readonly source: MadeSource;
  readonly beauty: NonNullable<ShotSettings['elements'][number]['beauty']>;
  readonly frames: readonly number[];
  /** The beauty is a lone file. */
  readonly isOne: boolean;
  readonly track: CameraTrack | null;
  readonly other: ShotDetail | null;
}
