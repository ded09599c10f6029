import {
  addLight,
  describeBlur,
  IvrexError,
  MOST_SLICES,
  type PlanReport,
  TOO_FAST,
  mixReach,
  type Attribute,
  type Compression,
  type MixedPlan,
  type NeighbourPlan,
  type Window,
} from '@ivrex/core';
import { Piscina } from 'piscina';
import { heldSharedOf } from '../host/collect';
import { filesRead, stampOf } from '../files/files-read';
import type { FrameSources } from '../frames/pass-files';
import { wantedNeighbours, type BlurFrame, type BlurredLight } from './blur-frame';
import type { HostOptions } from '../host/node-host';
import type { Outcome, Prepared, Task, TaskResults } from './tasks';

export interface PoolOptions extends HostOptions {
  /** The bundled worker entry. */
  readonly workerFile: string;
  readonly kernelsWasm: string;
  readonly threads: number;
}

/** Its pixels lie in shared memory. */
export interface BlurredFrame extends MadePicture {
  readonly width: number;
  readonly height: number;
  readonly prepared: Prepared;
  /** The sharp picture, light passes with it: premultiplied RGBA. */
  readonly sharp: Float32Array;
  readonly report: PlanReport;
  readonly mostSlices: number;
}

/** A picture with what its header is to say. */
export interface MadePicture {
  /** Premultiplied RGBA over the display window. */
  readonly rgba: Float32Array;
  readonly displayWindow: Window;
  readonly attributes: ReadonlyMap<string, Attribute>;
  /** What it was made with, in one line. */
  readonly made: string;
}

/** Bands a thread: small enough that the last ones even out, large enough that loading the plan does not matter. */
const BANDS_PER_THREAD = 2;
const BAND_STEP_PX = 32;

/** Plans of larger frames are made one after the other: while it is made one takes 300 to 400 bytes a pixel. The next frame of a sequence needs one only. */
const AT_ONCE_PIXELS = 1_500_000;

/** A frame's own and both of its neighbours'. */
const KEPT_PLANS = 3,
  /** Without frames for so long, what is kept is given up. */
  KEPT_MS = 30000;

/** The header attribute that says what a picture was made with. */
export const MADE_ATTRIBUTE = 'ivrexBlur';

/** A thread that is ended in the middle of these would leave a half-written file behind: they come to their end. */
const WRITES: ReadonlySet<Task['kind']> = new Set<Task['kind']>(['saveFrame', 'remap', 'make']);

/** Worker threads that blur frames. One frame is cut into bands over all threads; several frames may be under way. */
export class BlurPool {
  private readonly pool: Piscina;
  /** By all that they are made of, the latest last: the next frame of a sequence asks for its neighbours' again. */
  private readonly plans = new Map<string, Promise<Prepared>>();
  private idle: NodeJS.Timeout | undefined;
  readonly threads: number;

  constructor(options: PoolOptions) {
    this.threads = options.threads;
    this.pool = new Piscina({
      filename: options.workerFile,
      minThreads: 1,
      maxThreads: options.threads,
      workerData: { kernelsWasm: options.kernelsWasm, cacheFolder: options.cacheFolder, limits: options.limits },
      idleTimeout: 30000,
    });
  }

  /** Does a task in a thread. What only computes is dropped as soon as the signal says so. @throws IvrexError cancelled, and what the task throws */
  async run<K extends Task['kind']>(task: Extract<Task, { kind: K }>, signal?: AbortSignal): Promise<TaskResults[K]> {
    if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
    let outcome: Outcome<TaskResults[K]>;
    try {
      outcome = (await this.pool.run(task, WRITES.has(task.kind) ? {} : { signal })) as Outcome<TaskResults[K]>;
    } catch (error) {
      if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
      throw error;
    }
    if (!outcome.ok) throw IvrexError.fromRecord(outcome.error);
    return outcome.value;
  }

