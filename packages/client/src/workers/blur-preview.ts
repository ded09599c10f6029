import type { Remote } from 'comlink';
import {
  IvrexError,
  TILE_PX,
  UNTREATED,
  overExposure,
  sharedMemoryOf,
  type ApplySettings,
  type BlockPlane,
  type BlurPlan,
  type BlurQuality,
  type MixedPlan,
  type NeighbourPlan,
  type PlanReport,
  type RepairedField,
  type Shutter,
  type SpeedFigures,
  type Treatment,
  type WantedNeighbours,
} from '@ivrex/core';
import { around, tilesOf, wholeOf, type Area } from './areas';
import { bandsOf, stopBands, type Bands } from './bands';
import type { Answer, BlurWorker, FrameInputs, MotionInputs, PlanFigure, PlanSlot, Prepared } from './blur-work';

export interface PreviewPicture {
  readonly width: number;
  readonly height: number;
  /** Interleaved premultiplied halves. */
  readonly halves: Uint16Array;
  readonly quality: BlurQuality;
  readonly slices: number;
  /** What was used, mixed-in neighbours with it. */
  readonly report: PlanReport;
  readonly milliseconds: number;
  /** What comes from neighbouring frames, by block; null: this frame alone. */
  readonly neighbourShares: BlockPlane | null;
}

export interface RenderRequest extends Pick<ApplySettings, 'shutter' | 'quality' | 'samples'> {
  readonly slot: PlanSlot;
  readonly treatment: Treatment;
  /** What is on the screen, in pixels of the picture: made first. Null: all of it is. */
  readonly visible: Area | null;
  /** Neighbours that an exact picture is mixed with, of those that were prepared; null: this frame alone. */
  readonly mix: WantedNeighbours | null;
}

/** A worker that knows the kernels, and how it is ended. */
export interface BlurThread {
  readonly worker: Remote<BlurWorker>;
  end(): void;
}

interface LoadedPlan extends Prepared {
  /** Treatment that the loaded layers have had; see `treatmentKey`. */
  treated: string;
  readonly out: Uint16Array;
}

/** Three plans are handed over and opened for every band of a mixed picture: fewer and taller ones. */
const MIXED_BAND_PX = 4 * TILE_PX;

/** A lens is drawn more coarsely in a draft; everything else is the same. */
function treatmentKey(treatment: Treatment, quality: BlurQuality): string {
  return JSON.stringify([treatment, treatment.lens === null ? null : quality]);
}

function valueOf<T>(answer: Answer<T>): T {
  if (!answer.ok) throw IvrexError.fromRecord(answer.error);
  return answer.value;
}

/**
 * The blur in the page's workers: one makes plans, the others render. Only the newest request counts: an exact picture that is under way is given up, a
 * draft comes to its end (else nothing would be seen while a value is dragged), and what waited in between is dropped. A plan is made once a frame and reading; shutter, strength and limits only render it again.
 */
export class BlurPreview {
  private readonly renderers: Promise<readonly BlurThread[]>;
  private planner: Promise<BlurThread>;
  private plannerIsBusy = false;
  private readonly plans = new Map<PlanSlot, LoadedPlan>();
  /** What plans that are out of date leave: the next one is made in it. */
  private readonly spare = new Map<PlanSlot, readonly SharedArrayBuffer[]>();
  /** The frames before and after of the full plan, once they are asked for; null for one that is not there. */
  private readonly neighbours = new Map<-1 | 1, Promise<Prepared | null>>();
  private readonly outs = new Map<PlanSlot, Uint16Array>();
  private turn: Promise<unknown> = Promise.resolve();
  private newestPlan = 0;
  private newest = 0;
  private underWay: { readonly bands: Bands; readonly quality: BlurQuality } | null = null;
  private readonly running = new Set<BlurThread>();

  /** `count` threads render, one more makes plans. */
  constructor(
    private readonly start: () => Promise<BlurThread>,
    count: number,
  ) {
    this.renderers = Promise.all(Array.from({ length: count }, () => this.startThread()));
    this.planner = this.startThread();
  }

  private async startThread(): Promise<BlurThread> {
    const thread = await this.start();
    this.running.add(thread);
    return thread;
  }

  async decode(inputs: MotionInputs): Promise<RepairedField> {
    const renderers = await this.renderers;
    return valueOf(await renderers[renderers.length - 1].worker.decode(inputs));
  }

