import path from 'node:path';
import {
  shotSettingsSchema,
  shutterOfElement,
  stackOf,
  type Delivery,
  type DeliveryId,
  type DeliveryOptions,
  type ShotDetail,
  type ShotId,
  type ShotSettings,
} from '@ivrex/contract';
import { IvrexError, shutterAngleDeg, type ExposureShape, type ShutterPlan } from '@ivrex/core';
import { assembleFrame, makeLoneElement, type MadePicture } from '@ivrex/media';
import type { Db } from '../db/database';
import { cancelDelivery } from '../db/queries/cancel-delivery';
import { claimFrame } from '../db/queries/claim-frame';
import { finishFrame } from '../db/queries/finish-frame';
import { insertDelivery } from '../db/queries/insert-delivery';
import { listDeliveries, type DeliveryRow } from '../db/queries/list-deliveries';
import { resetFrames } from '../db/queries/reset-frames';
import { settleDelivery } from '../db/queries/settle-delivery';
import { assembledFrame, elementOf, frameElement, readyElement } from './element-frames';
import type { Services } from './services';
import { shotDetail } from './shots';

/** Orders a delivery of the shot as it is set now. @throws IvrexError badSetting, notFound, missingFrame */
export async function orderDelivery({ database, config, queue }: Services, shotId: ShotId, options: DeliveryOptions): Promise<Delivery> {
  const detail = await shotDetail(database, shotId);
  const { shot, settings } = detail;
  const frames = framesOf(detail, options.what).filter((f) => f >= options.firstFrame && f <= options.lastFrame);
  if (frames.length === 0)
    throw new IvrexError('missingFrame', `the beauty has no frame from ${options.firstFrame} to ${options.lastFrame}`);
  const folder = path.join(config.deliveriesFolder, shot.name, options.name);
  const id = await insertDelivery(database, { shotId, folder, pattern: `${options.name}.####.exr`, options, settings, frames });
  await queue.send(id, frames);
  return delivery(database, id);
}

/** Frames that can be delivered: the element's own, or those of the main one. @throws IvrexError badSetting when something is missing to begin with */
function framesOf({ shot, settings, passes }: ShotDetail, what: DeliveryOptions['what']): readonly number[] {
  const element = what.kind === 'element' ? elementOf(settings, what.element) : settings.elements[0];
  if (what.kind === 'element') readyElement(element);
  else for (const shown of stackOf(settings).filter((e) => e.place.visible)) readyElement(shown);
  return passes.find((p) => p.id === element.beauty)?.frames ?? [shot.firstFrame];
}

export async function delivery(db: Db, id: DeliveryId): Promise<Delivery> {
  const [row] = await listDeliveries(db, { id });
  if (row === undefined) throw new IvrexError('notFound', 'there is no such delivery');
  return describe(row);
}

export async function deliveriesOf({ database }: Pick<Services, 'database'>, shotId: ShotId): Promise<Delivery[]> {
  return (await listDeliveries(database, { shotId })).map(describe);
}

function describe(row: DeliveryRow): Delivery {
  const { settings, options } = row;
  const shutter = shutterOfElement(settings, elementOf(settings, options.what.kind === 'element' ? options.what.element : null));
  return { ...row, createdAt: row.createdAt.toISOString(), shutter: describeShutter(shutter), secondsLeft: timeLeft(row) };
}

const SHAPES: Record<ExposureShape['kind'], string> = { even: '', ramps: ', soft-edged', bell: ', bell-shaped' };

export function describeShutter(shutter: ShutterPlan): string {
  const angle = shutterAngleDeg(shutter).toFixed(1).replace(/\.0$/, '');
  const strength = shutter.keys.length > 0 ? ', strength by keys' : shutter.strength === 1 ? '' : `, strength ${shutter.strength}`;
  const limits = [
    shutter.floorPx === null ? '' : `, sharp below ${shutter.floorPx} px a frame`,
    shutter.ceilingPx === null ? '' : `, at most ${shutter.ceilingPx} px a frame`,
  ];
  return `${angle} degrees, ${shutter.opens.toFixed(3)} to ${shutter.closes.toFixed(3)} frames${SHAPES[shutter.shape?.kind ?? 'even']}${strength}${limits.join('')}`;
}

/** From the frames that are done; null before the first. */
function timeLeft(row: DeliveryRow): number | null {
  const times = row.frames.flatMap((f) => (f.milliseconds === null ? [] : [f.milliseconds]));
  const open = row.frames.filter((f) => f.state === 'waiting' || f.state === 'running').length;
  return row.state !== 'running' || times.length === 0 ? null : (open * times.reduce((a, b) => a + b, 0)) / times.length / 1000;
}

export async function cancel({ database, queue }: Pick<Services, 'database' | 'queue'>, id: DeliveryId): Promise<Delivery> {
  await cancelDelivery(database, id);
  queue.abort(id);
  return delivery(database, id);
}

/** Failed, cancelled and interrupted frames are rendered again; whole ones stay. */
export async function resume({ database, queue }: Pick<Services, 'database' | 'queue'>, id: DeliveryId): Promise<Delivery> {
  await delivery(database, id);
  await queue.send(id, await resetFrames(database, id, ['failed', 'running']));
  return delivery(database, id);
}

/** After a start: what a process that is gone had under way waits again. */
export async function resumeInterrupted({ database, queue }: Pick<Services, 'database' | 'queue'>): Promise<number> {
  const rows = await listDeliveries(database, { running: true });
  for (const row of rows) await queue.send(row.id, await resetFrames(database, row.id, ['running']));
  return rows.length;
}

/** Renders one frame of a delivery, if it still waits. Trouble with the frame is kept with it and does not stop the others. */
export async function renderDeliveryFrame(
  services: Pick<Services, 'database' | 'pool' | 'now' | 'log'>,
  id: DeliveryId,
  frame: number,
  signal: AbortSignal,
): Promise<void> {
  const { database, pool, now, log } = services;
  if (!(await claimFrame(database, id, frame))) return;
  const started = now().getTime();
  try {
    const [row] = await listDeliveries(database, { id });
    const file = path.join(row.folder, row.pattern.replace('####', String(frame).padStart(4, '0')));
    const made = await makeFrame(services, row, shotSettingsSchema.parse(row.settings), frame, signal);
    await pool.save(made, file, row.options.type, row.options.compression, signal);
    await finishFrame(database, id, frame, 'done', now().getTime() - started, null);
  } catch (error) {
    const cancelled = error instanceof IvrexError && error.code === 'cancelled';
    if (!(error instanceof IvrexError)) log.error({ err: error, deliveryId: id, frame }, 'a frame failed unexpectedly');
    const message =
      error instanceof IvrexError
        ? `${error.file === undefined ? '' : `${error.file}: `}${error.message}`
        : 'something unexpected went wrong; the log says more';
    await finishFrame(database, id, frame, cancelled ? 'waiting' : 'failed', null, cancelled ? null : message);
  }
  await settleDelivery(database, id);
}

async function makeFrame(
  { database, pool }: Pick<Services, 'database' | 'pool'>,
  { shotId, options: { what } }: DeliveryRow,
  settings: ShotSettings,
  frame: number,
  signal: AbortSignal,
): Promise<MadePicture> {
  if (what.kind === 'element') {
    const element = elementOf(settings, what.element);
    return makeLoneElement(pool, await frameElement(database, shotId, settings, element, frame), frame, signal);
  }
  return assembleFrame(pool, await assembledFrame(database, shotId, settings, frame), signal);
}