  /** A frame with its light passes, each blurred apart and added. @throws IvrexError about the file that is at fault */
  async blur({ lights = [], ...frame }: BlurFrame, signal?: AbortSignal): Promise<BlurredFrame> {
    const alone = await this.blurAlone(frame, signal);
    if (lights.length === 0) return alone;
    // What a plan holds is not to be changed.
    const surface = { ...alone, sharp: alone.sharp.slice() },
      said = [...alone.prepared.warnings, ...alone.report.warnings];
    const { made, warnings, mostSlices } = await this.addLights(surface, lights, signal, said);
    return {
      ...surface,
      made: [surface.made, ...made].join('; '),
      mostSlices: Math.max(surface.mostSlices, mostSlices),
      report: { ...surface.report, warnings: [...surface.report.warnings, ...warnings] },
    };
  }

  /** Blurs light passes and adds them to a picture, which is changed. @throws IvrexError sizeMismatch, and about the file that is at fault */
  async addLights(
    picture: { readonly width: number; readonly height: number; readonly rgba: Float32Array; readonly sharp?: Float32Array },
    lights: readonly BlurredLight[],
    signal?: AbortSignal,
    /** Warnings that were given before: a light pass does not repeat them. */
    said: readonly string[] = [],
  ): Promise<{ made: string[]; warnings: string[]; mostSlices: number }> {
    const out = { made: [] as string[], warnings: [] as string[], mostSlices: 0 };
    for (const { name, opacity, frame } of lights) {
      const light = await this.blurAlone(frame, signal);
      if (light.width !== picture.width || light.height !== picture.height)
        throw new IvrexError(
          'sizeMismatch',
          `this light pass is ${light.width} x ${light.height}, the beauty that it is part of ${picture.width} x ${picture.height}`,
          frame.sources.beauty.file,
        );
      addLight(picture.rgba, light.rgba, opacity);
      if (picture.sharp) addLight(picture.sharp, light.sharp, opacity);
      out.made.push(`${name}: ${light.made}`);
      const fresh = [...light.prepared.warnings, ...light.report.warnings].filter((text) => !said.includes(text));
      out.warnings.push(...fresh.map((text) => `${name}: ${text}`));
      out.mostSlices = Math.max(out.mostSlices, light.mostSlices);
    }
    return out;
  }

  private async blurAlone(frame: Omit<BlurFrame, 'lights'>, signal?: AbortSignal): Promise<BlurredFrame> {
    const { settings, limits = null } = frame;
    const wanted = wantedNeighbours(frame);
    const sources = wanted.at.flatMap((at) => {
      const there = at < 0 ? frame.before : frame.after;
      return there ? [{ at, there }] : [];
    });
    const reach = mixReach(wanted, settings.shutter);
    // A neighbour that can't be read is done without, and said.
    const unread: string[] = [];
    const prepared = await this.prepare(frame, frame.sources, reach, signal),
      { width, height } = prepared.plan;
    const planOf = async ({ at, there }: (typeof sources)[number]): Promise<NeighbourPlan | null> => {
      try {
        const { plan } = await this.prepare(frame, there, reach, signal);
        return plan.width === width && plan.height === height ? { at, plan } : null;
      } catch (error) {
        if (!(error instanceof IvrexError) || error.code === 'cancelled') throw error;
        unread.push(
          `the frame ${at < 0 ? 'before' : 'after'} is not mixed in: ${error.file === undefined ? '' : `${error.file}: `}${error.message}`,
        );
        return null;
      }
    };
    const beside: (NeighbourPlan | null)[] = [];
    if (width * height <= AT_ONCE_PIXELS) beside.push(...(await Promise.all(sources.map(planOf))));
    else for (const source of sources) beside.push(await planOf(source));
    const neighbours = beside.filter((n) => n !== null);
    const mixed: MixedPlan =
      wanted.at.length === 0 && wanted.note === null
        ? { plan: prepared.plan, neighbours: [], mix: null }
        : await this.run<'mix'>({ kind: 'mix', plan: prepared.plan, wanted, neighbours, shutter: settings.shutter }, signal);
    const { plan } = mixed,
      report = { ...plan.report, warnings: [...plan.report.warnings, ...unread] };
    const out = new Float32Array(new SharedArrayBuffer(plan.width * plan.height * 16));
    const most = await Promise.all(
      bandsOf(plan.height, this.threads * BANDS_PER_THREAD).map(([yFrom, yTo]) =>
        this.run<'rows'>(
          { kind: 'rows', mixed, settings, yFrom, yTo, out: out.subarray(yFrom * plan.width * 4, yTo * plan.width * 4) },
          signal,
        ),
      ),
    );
    const mostSlices = Math.max(0, ...most);
    heldSharedOf([mixed, out]);
    return {
      width: plan.width,
      height: plan.height,
      rgba: out,
      displayWindow: prepared.displayWindow,
      attributes: prepared.attributes,
      prepared,
      sharp: prepared.plan.sharp,
      report: mostSlices < MOST_SLICES || settings.samples !== 'auto' ? report : { ...report, warnings: [...report.warnings, TOO_FAST] },
      mostSlices,
      made: describeBlur(plan.report, settings.shutter, limits, mostSlices),
    };
  }

