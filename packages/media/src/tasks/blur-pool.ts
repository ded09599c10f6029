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
  turnedRound,
  type BlurPlan,
  type ForeseenNeighbour,
  type ForeseenPair,
  type MixedPlan,
  type Window,
} from '@ivrex/core';
import type { Piscina } from 'piscina';
import { gaveUp, heldSharedOf, sharedBytesOf } from '../host/collect';
import { filesRead, stampOf } from '../files/files-read';
import { usableEncoding } from '../frames/depth-pass';
import { framesOf, withDepthEncoding, type FrameTerms, type LoadedFrame } from '../frames/frame-passes';
import type { FrameFiles, FrameSources } from '../frames/pass-files';
import { wantedNeighbours, type BlurFrame, type BlurredLight } from './blur-frame';
import type { HostOptions } from '../host/node-host';
import { Kept } from './kept';
import type { Outcome, Prepared, Task, TaskResults, TimedOutcome } from './tasks';

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

/** A frame's own plan and both of its neighbours', and how the three foresee each other. */
const KEPT_PLANS = 3,
  KEPT_PAIRS = 2,
  /** Frames that were read: of the three that the next plan is made of. */
  KEPT_FRAMES = 2,
  /** Without frames for so long, what is kept is given up. */
  KEPT_MS = 30000;

/** The header attribute that says what a picture was made with. */
export const MADE_ATTRIBUTE = 'ivrexBlur';

/** A thread that is ended in the middle of these would leave a half-written file behind: they come to their end. */
const WRITES: ReadonlySet<Task['kind']> = new Set<Task['kind']>(['saveFrame', 'remap', 'make']);

/** Worker threads that blur frames. One frame is cut into bands over all threads; several frames may be under way. */
export class BlurPool {
  private readonly pool: Promise<Piscina>;
  private readonly frames = new Kept<LoadedFrame>(KEPT_FRAMES);
  private readonly plans = new Kept<Prepared>(KEPT_PLANS);
  private readonly pairs = new Kept<ForeseenPair | null>(KEPT_PAIRS);
  private idle: NodeJS.Timeout | undefined;
  readonly threads: number;
  /** By kind of task: the seconds that threads worked on them. */
  readonly spent = new Map<Task['kind'], number>();

  constructor(options: PoolOptions) {
    this.threads = options.threads;
    this.pool = import('piscina').then(
      ({ Piscina: Pool }) =>
        new Pool({
          filename: options.workerFile,
          minThreads: 1,
          maxThreads: options.threads,
          workerData: { kernelsWasm: options.kernelsWasm, cacheFolder: options.cacheFolder, limits: options.limits },
          idleTimeout: 30000,
        }),
    );
  }

  /** Does a task in a thread. What only computes is dropped as soon as the signal says so. @throws IvrexError cancelled, and what the task throws */
  async run<K extends Task['kind']>(task: Extract<Task, { kind: K }>, signal?: AbortSignal): Promise<TaskResults[K]> {
    if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
    let outcome: Outcome<TaskResults[K]>;
    try {
      const pool = await this.pool,
        answer = (await pool.run(task, WRITES.has(task.kind) ? {} : { signal })) as TimedOutcome;
      outcome = answer.outcome as Outcome<TaskResults[K]>;
      this.spent.set(task.kind, (this.spent.get(task.kind) ?? 0) + answer.seconds);
    } catch (error) {
      if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
      throw error;
    }
    if (!outcome.ok) throw IvrexError.fromRecord(outcome.error);
    return outcome.value;
  }

