import kernelsUrl from '@ivrex/kernels/kernels.wasm?url';
import { wrap, type Remote } from 'comlink';
import {
  mixReach,
  type BlurQuality,
  type Finish,
  type FitSize,
  type PlateFit,
  type Shutter,
  type SpeedFigures,
  type Treatment,
  type WantedNeighbours,
} from '@ivrex/core';
import type { AssembleWorker, HalfPicture, LaidElement, StillInputs } from '../workers/assemble-worker';
import { BlurPreview, type PreviewPicture } from '../workers/blur-preview';
import { RENDER_THREADS, startBlurThread } from '../workers/blur-threads';
import type { FrameInputs, PlanSlot } from '../workers/blur-work';

/** One element of the frame that is shown. */
export interface ElementJob {
  readonly laid: LaidElement;
  readonly name: string;
  readonly from: MovingJob | StillJob;
}

export interface MovingJob {
  readonly kind: 'moving';
  /** Everything that its plan depends on, but for its reach. */
  readonly planKey: string;
  /** Everything that the blurred element depends on. */
  readonly resultKey: string;
  readonly width: number;
  readonly height: number;
  readonly shutter: Shutter;
  readonly samples: 'auto' | number;
  /** In pixels of the full picture. */
  readonly treatment: Treatment;
  /** Neighbours that an exact picture is mixed with. */
  readonly wanted: WantedNeighbours;
  load(): Promise<{ inputs: Omit<FrameInputs, 'reachFrames'>; notes: readonly string[] }>;
  /** A neighbour as a frame of its own; null where it is not there. */
  loadNeighbour(at: -1 | 1): Promise<{ inputs: Omit<FrameInputs, 'reachFrames'>; notes: readonly string[] } | null>;
}

export interface StillJob {
  readonly kind: 'still';
  readonly resultKey: string;
  load(quality: BlurQuality): Promise<StillInputs>;
}

export interface AssemblyJob {
  readonly frame: number;
  /** The assembled picture's full size. */
  readonly size: FitSize;
  readonly plate: { readonly key: string; readonly fit: PlateFit; load(): Promise<HalfPicture & { readonly pixelAspect: number }> } | null;
  /** From the farthest to the nearest. */
  readonly elements: readonly ElementJob[];
  readonly finish: Finish;
}

export interface AssembledPicture extends HalfPicture {
  readonly quality: BlurQuality;
  readonly milliseconds: number;
  readonly notes: readonly string[];
}

/** Larger pictures are worked on as smaller ones: about what a screen shows. */
const SCREEN_WIDTH = 1280,
  SCREEN_HEIGHT = 720;

/** How many times smaller a draft is. */
export function draftFactor({ width, height }: { readonly width: number; readonly height: number }): number {
  return Math.max(1, Math.ceil(Math.max(width / SCREEN_WIDTH, height / SCREEN_HEIGHT)));
}

/** Lengths in pixels of a picture that is `factor` times smaller. */
export function scaledTreatment({ limits, grade, lens }: Treatment, factor: number): Treatment {
  const by = (v: number | null) => (v === null ? null : v / factor);
  return {
    limits: { floorPx: by(limits.floorPx), ceilingPx: by(limits.ceilingPx) },
    grade,
    lens: lens && { ...lens, farPx: lens.farPx / factor, nearPx: lens.nearPx / factor, mostPx: lens.mostPx / factor },
  };
}

/** The blur of one element. The plan that drafts are made of is kept as long as it holds; a larger one for the exact picture is given up at once. */
class ElementBlur {
  private readonly preview = new BlurPreview(startBlurThread, RENDER_THREADS);
  private base = '';
  /** Of the frame that its plan is of. */
  speeds: SpeedFigures | null = null;
  private readonly held = new Map<PlanSlot, readonly string[]>();

  /** Null when a newer request took its place. */
  async picture(job: MovingJob, quality: BlurQuality): Promise<KeptElement | null> {
    const smaller = draftFactor(job),
      factor = quality === 'draft' ? smaller : 1,
      slot = factor === 1 ? 'full' : 'screen';
    const reach = mixReach(job.wanted, job.shutter);
    const base = `${job.planKey}/${reach}`;
    if (base !== this.base) {
      this.preview.forget();
      this.held.clear();
      this.base = base;
    }
    if (!this.held.has(slot)) {
      const { inputs, notes } = await job.load();
      this.speeds = await this.preview.speeds(inputs);
      const plan = await this.preview.prepare(slot, { ...inputs, reachFrames: reach }, factor);
      if (plan === null) return null;
      this.held.set(slot, [...plan.report.warnings, ...notes]);
    }
    if (quality === 'final')
      for (const at of job.wanted.at)
        await this.preview.prepareNeighbour(at, async () => {
          const there = await job.loadNeighbour(at);
          return there && { ...there.inputs, reachFrames: reach };
        });
    const { shutter, samples } = job;
    const treatment = scaledTreatment(job.treatment, factor);
    const picture = await this.preview.render({ slot, shutter, quality, samples, treatment, visible: null, mix: job.wanted });
    const notes = [...(this.held.get(slot) ?? []), ...(picture?.report.notes ?? [])];
    if (slot === 'full' && smaller > 1) {
      this.held.delete(slot);
      await this.preview.drop(slot);
    }
    return picture && { picture, notes };
  }

  close(): void {
    this.preview.close();
  }
}

/** Blurred elements, by what they depend on, the longest unused dropped first. */
const MOST_BYTES = 384 * 2 ** 20;

interface KeptElement {
  readonly picture: PreviewPicture;
  readonly notes: readonly string[];
}

/**
 * All elements over the plate in the page's workers: a draft at once, the exact picture at rest. Only what changed is made again: a grade after the
 * blur only lays the pictures together anew, one before it renders its own element from the plan that is there.
 */