  /** A frame's plan: the one that is kept, if its files are the same as then. */
  private async prepare(
    { path, hidden, limits, grade, lens }: BlurFrame,
    sources: FrameSources,
    reachFrames: number,
    signal?: AbortSignal,
  ): Promise<Prepared> {
    const task = {
      kind: 'prepare',
      sources,
      path,
      hidden,
      reachFrames,
      treatment: {
        limits: { floorPx: limits?.floorPx ?? null, ceilingPx: limits?.ceilingPx ?? null },
        grade: grade ?? null,
        lens: lens ?? null,
      },
    } as const;
    clearTimeout(this.idle);
    this.idle = setTimeout(() => this.plans.clear(), KEPT_MS).unref();
    const stamps = await Promise.all(filesRead(sources).map(stampOf)),
      key = JSON.stringify([task, stamps]);
    const kept = this.plans.get(key);
    if (kept !== undefined) {
      this.plans.delete(key);
      this.plans.set(key, kept);
      return unlessAborted(kept, signal);
    }
    // Not under the signal: others may wait for the same plan.
    const made = this.run<'prepare'>(task);
    this.plans.set(key, made);
    for (const old of this.plans.keys()) if (this.plans.size > KEPT_PLANS) this.plans.delete(old);
    // What could not be made is tried anew by whoever asks next.
    made.catch(() => this.plans.get(key) === made && this.plans.delete(key));
    return unlessAborted(made, signal);
  }

  /** One picture as an OpenEXR file of plain channels. @throws IvrexError cannotWrite */
  async save(picture: MadePicture, file: string, type: 'half' | 'float', compression: Compression, signal?: AbortSignal): Promise<void> {
    const { displayWindow, rgba, made } = picture,
      attributes = new Map(picture.attributes).set(MADE_ATTRIBUTE, { type: 'string', value: made });
    const layers = [{ name: '', content: { kind: 'picture' as const, rgba, displayWindow, opaque: false } }];
    const form = { kind: 'exr' as const, type, compression, window: 'full' as const };
    await this.run<'saveFrame'>({ kind: 'saveFrame', request: { file, layers, form, attributes } }, signal);
  }

  async close(): Promise<void> {
    clearTimeout(this.idle);
    await this.pool.destroy();
  }
}

/** @throws IvrexError cancelled as soon as the signal says so */
async function unlessAborted<T>(made: Promise<T>, signal?: AbortSignal): Promise<T> {
  if (signal === undefined) return made;
  const cancelled = () => new IvrexError('cancelled', 'it was cancelled');
  if (signal.aborted) throw cancelled();
  let stop = (): void => undefined;
  const aborted = new Promise<never>((_, reject) => {
    stop = () => reject(cancelled());
    signal.addEventListener('abort', stop);
  });
  try {
    return await Promise.race([made, aborted]);
  } finally {
    signal.removeEventListener('abort', stop);
  }
}

/** Bands that start on tile rows, top to bottom. */
export function bandsOf(height: number, wanted: number): [number, number][] {
  const rows = Math.max(1, Math.ceil(height / BAND_STEP_PX / wanted)) * BAND_STEP_PX;
  const bands: [number, number][] = [];
  for (let y = 0; y < height; y += rows) bands.push([y, Math.min(height, y + rows)]);
  return bands;
}
