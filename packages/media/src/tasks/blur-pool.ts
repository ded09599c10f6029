import {
  describeBlur,
  IvrexError,
  MOST_SLICES,
  type PlanReport,
  TOO_FAST,
  planReach,
  type ApplySettings,
  type Attribute,
  type Compression,
  type Grade,
  type Lens,
  type PathChoice,
  type SpeedLimits,
  type Window,
} from '@ivrex/core';
import { Piscina } from 'piscina';
import { heldSharedOf } from '../host/collect';
import type { FrameSources } from '../frames/pass-files';
import type { HostOptions } from '../host/node-host';
import type { Outcome, Prepared, Task, TaskResults } from './tasks';

export interface PoolOptions extends HostOptions {
  /** The bundled worker entry. */
  readonly workerFile: string;
  readonly kernelsWasm: string;
  readonly threads: number;
}

export interface BlurFrame {
  readonly sources: FrameSources;
  readonly path: PathChoice;
  /** "off": what is hidden is made up from its surroundings alone. */
  readonly hidden: 'auto' | 'off';
  readonly settings: ApplySettings;
  /** Vectors outside these speeds are shortened. */
  readonly limits?: SpeedLimits | null;
  /** What is done to the element before it moves. */
  readonly grade?: Grade | null;
  readonly lens?: Lens | null;
}

/** Its pixels lie in shared memory. */
export interface BlurredFrame extends MadePicture {
  readonly width: number;
  readonly height: number;
  readonly prepared: Prepared;
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

/** The header attribute that says what a picture was made with. */
export const MADE_ATTRIBUTE = 'ivrexBlur';

/** Worker threads that blur frames. One frame is cut into bands over all threads; several frames may be under way. */
export class BlurPool {
  private readonly pool: Piscina;
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

  async run<K extends Task['kind']>(task: Extract<Task, { kind: K }>, signal?: AbortSignal): Promise<TaskResults[K]> {
    if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
    let outcome: Outcome<TaskResults[K]>;
    try {
      outcome = (await this.pool.run(task, { signal })) as Outcome<TaskResults[K]>;
    } catch (error) {
      if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
      throw error;
    }
    if (!outcome.ok) throw IvrexError.fromRecord(outcome.error);
    return outcome.value;
  }

  async blur(frame: BlurFrame, signal?: AbortSignal): Promise<BlurredFrame> {
    const prepared = await this.run<'prepare'>(
      {
        kind: 'prepare',
        sources: frame.sources,
        path: frame.path,
        hidden: frame.hidden,
        reachFrames: planReach(frame.settings.shutter),
        treatment: {
          limits: { floorPx: frame.limits?.floorPx ?? null, ceilingPx: frame.limits?.ceilingPx ?? null },
          grade: frame.grade ?? null,
          lens: frame.lens ?? null,
        },
      },
      signal,
    );
    const { plan } = prepared;
    const out = new Float32Array(new SharedArrayBuffer(plan.width * plan.height * 16));
    const most = await Promise.all(
      bandsOf(plan.height, this.threads * BANDS_PER_THREAD).map(([yFrom, yTo]) =>
        this.run<'rows'>(
          { kind: 'rows', plan, settings: frame.settings, yFrom, yTo, out: out.subarray(yFrom * plan.width * 4, yTo * plan.width * 4) },
          signal,
        ),
      ),
    );
    const mostSlices = Math.max(0, ...most);
    heldSharedOf([plan, out]);
    return {
      width: plan.width,
      height: plan.height,
      rgba: out,
      displayWindow: prepared.displayWindow,
      attributes: prepared.attributes,
      prepared,
      report:
        mostSlices < MOST_SLICES || frame.settings.samples !== 'auto'
          ? plan.report
          : { ...plan.report, warnings: [...plan.report.warnings, TOO_FAST] },
      mostSlices,
      made: describeBlur(plan.report, frame.settings.shutter, frame.limits ?? null, mostSlices),
    };
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
    await this.pool.destroy();
  }
}

/** Bands that start on tile rows, top to bottom. */
export function bandsOf(height: number, wanted: number): [number, number][] {
  const rows = Math.max(1, Math.ceil(height / BAND_STEP_PX / wanted)) * BAND_STEP_PX;
  const bands: [number, number][] = [];
  for (let y = 0; y < height; y += rows) bands.push([y, Math.min(height, y + rows)]);
  return bands;
}
