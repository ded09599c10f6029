import { createHash } from 'node:crypto';
import { mkdir, readdir, rename, rm } from 'node:fs/promises';
import path from 'node:path';
import {
  changeFocused,
  elementIdSchema,
  madeSourceSchema,
  makingMotionSchema,
  type Element,
  type ElementId,
  type FoundOffset,
  type MadeName,
  type MadeSource,
  type MakingMotion,
  type MotionTrial,
  type ShotDetail,
  type ShotId,
} from '@ivrex/contract';
import { IvrexError, orNull } from '@ivrex/core';
import { MADE_ENCODING } from '@ivrex/media';
import { z } from 'zod';
import { bringIn } from './bring-in';
import { madeFolderOf, MADE_PREFIX } from './made-folders';
import { MADE_NAMES, madeNameOf, makeRequest, planMotion, type MotionPlan } from './make-requests';
import type { Resources } from './resources';
import { ShotJobs, type RunningJob } from './shot-jobs';
import { changeSettings, shotDetail } from './shots';

/** For which element; what was asked before there were several was for the main one. */
const askedSchema = z.union([
  z.object({ source: madeSourceSchema, element: elementIdSchema.nullable() }),
  madeSourceSchema.transform((source) => ({ source, element: null })),
]);
type Asked = z.infer<typeof askedSchema>;

type MakeServices = Pick<Resources, 'database' | 'pool' | 'config' | 'log' | 'now' | 'looks'>;

/**
 * Makes motion passes where a render brought none: derived from a camera, estimated from the pictures, borrowed from another render. They
 * are ordinary passes, written beside the shot's own files and chosen as its motion. Half-written ones stay, hidden, and the same order
 * goes on with them.
 */
export class MotionMakes {
  private readonly jobs: ShotJobs<Asked, MakingMotion>;

  constructor(private readonly services: MakeServices) {
    this.jobs = new ShotJobs(services, {
      kind: 'make',
      asked: askedSchema,
      status: makingMotionSchema,
      busy: 'motion of this shot is being made; wait for it, or stop it',
    });
  }

  look(shotId: ShotId): Promise<MakingMotion | null> {
    return this.jobs.look(shotId);
  }

  /** One frame, held against the pictures; nothing is written. @throws IvrexError as `makeMotion` */
  async try(shotId: ShotId, source: MadeSource, frame: number, element: ElementId | null = null): Promise<MotionTrial> {
    const detail = await shotDetail(this.services.database, shotId, element);
    const plan = await planMotion(this.services, detail, source);
    const { request, warnings } = await makeRequest(this.services.database, plan, frame, null);
    return { ...(await this.services.pool.run<'make'>({ kind: 'make', request })), frame, warnings };
  }

  /**
   * Which of another render's frames shows what this shot's show: its motion, under every likely offset, is held against one frame's
   * pictures. @throws IvrexError badSetting, notFound, missingFrame
   */
  async findOffset(shotId: ShotId, other: ShotId, element: ElementId | null = null): Promise<FoundOffset> {
    const detail = await shotDetail(this.services.database, shotId, element);
    const first = await planMotion(this.services, detail, { kind: 'render', shot: other, offset: 0 });
    const frame = first.frames[first.frames.length >> 1];
    const results = await Promise.all(
      likelyOffsets(detail, first.other ?? detail).map(async (offset) => {
        const source = { kind: 'render', shot: other, offset } as const;
        return orNull(async () => {
          const { request } = await makeRequest(this.services.database, { ...first, source }, frame, null);
          const { proof } = await this.services.pool.run<'make'>({ kind: 'make', request });
          return proof === null ? null : { offset, after: proof.after };
        });
      }),
    );
    const tried = results.filter((r) => r !== null).sort((a, b) => a.after - b.after);
    const [best, next] = tried;
    if (best === undefined)
      throw new IvrexError(
        'missingFrame',
        `the pictures of frame ${frame} do not tell: too little texture, or the other render has no motion for it`,
      );
    return { frame, offset: best.offset, isClear: next === undefined || best.after < CLEARLY * next.after, tried };
  }

  /** Takes a made pass away; an element whose motion it is has none then. @throws IvrexError conflict */
  async remove(shotId: ShotId, name: MadeName): Promise<void> {
    this.jobs.assertIdle(shotId);
    const { shot, passes, settings, state } = await shotDetail(this.services.database, shotId);
    const pass = passes.find((p) => p.file.startsWith(`${MADE_PREFIX}${name}/`));
    if (pass !== undefined && settings.elements.some((e) => e.motion === pass.id)) {
      const without = (e: Element): Element =>
        e.motion === pass.id ? { ...e, motion: null, encoding: null, repairs: [], readAs: null } : e;
      const next = { ...settings, elements: settings.elements.map(without) };
      await changeSettings(this.services, shotId, next, 'Made motion removed', state.sequence);
    }
    const folder = madeFolderOf(this.services.config, shotId);
    const entries = await readdir(folder).catch(() => []);
    for (const entry of entries)
      if (entry === name || entry.startsWith(`.${name}-`)) await rm(path.join(folder, entry), { recursive: true, force: true });
    await bringIn(this.services, shot.folder, { force: true });
  }

