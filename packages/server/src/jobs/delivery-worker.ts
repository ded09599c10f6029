import { hostname } from 'node:os';
import type { DeliveryId } from '@ivrex/contract';
import { beatWorker } from '../db/queries/beat-worker';
import { deleteWorker } from '../db/queries/delete-worker';
import { freeLostFrames } from '../db/queries/free-lost-frames';
import { freeOwnFrames } from '../db/queries/free-own-frames';
import { listCancelled } from '../db/queries/list-cancelled';
import { listDueFrames } from '../db/queries/list-due-frames';
import { listUnfinished } from '../db/queries/list-unfinished';
import { settleDeliveries } from '../db/queries/settle-deliveries';
import { finishDelivery, type FinishServices } from '../services/delivery-finish';
import { openOrder, renderDeliveryFrame, type OpenOrder } from '../services/delivery-work';
import type { FrameJob, RunningQueue } from './delivery-queue';

/** A cancelled delivery is noticed within this time, with the database's answer. */
const BEAT_MS = 700;
const SWEEP_MS = 4000;
/** Orders that are kept open: their documents are long. */
const MOST_ORDERS = 4;

interface WorkerServices extends FinishServices {
  readonly queue: RunningQueue;
  readonly name: string;
  readonly threads: number;
}

/** A process that renders deliveries: takes jobs, says that it lives, and looks after what others left. */
export class DeliveryWorker {
  private readonly orders = new Map<DeliveryId, Promise<OpenOrder>>();
  private readonly stops = new Map<DeliveryId, AbortController>();
  private readonly holding = new Set<{ readonly id: DeliveryId; readonly frame: number }>();
  private readonly finishing = new Set<DeliveryId>();
  private readonly timers: NodeJS.Timeout[] = [];
  private doing: string | null = null;
  private framesDone = 0;
  private stopping = false;

  constructor(private readonly services: WorkerServices) {}

  async start(): Promise<void> {
    await this.beat();
    this.every(BEAT_MS, () => this.beat());
    this.every(SWEEP_MS, () => this.sweep());
    await this.services.queue.work(
      (job) => this.render(job),
      (id) => this.finish(id),
    );
  }

  /** One after the other; a database that is away is asked again next time. */
  private every(ms: number, work: () => Promise<void>): void {
    let busy = false;
    this.timers.push(
      setInterval(() => {
        if (busy) return;
        busy = true;
        work()
          .catch((error: unknown) => this.services.log.warn({ err: error }, 'the database could not be asked'))
          .finally(() => {
            busy = false;
          });
      }, ms),
    );
  }

  private async beat(): Promise<void> {
    const { database, worker, name, threads } = this.services;
    await beatWorker(database, {
      id: worker,
      name,
      host: hostname(),
      pid: process.pid,
      threads,
      doing: this.doing,
      framesDone: this.framesDone,
    });
    if (this.stops.size === 0) return;
    for (const id of await listCancelled(database, [...this.stops.keys()])) this.stops.get(id)?.abort();
  }

  /** What waits and has no job, be it that a worker was killed, a server died between two steps, or a frame's time to be tried again has come. */
  private async sweep(): Promise<void> {
    const { database, worker, queue, log } = this.services;
    await freeOwnFrames(database, worker, { frames: [...this.holding], finishing: [...this.finishing] });
    const lost = await freeLostFrames(database);
    if (lost > 0) log.warn({ frames: lost }, 'frames of a worker that is gone wait again');
    await settleDeliveries(database, null);
    const queued = await queue.queued();
    for (const { id, frames, priority } of await listDueFrames(database, null))
      if (!queued.has(id)) await queue.sendFrames(id, frames, priority);
    for (const id of await listUnfinished(database)) if (!queued.has(id)) await queue.sendFinish(id);
  }

  private orderOf(id: DeliveryId): Promise<OpenOrder> {
    const known = this.orders.get(id) ?? openOrder(this.services, id);
    this.orders.delete(id);
    this.orders.set(id, known);
    for (const old of this.orders.keys()) if (this.orders.size > MOST_ORDERS) this.orders.delete(old);
    known.catch(() => this.orders.delete(id));
    return known;
  }

  private async during<T>(id: DeliveryId, doing: string, work: (signal: AbortSignal) => Promise<T>): Promise<T> {
    const stop = new AbortController();
    this.stops.set(id, stop);
    this.doing = doing;
    try {
      return await work(stop.signal);
    } finally {
      if (this.stops.get(id) === stop) this.stops.delete(id);
      this.doing = null;
    }
  }

  private async render({ deliveryId: id, frames }: FrameJob): Promise<void> {
    if (this.stopping) throw new Error('the worker is stopping');
    const order = await this.orderOf(id);
    for (const frame of frames) {
      if (this.stopping) return;
      const held = { id, frame };
      this.holding.add(held);
      try {
        const came = await this.during(id, `${order.book.document.name}, ${order.options.name}: frame ${frame}`, (signal) =>
          renderDeliveryFrame(this.services, order, frame, signal),
        );
        if (came === 'made') this.framesDone++;
      } finally {
        this.holding.delete(held);
      }
    }
    if ((await listUnfinished(this.services.database)).includes(id)) await this.services.queue.sendFinish(id);
  }

  private async finish(id: DeliveryId): Promise<void> {
    if (this.stopping) throw new Error('the worker is stopping');
    this.finishing.add(id);
    try {
      const { book, options } = await this.orderOf(id);
      await this.during(id, `${book.document.name}, ${options.name}: the last part`, (signal) => finishDelivery(this.services, id, signal));
    } finally {
      this.finishing.delete(id);
    }
  }

  /** Drops what is under way: others take it at once. */
  async stop(): Promise<void> {
    this.stopping = true;
    for (const stop of this.stops.values()) stop.abort();
    for (const timer of this.timers) clearInterval(timer);
    const { queue, database, worker, log } = this.services;
    await queue.stop().catch((error: unknown) => log.warn({ err: error }, 'the queue did not stop cleanly'));
    await deleteWorker(database, worker).catch(() => undefined);
  }
}