  /**
   * A frame with its light passes, each blurred apart and added.
   * @param isLast no frame of the sequence follows: what is kept for one is given up before the slices are rendered
   * @throws IvrexError about the file that is at fault
   */
  async blur({ lights = [], ...frame }: BlurFrame, signal?: AbortSignal, isLast = false): Promise<BlurredFrame> {
    const alone = await this.blurAlone(frame, signal, isLast);
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

  private async blurAlone(frame: Omit<BlurFrame, 'lights'>, signal?: AbortSignal, isLast = false): Promise<BlurredFrame> {
    const { settings, limits = null } = frame,
      { mixed, prepared, unread } = await this.mixOf(frame, signal, isLast),
      { plan } = mixed,
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

  /** A frame's plan with its neighbours', and how they are mixed. Apart from the rendering, which needs neither the frames nor the pairs. */
  private async mixOf(
    frame: Omit<BlurFrame, 'lights'>,
    signal: AbortSignal | undefined,
    isLast: boolean,
  ): Promise<{ mixed: MixedPlan; prepared: Prepared; unread: string[] }> {
    const { settings } = frame;
    const wanted = wantedNeighbours(frame);
    const sources = wanted.at.flatMap((at) => {
      const there = at < 0 ? frame.before : frame.after;
      return there ? [{ at, there }] : [];
    });
    const reach = mixReach(wanted, settings.shutter);
    // A neighbour that can't be read is done without, and said.
    const unread: string[] = [];
    const planOf = async ({ at, there }: (typeof sources)[number]): Promise<KeyedPlan | null> => {
      try {
        return await this.prepare(frame, there, reach, signal);
      } catch (error) {
        if (!(error instanceof IvrexError) || error.code === 'cancelled') throw error;
        unread.push(
          `the frame ${at < 0 ? 'before' : 'after'} is not mixed in: ${error.file === undefined ? '' : `${error.file}: `}${error.message}`,
        );
        return null;
      }
    };
    const planAt = async (at: -1 | 1) => {
      const source = sources.find((s) => s.at === at);
      return source === undefined ? null : planOf(source);
    };
    // In the order of a sequence, so that each frame's files are read once.
    const before = await planAt(-1),
      ownPlan = () => this.prepare(frame, frame.sources, reach, signal),
      isSmall = before !== null && before.prepared.plan.width * before.prepared.plan.height <= AT_ONCE_PIXELS;
    const [own, after] = isSmall ? await Promise.all([ownPlan(), planAt(1)]) : [await ownPlan(), await planAt(1)],
      { prepared } = own,
      { width, height } = prepared.plan;
    if (isLast) {
      this.frames.clear();
      gaveUp(sharedBytesOf(prepared));
    }
    const neighbours = sources.flatMap(({ at }) => {
      const found = at < 0 ? before : after;
      return found?.prepared.plan.width === width && found.prepared.plan.height === height ? [{ at, ...found }] : [];
    });
    const foreseen = neighbours.map(async ({ at, key, prepared: { plan } }): Promise<ForeseenNeighbour> => {
      const pair = await this.foresee(own, { key, plan }, at, signal);
      return { neighbour: { at, plan }, pair };
    });
    const mixed: MixedPlan =
      wanted.at.length === 0 && wanted.note === null
        ? { plan: prepared.plan, neighbours: [], mix: null }
        : await this.run<'mix'>(
            { kind: 'mix', plan: prepared.plan, wanted, there: await Promise.all(foreseen), shutter: settings.shutter },
            signal,
          );
    if (isLast) this.pairs.clear();
    return { mixed, prepared, unread };
  }

  /** How two frames foresee each other, as the first one sees it: the frame before asks for the same, the other way round. */
  private async foresee(
    own: KeyedPlan,
    { key, plan }: { readonly key: string; readonly plan: BlurPlan },
    at: -1 | 1,
    signal?: AbortSignal,
  ): Promise<ForeseenPair | null> {
    const isFirst = at > 0,
      first = isFirst ? own.prepared.plan : plan,
      second = isFirst ? plan : own.prepared.plan,
      name = JSON.stringify(isFirst ? [own.key, key] : [key, own.key]);
    // Not under the signal: the next frame may wait for the same.
    const made = this.pairs.get(name, () => this.run<'foresee'>({ kind: 'foresee', plan: first, neighbour: { at: 1, plan: second } })),
      pair = await unlessAborted(made, signal);
    return pair === null || isFirst ? pair : turnedRound(pair);
  }

  /** A frame's plan: the one that is kept, if its files are the same as then. */
  private async prepare(
    { path, hidden, limits, grade, lens }: BlurFrame,
    sources: FrameSources,
    reachFrames: number,
    signal?: AbortSignal,
  ): Promise<KeyedPlan> {
    const how = {
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
    this.idle = setTimeout(() => {
      for (const kept of [this.frames, this.plans, this.pairs]) kept.clear();
    }, KEPT_MS).unref();
    const key = await keyOf([sources, how]);
    // Not under the signal: others may wait for the same plan.
    const made = this.plans.get(key, async () => {
      const warnings: string[] = [],
        measured = await withDepthEncoding(sources, async (asked) =>
          usableEncoding(await this.run<'depth'>({ kind: 'depth', sources: asked }), warnings),
        ),
        frames = await framesOf(measured, (files, terms) => this.load(files, terms));
      return this.run<'prepare'>({
        kind: 'prepare',
        sources: measured,
        frames: { ...frames, warnings: [...warnings, ...frames.warnings] },
        ...how,
      });
    });
    return { key, prepared: await unlessAborted(made, signal) };
  }

  /** One frame's passes: those that are kept, if its files are the same as then. */
  private async load(files: FrameFiles, { shape, encoding, repairs, fps }: FrameTerms): Promise<LoadedFrame> {
    // Of a frame that stands in the place of such files more is known.
    const { beauty, matte, motion, depth, ids } = files,
      asked = { files: { beauty, matte, motion, depth, ids }, terms: { shape, encoding, repairs, fps } };
    return this.frames.get(await keyOf(asked), async () => {
      const frame = await this.run<'load'>({ kind: 'load', ...asked });
      // Of those that make way for it.
      heldSharedOf(frame);
      return frame;
    });
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
    await (await this.pool).destroy();
  }
}

/** A frame's plan with what it was made of. */
interface KeyedPlan {
  readonly key: string;
  readonly prepared: Prepared;
}

/** Plain data with the state of all files that it names. */
async function keyOf(asked: object): Promise<string> {
  return JSON.stringify([asked, await Promise.all(filesRead(asked).map(stampOf))]);
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