  /** A picture that was rendered, with light passes that were blurred apart from it. */
  async withLights(picture: PreviewPicture, lights: readonly PreviewPicture[]): Promise<PreviewPicture> {
    const renderers = await this.renderers;
    const halves = await renderers[renderers.length - 1].worker.sum(
      picture.halves,
      lights.map((light) => ({ halves: light.halves, factor: 1 })),
    );
    return { ...picture, halves };
  }

  async speeds(inputs: MotionInputs): Promise<SpeedFigures | null> {
    const renderers = await this.renderers;
    return valueOf(await renderers[renderers.length - 1].worker.speeds(inputs));
  }

  /** What is planned is out of date: nothing of it is rendered any more, and a plan that is being made is given up. */
  forget(): void {
    this.giveUp();
    for (const [slot, held] of this.plans) this.spare.set(slot, sharedMemoryOf(held.plan));
    this.plans.clear();
    this.neighbours.clear();
    if (!this.plannerIsBusy) return;
    const old = this.planner;
    this.planner = old.then((thread) => {
      thread.end();
      this.running.delete(thread);
      return this.startThread();
    });
    this.plannerIsBusy = false;
  }

  private giveUp(): void {
    this.newest++;
    this.newestPlan++;
    if (this.underWay !== null) stopBands(this.underWay.bands);
  }

  /** A plan of the planner's; null when it went out of date meanwhile. */
  private async plan(inputs: FrameInputs, factor: number, spare: readonly SharedArrayBuffer[]): Promise<Prepared | null> {
    const ticket = this.newestPlan;
    const { worker } = await this.planner;
    if (ticket !== this.newestPlan) return null;
    this.plannerIsBusy = true;
    try {
      const prepared = valueOf(await worker.prepare(inputs, factor, spare));
      return ticket === this.newestPlan ? prepared : null;
    } finally {
      if (ticket === this.newestPlan) this.plannerIsBusy = false;
    }
  }

  /**
   * Makes the plan of the frame before or after the full one's, once: exact pictures are mixed with it. `load` gives null where there is no such frame; what
   * can't be read is as if it were not there.
   */
  async prepareNeighbour(at: -1 | 1, load: () => Promise<FrameInputs | null>): Promise<void> {
    const known = this.neighbours.get(at);
    if (known !== undefined) return void (await known);
    const made = load()
      .then((inputs) => inputs && this.plan(inputs, 1, []))
      .catch(() => null);
    this.neighbours.set(at, made);
    await made;
  }

  /** Makes a frame's plan and gives it to every renderer. Null when it went out of date meanwhile. */
  async prepare(slot: PlanSlot, inputs: FrameInputs, factor: number): Promise<BlurPlan | null> {
    const ticket = this.newestPlan,
      prepared = await this.plan(inputs, factor, this.spare.get(slot) ?? []);
    if (prepared === null) return null;
    this.spare.delete(slot);
    const { plan } = prepared;
    return this.inTurn(async () => {
      if (ticket === this.newestPlan) await this.load(slot, prepared, UNTREATED, 'draft');
      if (ticket !== this.newestPlan) {
        this.spare.set(slot, sharedMemoryOf(plan));
        return null;
      }
      this.plans.set(slot, {
        ...prepared,
        treated: treatmentKey(UNTREATED, 'draft'),
        out: this.outFor(slot, plan.width * plan.height * 4),
      });
      return plan;
    });
  }

  /** A plan that is not needed any more, and all that renderers hold of it. */
  async drop(slot: PlanSlot): Promise<void> {
    const held = this.plans.get(slot);
    if (held === undefined) return;
    this.plans.delete(slot);
    this.outs.delete(slot);
    if (slot === 'full') this.neighbours.clear();
    this.spare.set(slot, sharedMemoryOf([held.plan, held.depth]));
    await Promise.all((await this.renderers).map(({ worker }) => worker.unload(slot)));
  }

  /** Where a slot's pictures are put together: the same memory as long as their size stays. */
  private outFor(slot: PlanSlot, length: number): Uint16Array {
    const before = this.outs.get(slot),
      out = before?.length === length ? before.fill(0) : new Uint16Array(new SharedArrayBuffer(length * 2));
    this.outs.set(slot, out);
    return out;
  }

  private async load(slot: PlanSlot, { plan, depth }: Prepared, treatment: Treatment, quality: BlurQuality): Promise<void> {
    await Promise.all((await this.renderers).map(({ worker }) => worker.load(slot, plan, treatment, depth, quality)));
  }

