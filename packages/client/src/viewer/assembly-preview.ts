import kernelsUrl from '@ivrex/kernels/kernels.wasm?url';
import { wrap, type Remote } from 'comlink';
import type { BlurQuality, Finish, FitSize, PlateFit, SpeedFigures } from '@ivrex/core';
import type { AssembleWorker, HalfPicture, LaidElement, StillInputs } from '../workers/assemble-worker';
import { draftFactor, ElementBlur, type BlurredPicture, type MovingJob } from './element-blur';

/** One element of the frame that is shown. */
export interface ElementJob {
  readonly laid: LaidElement;
  readonly name: string;
  readonly from: MovingJob | StillJob;
  /** Light passes that are blurred apart and added. */
  readonly lights: readonly LightJob[];
}

export interface LightJob {
  readonly id: string;
  readonly name: string;
  /** So many times as bright, above 0. */
  readonly opacity: number;
  readonly from: MovingJob;
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

/** Blurred elements, by what they depend on, the longest unused dropped first. */
const MOST_BYTES = 384 * 2 ** 20;

/**
 * All elements over the plate in the page's workers: a draft at once, the exact picture at rest. Only what changed is made again: a grade after the
 * blur only lays the pictures together anew, one before it renders its own element from the plan that is there.
 */
export class AssemblyPreview {
  private readonly blurs = new Map<string, ElementBlur>();
  private readonly kept = new Map<string, BlurredPicture>();
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
    this.closeOthers(job.elements.flatMap((e) => [e.laid.id, ...e.lights.map((light) => light.id)]));
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

  /** Makes an element with its light passes and gives it to the worker, unless it is there. Its notes; null when it went out of date. */
  private async put(
    worker: Remote<AssembleWorker>,
    { laid: { id }, name, from, lights }: ElementJob,
    quality: BlurQuality,
  ): Promise<string[] | null> {
    const [own, ...lit] = await Promise.all([
      from.kind === 'still' ? null : this.blurred(id, from, quality),
      ...lights.map((light) => this.blurred(light.id, light.from, quality)),
    ]);
    if ((own === null && from.kind !== 'still') || lit.includes(null)) return null;
    const factors = lights.map(({ opacity }) => opacity);
    const key = [own?.key ?? `${from.resultKey}/${quality}`, ...lit.map((light) => light?.key), ...factors].join('+');
    if (this.given.get(id) !== key) {
      // Under no key while it is put together: who comes in between puts it together anew.
      this.given.delete(id);
      if (own !== null) await worker.put(id, key, own.made.picture);
      else if (from.kind === 'still') await worker.putStill(id, key, await from.load(quality));
      for (const [n, light] of lit.entries()) if (light !== null) await worker.addLight(id, light.made.picture, factors[n]);
      this.given.set(id, key);
    }
    // What a light pass says as its surface does is said once.
    const said = own?.made.notes ?? [],
      notes = lit.flatMap(
        (light, n) => light?.made.notes.filter((note) => !said.includes(note)).map((note) => `${lights[n].name}: ${note}`) ?? [],
      );
    return [...said.map((note) => `${name}: ${note}`), ...notes];
  }

  /** One blurred picture and what it is known by; null when it went out of date. */
  private async blurred(id: string, job: MovingJob, quality: BlurQuality): Promise<{ key: string; made: BlurredPicture } | null> {
    const final = `${job.resultKey}/final`,
      wanted = `${job.resultKey}/${quality}`;
    // An exact picture that is there is better than any draft.
    const found = this.use(final) ?? this.use(wanted);
    if (found !== null) return { key: this.kept.has(final) ? final : wanted, made: found };
    const blur = this.blurs.get(id) ?? new ElementBlur();
    this.blurs.set(id, blur);
    const made = await blur.picture(job, quality);
    if (made === null) return null;
    this.keep(wanted, made);
    return { key: wanted, made };
  }

  private use(key: string): BlurredPicture | null {
    const found = this.kept.get(key);
    if (found === undefined) return null;
    this.kept.delete(key);
    this.kept.set(key, found);
    return found;
  }

  private keep(key: string, made: BlurredPicture): void {
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
