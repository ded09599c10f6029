import path from 'node:path';
import {
  fileNameOf,
  filesOf,
  shutterOfElement,
  type Delivery,
  type DeliveryId,
  type DeliveryOptions,
  type DeliveryPlan,
  type Priority,
  type Queue,
  type ShotId,
} from '@ivrex/contract';
import { describeShutter, IvrexError } from '@ivrex/core';
import { elementOf } from '@ivrex/media';
import type { Db } from '../db/database';
import { insertDelivery } from '../db/queries/insert-delivery';
import { listDeliveries, type DeliveryRow } from '../db/queries/list-deliveries';
import { listDueFrames } from '../db/queries/list-due-frames';
import { listWorkers } from '../db/queries/list-workers';
import { moveDelivery } from '../db/queries/move-delivery';
import { resetFrames } from '../db/queries/reset-frames';
import { setPriority } from '../db/queries/set-priority';
import { settleDeliveries } from '../db/queries/settle-deliveries';
import { placeOf, planDelivery } from './delivery-plan';
import type { Resources } from './resources';

type DeliveryServices = Pick<Resources, 'database' | 'queue' | 'config' | 'pool' | 'depths'>;

export async function deliveryPlan(services: DeliveryServices, shotId: ShotId, options: DeliveryOptions): Promise<DeliveryPlan> {
  return (await planDelivery(services, shotId, options)).plan;
}

/** Orders a delivery of the shot as it is set now. @throws IvrexError badSetting when something stands in its way, conflict, notFound */
export async function orderDelivery(services: DeliveryServices, shotId: ShotId, asked: DeliveryOptions): Promise<Delivery> {
  const { database, config } = services,
    root = config.deliveriesFolder;
  const { plan, options, book } = await planDelivery(services, shotId, asked);
  if (plan.faults.length > 0) throw new IvrexError('badSetting', plan.faults.join('; '));
  const { document } = book;
  const first = fileNameOf(options, document.name, filesOf(options)[0].name, null);
  const id = await insertDelivery(database, {
    shotId,
    root,
    folder: path.join(root, path.dirname(first)),
    pattern: path.basename(first),
    place: placeOf(root, document.name, options),
    options,
    document: { ...document, deliver: options },
    frames: plan.frames,
  });
  if (id === null) throw sameFiles(options.name);
  await sendFrames(services, id);
  return delivery(database, id);
}

function sameFiles(name: string): IvrexError {
  return new IvrexError(
    'conflict',
    `another delivery is writing the files of "${name}" just now; wait for it, cancel it, or choose another name`,
  );
}

/** Gives what waits to the queue. */
async function sendFrames({ database, queue }: Pick<Resources, 'database' | 'queue'>, id: DeliveryId): Promise<void> {
  for (const due of await listDueFrames(database, id)) await queue.sendFrames(id, due.frames, due.priority);
}

export async function delivery(db: Db, id: DeliveryId): Promise<Delivery> {
  const [row] = await listDeliveries(db, { id });
  if (row === undefined) throw new IvrexError('notFound', 'there is no such delivery');
  return describe(row);
}

export async function deliveriesOf({ database }: Pick<Resources, 'database'>, shotId: ShotId): Promise<Delivery[]> {
  return (await listDeliveries(database, { shotId })).map(describe);
}

/** Everything that is rendered or was lately, and who renders. */
export async function wholeQueue({ database }: Pick<Resources, 'database'>): Promise<Queue> {
  return { deliveries: (await listDeliveries(database, {})).map(describe), workers: await listWorkers(database) };
}

function describe(row: DeliveryRow): Delivery {
  const { settings } = row,
    [what] = row.options.what;
  const shutter = shutterOfElement(settings, elementOf(settings, what.kind === 'assembled' ? null : what.element));
  const { id, shotId, shot, state, folder, pattern, options, error, extras, frames } = row;
  return {
    id,
    shotId,
    shot,
    state,
    folder,
    pattern,
    options,
    error,
    extras,
    frames,
    createdAt: row.createdAt.toISOString(),
    shutter: describeShutter(shutter),
    secondsLeft: timeLeft(row),
  };
}

/** From the frames that are made; null before the first. */
function timeLeft({ frames, state }: Pick<DeliveryRow, 'frames' | 'state'>): number | null {
  const times = frames.flatMap((f) => (f.milliseconds === null || f.kept ? [] : [f.milliseconds]));
  const open = frames.filter((f) => f.state === 'waiting' || f.state === 'running').length;
  const atOnce = Math.max(1, frames.filter((f) => f.state === 'running').length);
  return state !== 'running' || times.length === 0 ? null : (open * times.reduce((a, b) => a + b, 0)) / times.length / 1000 / atOnce;
}

/** Workers drop what they do for it within a second. Files that are whole stay. */
export async function cancel({ database, queue }: DeliveryServices, id: DeliveryId): Promise<Delivery> {
  await moveDelivery(database, id, ['running', 'paused', 'finishing'], 'cancelled');
  await queue.forget(id);
  return delivery(database, id);
}

/** Frames that are under way are made; no others are begun. */
export async function pause({ database, queue }: DeliveryServices, id: DeliveryId): Promise<Delivery> {
  await moveDelivery(database, id, ['running'], 'paused');
  await queue.forget(id);
  return delivery(database, id);
}

/** Goes on with what is paused, cancelled or failed: frames that are not whole are made, whole ones stay. @throws IvrexError conflict, notFound */
export async function resume(services: DeliveryServices, id: DeliveryId): Promise<Delivery> {
  const { database } = services;
  const before = await delivery(database, id);
  await database
    .transaction(async (db) => {
      if (await moveDelivery(db, id, ['paused', 'cancelled', 'failed'], 'running')) await resetFrames(db, id);
    })
    .catch((error: unknown) => {
      throw isTaken(error) ? sameFiles(before.options.name) : error;
    });
  await settleDeliveries(database, id);
  await sendFrames(services, id);
  return delivery(database, id);
}

/** PostgreSQL's unique violation (error code 23505). */
function isTaken(error: unknown): boolean {
  return error instanceof Error && 'code' in error && error.code === '23505';
}

/** Frames that wait are taken before or after those of other deliveries. */
export async function changePriority({ database, queue }: DeliveryServices, id: DeliveryId, priority: Priority): Promise<Delivery> {
  await setPriority(database, id, priority);
  await queue.changePriority(id, priority);
  return delivery(database, id);
}