  /** @throws IvrexError badSetting, conflict */
  async order(shotId: ShotId, source: MadeSource, element: ElementId | null = null): Promise<MakingMotion> {
    this.jobs.assertIdle(shotId);
    const detail = await shotDetail(this.services.database, shotId, element);
    const plan = await planMotion(this.services, detail, source);
    const status: MakingMotion = {
      state: 'running',
      source,
      done: 0,
      total: plan.frames.length,
      secondsLeft: null,
      failed: [],
      warnings: [],
    };
    const job = { asked: { source, element }, status, written: [], firstFrame: detail.shot.firstFrame };
    return this.jobs.start(shotId, job, async (running) => this.run(running, await this.decided(plan)));
  }

  /** After a start: what was under way goes on with the files that are made. */
  async resume(): Promise<void> {
    await this.jobs.resume((shotId, { asked }) => this.order(shotId, asked.source, asked.element));
  }

  cancel(shotId: ShotId): Promise<MakingMotion | null> {
    return this.jobs.cancel(shotId);
  }

  stop(): void {
    this.jobs.stop();
  }

  /** How depth is stored is found once, on a frame in the middle, and holds for all. */
  private async decided(plan: MotionPlan): Promise<MotionPlan> {
    const { source, frames } = plan;
    if (source.kind !== 'camera' || source.surface.kind !== 'depth') return plan;
    const { request } = await makeRequest(this.services.database, plan, frames[frames.length >> 1], null);
    const { depthKind, depthEncoding } = await this.services.pool.run<'make'>({ kind: 'make', request });
    return { ...plan, source: { ...source, surface: { ...source.surface, measured: depthKind ?? 'alongView', encoding: depthEncoding } } };
  }

  private async run(job: RunningJob<MakingMotion>, plan: MotionPlan): Promise<void> {
    const { id } = plan.detail.shot,
      [element] = plan.detail.settings.elements;
    const { label } = MADE_NAMES[plan.source.kind],
      file = madeNameOf(plan.source.kind, element);
    const folder = path.join(madeFolderOf(this.services.config, id), file);
    // Files of another order, or of other settings, are not gone on with.
    const key = createHash('sha256')
      .update(JSON.stringify([plan.source, plan.beauty, plan.detail.settings.readings, plan.detail.look]))
      .digest('hex');
    const partFolder = path.join(path.dirname(folder), `.${file}-${key.slice(0, 16)}`);
    await mkdir(partFolder, { recursive: true });
    const nameOf = (frame: number) => `${file}.${String(frame).padStart(4, '0')}.exr`;
    const there = new Set(await readdir(partFolder));
    const left = plan.frames.filter((f) => !there.has(nameOf(f)));
    const before = plan.frames.length - left.length,
      since = this.services.now().getTime();
    job.update({ done: before });
    const isWhole = await this.jobs.eachFrame(job, left, async (frame) => {
      const { request, warnings } = await makeRequest(this.services.database, plan, frame, path.join(partFolder, nameOf(frame)));
      await this.services.pool.run<'make'>({ kind: 'make', request }, job.signal);
      const done = job.status.done + 1,
        each = (this.services.now().getTime() - since) / 1000 / (done - before);
      return { done, secondsLeft: each * (job.status.total - done), warnings: [...new Set([...job.status.warnings, ...warnings])] };
    });
    if (!isWhole) return job.update({ state: 'cancelled' });
    if (job.status.done === 0) return job.update({ state: 'failed' });
    await rm(folder, { recursive: true, force: true });
    await rename(partFolder, folder);
    await bringIn(this.services, plan.detail.shot.folder, { force: true });
    await this.choose(id, element.id, file, label);
    job.update({ state: job.status.failed.length > 0 ? 'failed' : 'done' });
  }

  /** The made pass becomes the shot's motion, as one change that can be undone. */
  private async choose(shotId: ShotId, elementId: ElementId, file: string, label: string): Promise<void> {
    for (let attempt = 0; ; attempt++) {
      const { passes, settings, state } = await shotDetail(this.services.database, shotId);
      const pass = passes.find((p) => p.file.startsWith(`${MADE_PREFIX}${file}/`));
      if (pass === undefined) throw new IvrexError('missingFile', 'the motion that was made is not there');
      const next = changeFocused(settings, elementId, ({ elements: [element, ...others], ...rest }) => ({
        ...rest,
        roles: { ...rest.roles, [pass.id]: 'motion' },
        elements: [{ ...element, motion: pass.id, encoding: MADE_ENCODING, repairs: [], readAs: null }, ...others],
      }));
      try {
        await changeSettings(this.services, shotId, next, label, state.sequence);
        return;
      } catch (error) {
        // Somebody else was faster: what they decided stays, and ours is put on top.
        if (!(error instanceof IvrexError) || error.code !== 'conflict' || attempt > 3) throw error;
      }
    }
  }
}

/** The best offset leaves less than this share of what the next best leaves. */
const CLEARLY = 0.9,
  AROUND = 3;

/** Both start, or both end, with the same frame, or are numbered alike; and some around each of these. */
function likelyOffsets({ shot }: ShotDetail, { shot: other }: ShotDetail): number[] {
  const centres = [other.firstFrame - shot.firstFrame, other.lastFrame - shot.lastFrame, 0];
  const around = (centre: number) => Array.from({ length: 2 * AROUND + 1 }, (_, i) => centre + i - AROUND);
  return [...new Set(centres.flatMap(around))];
}
