import { wrap, type Remote } from 'comlink';
import kernelsUrl from '@ivrex/kernels/kernels.wasm?url';
import { IvrexError, type ApplySettings, type BlurPlan, type BlurQuality, type RepairedField } from '@ivrex/core';
import type { Answer, BlurWorker, FrameInputs } from './blur-worker';

export interface PreviewPicture {
  readonly width: number;
  readonly height: number;
  readonly rgba: Float32Array;
  readonly quality: BlurQuality;
  readonly slices: number;
  readonly milliseconds: number;
}

/** Rows of tiles a band holds: bands start on tile rows. */
const BAND_PX = 32;

function valueOf<T>(answer: Answer<T>): T {
  if (!answer.ok) throw IvrexError.fromRecord(answer.error);
  return answer.value;
}

/**
 * The blur in the page's workers. Only the newest request counts: while one is under way the next waits, and what came
 * between is dropped. A plan is made once a frame and reading; shutter and strength only render it again.
 */
export class BlurPreview {
  private readonly workers: Promise<readonly Remote<BlurWorker>[]>;
  private readonly threads: Worker[] = [];
  private plan: BlurPlan | null = null;
  private out: Float32Array | null = null;
  private busy: Promise<unknown> = Promise.resolve();
  private newest = 0;

  constructor(count = Math.max(1, Math.min(4, navigator.hardwareConcurrency || 2))) {
    this.workers = this.startWorkers(count);
  }

  private async startWorkers(count: number): Promise<readonly Remote<BlurWorker>[]> {
    const module = await WebAssembly.compileStreaming(fetch(kernelsUrl));
    return Promise.all(
      Array.from({ length: count }, async () => {
        const thread = new Worker(new URL('./blur-worker.ts', import.meta.url), { type: 'module' });
        this.threads.push(thread);
        const worker = wrap<BlurWorker>(thread);
        await worker.start(module);
        return worker;
      }),
    );
  }

  async decode(
    inputs: Pick<FrameInputs, 'width' | 'height' | 'motion' | 'encoding' | 'repairs' | 'fps' | 'beauty'>,
  ): Promise<RepairedField> {
    const workers = await this.workers;
    return valueOf(await workers[workers.length - 1].decode(inputs));
  }

  /** Makes the frame's plan and gives it to every worker. Null when a newer frame was asked for meanwhile. */
  async prepare(inputs: FrameInputs): Promise<BlurPlan | null> {
    const ticket = ++this.newest;
    return this.inTurn(async () => {
      if (ticket !== this.newest) return null;
      const workers = await this.workers;
      const plan = valueOf(await workers[0].prepare(inputs));
      if (ticket !== this.newest) return null;
      await Promise.all(workers.map((worker) => worker.load(plan)));
      this.plan = plan;
      this.out = new Float32Array(new SharedArrayBuffer(plan.width * plan.height * 16));
      return plan;
    });
  }

  /** The picture under these settings; null when a newer request took its place. */
  async render(settings: ApplySettings): Promise<PreviewPicture | null> {
    const ticket = ++this.newest;
    return this.inTurn(async () => {
      const { plan, out } = this;
      if (ticket !== this.newest || plan === null || out === null) return null;
      const start = performance.now();
      const workers = await this.workers;
      // Bands are handed out as workers come free, so that an empty sky does not leave one idle.
      let next = 0,
        slices = 0;
      await Promise.all(
        workers.map(async (worker) => {
          while (next < plan.height && ticket === this.newest) {
            const yFrom = next;
            next = Math.min(plan.height, yFrom + BAND_PX);
            slices = Math.max(
              slices,
              await worker.render(settings, yFrom, next, out.subarray(yFrom * plan.width * 4, next * plan.width * 4)),
            );
          }
        }),
      );
      if (ticket !== this.newest) return null;
      // WebGL does not take shared memory: this copy is what the screen gets.
      return {
        width: plan.width,
        height: plan.height,
        rgba: out.slice(),
        quality: settings.quality,
        slices,
        milliseconds: performance.now() - start,
      };
    });
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const turn = this.busy.then(work, work);
    this.busy = turn.catch(() => undefined);
    return turn;
  }

  close(): void {
    this.newest++;
    for (const thread of this.threads) thread.terminate();
  }
}