  /**
   * The picture under these settings; null when a newer request took its place before it was begun, or of an exact one before it was done. `onVisible` gets the picture as soon as all that is on the screen
   * is in it.
   */
  async render(request: RenderRequest, onVisible?: (picture: PreviewPicture) => void): Promise<PreviewPicture | null> {
    const ticket = ++this.newest;
    if (this.underWay?.quality === 'final') stopBands(this.underWay.bands);
    return this.inTurn(async () => {
      const held = this.plans.get(request.slot),
        ofPlan = this.newestPlan;
      if (ticket !== this.newest || held === undefined) return null;
      const isOver = () => (request.quality === 'draft' ? ofPlan !== this.newestPlan : ticket !== this.newest);
      const start = performance.now();
      const mixed = await this.mixed(request, held);
      if (isOver()) return null;
      if (mixed === null) await this.treat(request.slot, held, request);
      const { plan, out } = held,
        neighbourShares = !mixed?.mix ? null : overExposure('shares', plan, mixed.mix, request.shutter);
      let slices = 0;
      const picture = (): PreviewPicture => ({
        width: plan.width,
        height: plan.height,
        // WebGL does not take shared memory: this copy is what the screen gets.
        halves: out.slice(),
        quality: request.quality,
        slices,
        report: (mixed ?? held).plan.report,
        milliseconds: performance.now() - start,
        neighbourShares,
      });
      const visible = request.visible === null ? null : tilesOf(request.visible, plan);
      if (visible !== null) {
        slices = await this.renderArea(request, mixed, plan, out, visible);
        if (isOver()) return null;
        onVisible?.(picture());
      }
      for (const area of visible === null ? [wholeOf(plan)] : around(visible, plan)) {
        slices = Math.max(slices, await this.renderArea(request, mixed, plan, out, area));
        if (isOver()) return null;
      }
      return picture();
    });
  }

  /** The plan with the neighbours that were prepared, all under the treatment; null where this frame alone is wanted. */
  private async mixed({ quality, mix, shutter, treatment }: RenderRequest, held: LoadedPlan): Promise<MixedPlan | null> {
    if (quality === 'draft' || mix === null || mix.at.length === 0) return null;
    const [{ worker }] = await this.renderers,
      treated = async ({ plan, depth }: Prepared) =>
        treatment.grade === null && treatment.lens === null ? plan : worker.treat(plan, treatment, depth, quality);
    const neighbours: NeighbourPlan[] = [];
    for (const at of mix.at) {
      const prepared = (await this.neighbours.get(at)) ?? null;
      if (prepared?.plan.width === held.plan.width && prepared.plan.height === held.plan.height)
        neighbours.push({ at, plan: await treated(prepared) });
    }
    return worker.mix(await treated(held), mix, neighbours, shutter);
  }

  /** Renderers take bands as they come free, so that an empty sky does not leave one idle. */
  private async renderArea(
    { slot, shutter, quality, samples }: RenderRequest,
    mixed: MixedPlan | null,
    plan: BlurPlan,
    out: Uint16Array,
    area: Area,
  ): Promise<number> {
    const settings: ApplySettings = { shutter, quality, samples, columns: [area.x0, Math.min(plan.width, area.x1)] },
      bands = bandsOf(area, mixed === null ? TILE_PX : MIXED_BAND_PX);
    this.underWay = { bands, quality };
    try {
      const most = (await this.renderers).map(({ worker }) =>
        mixed === null ? worker.render(slot, settings, bands, out) : worker.renderMixed(mixed, settings, bands, out),
      );
      return Math.max(...(await Promise.all(most)));
    } finally {
      this.underWay = null;
    }
  }

  private async treat(
    slot: PlanSlot,
    held: LoadedPlan,
    { treatment, quality }: Pick<RenderRequest, 'treatment' | 'quality'>,
  ): Promise<void> {
    const key = treatmentKey(treatment, quality);
    if (held.treated === key) return;
    // A lens is dear, a grade costs less than handing its result over.
    if (treatment.lens === null || held.depth === null) await this.load(slot, held, treatment, quality);
    else {
      const [{ worker }] = await this.renderers;
      const plan = await worker.treat(held.plan, treatment, held.depth, quality);
      await this.load(slot, { plan, depth: null }, UNTREATED, quality);
    }
    held.treated = key;
  }

  /** A figure of every pixel of a plan that is held. */
  async figure(plan: BlurPlan, shutter: Shutter, figure: PlanFigure): Promise<Float32Array> {
    const renderers = await this.renderers;
    return renderers[renderers.length - 1].worker.figure(plan, shutter, figure);
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const turn = this.turn.then(work, work);
    this.turn = turn.catch(() => undefined);
    return turn;
  }

  close(): void {
    this.giveUp();
    for (const thread of this.running) thread.end();
  }
}
