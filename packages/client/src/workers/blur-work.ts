import {
  addLight,
  mixFrames,
  pathBends,
  pathLengths,
  prepareBlur,
  readMotion,
  reduceColours,
  reducedSize,
  reducePasses,
  renderMixedRows,
  renderRows,
  resizeMotionField,
  reuseMemory,
  resizePicture,
  speedFigures,
  sharedCopy,
  sharedFloats,
  treatPlan,
  IvrexError,
  type ApplySettings,
  type BlurFramePasses,
  type BlurPlan,
  type BlurQuality,
  type Encoding,
  type ErrorRecord,
  type MixedPlan,
  type NeighbourPlan,
  type PathChoice,
  type RepairedField,
  type RepairStep,
  type SampleType,
  type SpeedFigures,
  type Shutter,
  type Treatment,
  type WantedNeighbours,
} from '@ivrex/core';
import { instantiateKernels, type Kernels, type SliceSession } from '@ivrex/kernels';
import { takeBand, type Bands } from './bands';
import { shapedPicture, type PictureInputs, type PictureParts, type ShapeInputs } from './shaped-picture';

/** The passes of one frame as the page has them. Planes by channel name. */
export interface FrameRasters extends PictureParts {
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
export interface FrameInputs extends FrameRasters, ShapeInputs {
  readonly width: number;
  readonly height: number;
  readonly previous: FrameRasters | null;
  readonly next: FrameRasters | null;
  /** Interleaved premultiplied halves; of another size than the beauty it is scaled. */
  readonly background: { readonly rgba: Uint16Array; readonly width: number; readonly height: number } | null;
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

/** A plan for the screen alone, made small, and the one of every pixel. */
export type PlanSlot = 'screen' | 'full';

/** A plan with the depth of its pixels, where there is one: what a lens needs. */
export interface Prepared {
  readonly plan: BlurPlan;
  readonly depth: Float32Array | null;
}
/** What can be looked at of a plan, by pixel: see core's `pathLengths` and `pathBends`. */
export type PlanFigure = 'lengths' | 'bends';

let kernels: Kernels | null = null;
/** Every slot renders in memory of its own: it grows with its plan and goes with it. */
let openKernels: (() => Promise<Kernels>) | null = null;
const loaded = new Map<PlanSlot, { own: Kernels; plan: BlurPlan; session: SliceSession }>();

/** Sum of three colours below which a light pass does not shine. */
const LEAST_LIGHT = 0.05;

function started(): Kernels {
  if (kernels === null) throw new Error('the worker was used before it started');
  return kernels;
}

/** What a thread of the page does for the blur. */
export const blurWork = {
  async start(module: WebAssembly.Module): Promise<void> {
    openKernels = () => instantiateKernels(module);
    kernels = await openKernels();
  },
  /** Decodes the motion alone: what the looks, needles and probes show. */
  decode(inputs: MotionInputs): Answer<RepairedField> {
    return answer(() => decodeField(inputs));
  },
  /** `factor`: 1 for every pixel, else the plan of a picture that many times smaller. `spare`: memory that it may be made in. */
  prepare(inputs: FrameInputs, factor: number, spare: readonly SharedArrayBuffer[]): Answer<Prepared> {
    return answer(() => {
      reuseMemory(spare);
      const { path, hidden, reachFrames, background } = inputs;
      const warnings: string[] = [];
      const passesOf = (rasters: FrameRasters): BlurFramePasses => {
        const picture = shapedPicture({ ...inputs, ...rasters }, widened);
        if (rasters === inputs) warnings.push(...picture.warnings);
        return reducePasses(
          {
            rgba: picture.rgba,
            motion: decodeField({ ...inputs, ...rasters }).field,
            depth: rasters.depth,
            ids: rasters.ids,
          },
          factor,
        );
      };
      const now = passesOf(inputs);
      const plan = prepareBlur({
        ...now,
        previous: inputs.previous && passesOf(inputs.previous),
        next: inputs.next && passesOf(inputs.next),
        background:
          background &&
          reduceColours(
            resizePicture(widened(background.rgba), background.width, background.height, inputs.width, inputs.height),
            inputs,
            factor,
          ),
        ...reducedSize(inputs, factor),
        isLight: inputs.cover !== null,
        path,
        hidden,
        reachFrames,
      });
      const said = { ...plan, report: { ...plan.report, warnings: [...plan.report.warnings, ...warnings] } };
      return { plan: said, depth: now.depth && sharedCopy(now.depth) };
    });
  },
  figure(plan: BlurPlan, shutter: Shutter, figure: PlanFigure): Float32Array {
    return figure === 'bends' ? pathBends(plan, shutter) : pathLengths(plan, shutter);
  },
  /** Takes the plan's layers, under this treatment, into this worker's memory; the ones before are given up. */
  async load(slot: PlanSlot, whole: BlurPlan, treatment: Treatment, depth: Float32Array | null, quality: BlurQuality): Promise<void> {
    const before = loaded.get(slot);
    before?.session.close();
    loaded.delete(slot);
    const plan = treatPlan(whole, treatment, depth, quality, (length) => new Float32Array(length), started());
    const own = before?.own ?? (await openKernels?.());
    if (own === undefined) throw new Error('the worker was used before it started');
    loaded.set(slot, { own, plan, session: own.openSlices(plan.layers) });
  },
  /** A plan under its treatment, in memory that all can see: what is dear is done once, not by every renderer. */
  treat(plan: BlurPlan, treatment: Treatment, depth: Float32Array | null, quality: BlurQuality): BlurPlan {
    return treatPlan(plan, treatment, depth, quality, sharedFloats, started());
  },
  /** How this frame's blur and its neighbours' are mixed; in memory that goes afterwards. */
  async mix(plan: BlurPlan, wanted: WantedNeighbours, neighbours: readonly NeighbourPlan[], shutter: Shutter): Promise<MixedPlan> {
    const own = await openKernels?.();
    if (own === undefined) throw new Error('the worker was used before it started');
    return mixFrames(plan, wanted, neighbours, shutter, (layers) => own.openSlices(layers));
  },
  /** How fast the element's covered pixels go. */
  speeds(inputs: MotionInputs): Answer<SpeedFigures | null> {
    return answer(() => {
      const rgba = elementPicture(inputs);
      // A light pass covers all that its surface covers, and is where it shines.
      if (inputs.cover !== null)
        for (let i = 0; i < rgba.length; i += 4) if (rgba[i] + rgba[i + 1] + rgba[i + 2] < LEAST_LIGHT) rgba[i + 3] = 0;
      return speedFigures(decodeField(inputs).field, rgba);
    });
  },
  /** A blurred picture and the light passes that were blurred apart from it, each so many times as bright. Halves, as is the sum. */
  sum(picture: Uint16Array, lights: readonly { readonly halves: Uint16Array; readonly factor: number }[]): Uint16Array {
    const sum = widened(picture),
      out = new Uint16Array(sum.length);
    for (const { halves, factor } of lights) addLight(sum, widened(halves), factor);
    started().floatToHalf(sum, out);
    return out;
  },
  unload(slot: PlanSlot): void {
    loaded.delete(slot);
  },
  /** Bands of the loaded plan, as long as there are some, as halves into shared memory of the whole picture. Returns the most slices used. */
  render(slot: PlanSlot, settings: ApplySettings, bands: Bands, out: Uint16Array): number {
    const { plan, session } = loaded.get(slot) ?? {};
    if (plan === undefined || session === undefined) throw new Error('no plan is loaded');
    return inBands(plan.width, settings, bands, out, (yFrom, yTo, rows) => renderRows(plan, session, settings, yFrom, yTo, rows));
  },
  /** The same of a plan that is mixed with its neighbours'; only what a band shows is taken into this worker's memory. */
  renderMixed(mixed: MixedPlan, settings: ApplySettings, bands: Bands, out: Uint16Array): number {
    return inBands(mixed.plan.width, settings, bands, out, (yFrom, yTo, rows) =>
      renderMixedRows(mixed, settings, yFrom, yTo, rows, (layers) => started().openSlices(layers)),
    );
  },
};
export type BlurWorker = typeof blurWork;

function inBands(
  width: number,
  settings: ApplySettings,
  bands: Bands,
  out: Uint16Array,
  render: (yFrom: number, yTo: number, rows: Float32Array) => number,
): number {
  let most = 0;
  for (let band = takeBand(bands); band !== null; band = takeBand(bands)) {
    const [yFrom, yTo] = band,
      rows = new Float32Array((yTo - yFrom) * width * 4);
    most = Math.max(most, render(yFrom, yTo, rows));
    putHalves(rows, width, settings, yFrom, yTo, out);
  }
  return most;
}

function putHalves(rows: Float32Array, width: number, { columns }: ApplySettings, yFrom: number, yTo: number, out: Uint16Array): void {
  const [from, to] = columns ?? [0, width];
  for (let y = yFrom; y < yTo; y++) {
    const at = (y - yFrom) * width;
    started().floatToHalf(rows.subarray((at + from) * 4, (at + to) * 4), out.subarray((y * width + from) * 4, (y * width + to) * 4));
  }
}

export type MotionInputs = PictureInputs & Pick<FrameInputs, 'motion' | 'encoding' | 'repairs' | 'fps'>;

function elementPicture(inputs: PictureInputs): Float32Array {
  return shapedPicture(inputs, widened).rgba;
}

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
function alphaOf(inputs: MotionInputs): Float32Array {
  const { width, height, motion } = inputs,
    rgba = elementPicture(inputs);
  const out = new Float32Array(motion.width * motion.height);
  for (let i = 0; i < out.length; i++) {
    const x = Math.min(width - 1, Math.floor((((i % motion.width) + 0.5) * width) / motion.width)),
      y = Math.min(height - 1, Math.floor(((Math.floor(i / motion.width) + 0.5) * height) / motion.height));
    out[i] = rgba[(y * width + x) * 4 + 3];
  }
  return out;
}
