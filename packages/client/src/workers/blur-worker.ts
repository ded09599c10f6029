import { expose } from 'comlink';
import {
  prepareBlur,
  readMotion,
  renderRows,
  resizeMotionField,
  IvrexError,
  type ApplySettings,
  type BlurFramePasses,
  type BlurPlan,
  type Encoding,
  type ErrorRecord,
  type PathChoice,
  type RepairedField,
  type RepairStep,
  type SampleType,
} from '@ivrex/core';
import { instantiateKernels, type Kernels, type SliceSession } from '@ivrex/kernels';

/** The passes of one frame as the page has them. Planes by channel name. */
export interface FrameRasters {
  /** Interleaved premultiplied halves. */
  readonly beauty: Uint16Array;
  readonly motion: {
    readonly width: number;
    readonly height: number;
    readonly planes: ReadonlyMap<string, Float32Array>;
    readonly types: ReadonlyMap<string, SampleType>;
  };
  readonly depth: Float32Array | null;
  readonly ids: Float32Array | Uint32Array | null;
}

/** One frame with what its blur needs besides. */
export interface FrameInputs extends FrameRasters {
  readonly width: number;
  readonly height: number;
  readonly previous: FrameRasters | null;
  readonly next: FrameRasters | null;
  /** Interleaved premultiplied halves of the size of the beauty. */
  readonly background: Uint16Array | null;
  readonly hidden: 'auto' | 'off';
  readonly repairs: readonly RepairStep[];
  readonly encoding: Encoding;
  readonly fps: number | null;
  readonly path: PathChoice;
  readonly reachFrames: number;
}

export type Answer<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly error: ErrorRecord };

/** Errors cross as data. */
function answer<T>(work: () => T): Answer<T> {
  try {
    return { ok: true, value: work() };
  } catch (error) {
    if (error instanceof IvrexError) return { ok: false, error: error.toRecord() };
    throw error;
  }
}

let kernels: Kernels | null = null;
let loaded: { plan: BlurPlan; session: SliceSession } | null = null;

function started(): Kernels {
  if (kernels === null) throw new Error('the worker was used before it started');
  return kernels;
}

const api = {
  async start(module: WebAssembly.Module): Promise<void> {
    kernels = await instantiateKernels(module);
  },
  /** Decodes the motion alone: what the looks, needles and probes show. */
  decode(inputs: MotionInputs): Answer<RepairedField> {
    return answer(() => decodeField(inputs));
  },
  prepare(inputs: FrameInputs): Answer<BlurPlan> {
    return answer(() => {
      const { width, height, path, hidden, reachFrames, background } = inputs;
      const passesOf = (rasters: FrameRasters): BlurFramePasses => ({
        rgba: widened(rasters.beauty),
        motion: decodeField({ ...inputs, ...rasters }).field,
        depth: rasters.depth,
        ids: rasters.ids,
      });
      return prepareBlur({
        ...passesOf(inputs),
        previous: inputs.previous && passesOf(inputs.previous),
        next: inputs.next && passesOf(inputs.next),
        background: background && widened(background),
        width,
        height,
        path,
        hidden,
        reachFrames,
      });
    });
  },
  /** Takes the plan's layers into this worker's memory; the ones before are given up. */
  load(plan: BlurPlan): void {
    loaded?.session.close();
    loaded = { plan, session: started().openSlices(plan.layers) };
  },
  /** Rows of the loaded plan into shared memory. */
  render(settings: ApplySettings, yFrom: number, yTo: number, out: Float32Array): number {
    if (loaded === null) throw new Error('no plan is loaded');
    return renderRows(loaded.plan, loaded.session, settings, yFrom, yTo, out);
  },
};
export type BlurWorker = typeof api;

type MotionInputs = Pick<FrameInputs, 'width' | 'height' | 'motion' | 'encoding' | 'repairs' | 'fps' | 'beauty'>;

function widened(halves: Uint16Array): Float32Array {
  const out = new Float32Array(halves.length);
  started().halfToFloat(halves, out);
  return out;
}

function decodeField(inputs: MotionInputs): RepairedField {
  const { motion, encoding, repairs } = inputs;
  const { width, height, planes, types } = motion;
  const coverage = encoding.premultiplied || repairs.some((r) => r.on) ? alphaOf(inputs) : null;
  const read = readMotion({ planes, width, height, fps: inputs.fps, beautyAlpha: coverage }, types, encoding, repairs, coverage);
  return { ...read, field: resizeMotionField(read.field, inputs.width, inputs.height) };
}

/** The beauty's alpha at the motion's size, nearest pixels. */
function alphaOf({ beauty, width, height, motion }: Pick<FrameInputs, 'beauty' | 'width' | 'height' | 'motion'>): Float32Array {
  const rgba = widened(beauty);
  const out = new Float32Array(motion.width * motion.height);
  for (let i = 0; i < out.length; i++) {
    const x = Math.min(width - 1, Math.floor((((i % motion.width) + 0.5) * width) / motion.width)),
      y = Math.min(height - 1, Math.floor(((Math.floor(i / motion.width) + 0.5) * height) / motion.height));
    out[i] = rgba[(y * width + x) * 4 + 3];
  }
  return out;
}

expose(api);