export class AssemblyPreview {
  private readonly blurs = new Map<string, ElementBlur>();
  private readonly kept = new Map<string, KeptElement>();
  private readonly thread = new Worker(new URL('../workers/assemble-worker.ts', import.meta.url), { type: 'module' });
  private readonly worker: Promise<Remote<AssembleWorker>>;
  /** What the worker holds, by element. */
  private readonly given = new Map<string, string>();
  private plateKey = '';
  private newest = 0;
  private turn: Promise<unknown> = Promise.resolve();

  constructor() {
    this.worker = this.start();
  }

  private async start(): Promise<Remote<AssembleWorker>> {
    const worker = wrap<AssembleWorker>(this.thread);
    await worker.start(await WebAssembly.compileStreaming(fetch(kernelsUrl)));
    return worker;
  }

  /** How fast each moving element goes in the frame that was made last. */
  speedsById(): ReadonlyMap<string, SpeedFigures> {
    return new Map([...this.blurs].flatMap(([id, { speeds }]) => (speeds === null ? [] : [[id, speeds] as const])));
  }

  /** Whatever is under way is no longer wanted. */
  cancel(): void {
    this.newest++;
  }

  /** The frame at this quality; null when a newer one took its place. @throws about what can't be loaded */
  make(job: AssemblyJob, quality: BlurQuality): Promise<AssembledPicture | null> {
    const ticket = ++this.newest;
    const turn = this.turn.then(
      () => this.makeNow(job, quality, ticket),
      () => this.makeNow(job, quality, ticket),
    );
    this.turn = turn.catch(() => undefined);
    return turn;
  }

  private async makeNow(job: AssemblyJob, quality: BlurQuality, ticket: number): Promise<AssembledPicture | null> {
    if (ticket !== this.newest) return null;
    const start = performance.now(),
      notes: string[] = [];
    const worker = await this.worker;
    const factor = quality === 'draft' ? draftFactor(job.size) : 1;
    const width = Math.ceil(job.size.width / factor),
      height = Math.ceil(job.size.height / factor);
    this.closeOthers(job.elements.map((e) => e.laid.id));
    await worker.keep(job.elements.map((e) => e.laid.id));
    const plate = this.putPlate(worker, job, width, height);
    const made = await Promise.all(job.elements.map((element) => this.put(worker, element, quality)));
    await plate;
    if (ticket !== this.newest || made.includes(null)) return null;
    for (const said of made) notes.push(...(said ?? []));
    const { grain } = job.finish;
    const halves = await worker.assemble({
      width,
      height,
      frame: job.frame,
      hasPlate: job.plate !== null,
      elements: job.elements.map((e) => e.laid),
      finish: { ...job.finish, grain: grain && { ...grain, sizePx: grain.sizePx / factor } },
    });
    return ticket === this.newest ? { width, height, halves, quality, notes, milliseconds: performance.now() - start } : null;
  }

  private async putPlate(worker: Remote<AssembleWorker>, { plate, size }: AssemblyJob, width: number, height: number): Promise<void> {
    if (plate === null) return;
    const key = `${plate.key}/${width}/${height}/${plate.fit}`;
    if (key === this.plateKey) return;
    const { pixelAspect, ...picture } = await plate.load();
    await worker.putPlate(key, picture, pixelAspect, { width, height, pixelAspect: size.pixelAspect }, plate.fit);
    this.plateKey = key;
  }

  /** Makes an element and gives it to the worker, unless it is there. Its notes; null when it went out of date. */
  private async put(
    worker: Remote<AssembleWorker>,
    { laid: { id }, name, from }: ElementJob,
    quality: BlurQuality,
  ): Promise<string[] | null> {
    const about = (notes: readonly string[]) => notes.map((note) => `${name}: ${note}`);
    if (from.kind === 'still') {
      const key = `${from.resultKey}/${quality}`;
      if (this.given.get(id) !== key) {
        await worker.putStill(id, key, await from.load(quality));
        this.given.set(id, key);
      }
      return [];
    }
    const final = `${from.resultKey}/final`,
      wanted = `${from.resultKey}/${quality}`;
    // An exact picture that is there is better than any draft.
    const found = this.use(final) ?? this.use(wanted);
    const key = this.kept.has(final) ? final : wanted;
    let made = found;
    if (made === null) {
      const blur = this.blurs.get(id) ?? new ElementBlur();
      this.blurs.set(id, blur);
      made = await blur.picture(from, quality);
      if (made === null) return null;
      this.keep(key, made);
    }
    if (this.given.get(id) !== key) {
      await worker.put(id, key, made.picture);
      this.given.set(id, key);
    }
    return about(made.notes);
  }

  private use(key: string): KeptElement | null {
    const found = this.kept.get(key);
    if (found === undefined) return null;
    this.kept.delete(key);
    this.kept.set(key, found);
    return found;
  }

  private keep(key: string, made: KeptElement): void {
    this.kept.set(key, made);
    let total = 0;
    for (const { picture } of this.kept.values()) total += picture.halves.byteLength;
    for (const [oldest, { picture }] of this.kept) {
      if (total <= MOST_BYTES || oldest === key) break;
      this.kept.delete(oldest);
      total -= picture.halves.byteLength;
    }
  }

  private closeOthers(ids: readonly string[]): void {
    for (const [id, blur] of this.blurs) {
      if (ids.includes(id)) continue;
      blur.close();
      this.blurs.delete(id);
    }
    for (const id of this.given.keys()) if (!ids.includes(id)) this.given.delete(id);
  }

  close(): void {
    this.newest++;
    this.closeOthers([]);
    this.thread.terminate();
  }
}
