import path from 'node:path';
import {
  shotSettingsSchema,
  type Delivery,
  type DeliveryId,
  type DeliveryOptions,
  type PassId,
  type ShotId,
  type ShotSettings,
} from '@ivrex/contract';
import { IvrexError, shutterAngleDeg, shutterAt, type ExposureShape, type ShutterPlan } from '@ivrex/core';
import type { FrameFiles, FrameSources, PassFile } from '@ivrex/media';
import type { Db } from '../db/database';
import { cancelDelivery } from '../db/queries/cancel-delivery';
import { claimFrame } from '../db/queries/claim-frame';
import { finishFrame } from '../db/queries/finish-frame';
import { insertDelivery } from '../db/queries/insert-delivery';
import { listDeliveries, type DeliveryRow } from '../db/queries/list-deliveries';
import { listPasses } from '../db/queries/list-passes';
import { resetFrames } from '../db/queries/reset-frames';
import { settleDelivery } from '../db/queries/settle-delivery';
import { passFileAt, pictureFileAt } from './frames';
import type { Services } from './services';
import { shotDetail } from './shots';

/** The one element that this version delivers, with what the blur cannot do without. */
function readyElement(settings: ShotSettings) {
  const [element] = settings.elements;
  if (element.beauty === null || element.motion === null)
    throw new IvrexError('badSetting', 'choose a beauty and a motion pass in step Passes first');
  if (element.encoding === null) throw new IvrexError('badSetting', 'say how the motion is stored in step Motion first');
  return {
    beauty: element.beauty,
    motion: element.motion,
    depth: element.depth,
    ids: element.ids,
    encoding: element.encoding,
    shutter: element.shutter ?? settings.shutter,
  };
}

/** Orders a delivery of the shot as it is set now. @throws IvrexError badSetting, notFound, missingFrame */
export async function orderDelivery({ database, config, queue }: Services, shotId: ShotId, options: DeliveryOptions): Promise<Delivery> {
  const { shot, settings, passes } = await shotDetail(database, shotId);
  const { beauty } = readyElement(settings);
  const pass = passes.find((p) => p.id === beauty);
  const frames = (pass?.frames ?? [shot.firstFrame]).filter((f) => f >= options.firstFrame && f <= options.lastFrame);
  if (frames.length === 0)
    throw new IvrexError('missingFrame', `the beauty has no frame from ${options.firstFrame} to ${options.lastFrame}`);
  const folder = path.join(config.deliveriesFolder, shot.name, options.name);
  const id = await insertDelivery(database, { shotId, folder, pattern: `${options.name}.####.exr`, options, settings, frames });
  await queue.send(id, frames);
  return delivery(database, id);
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
  const shutter = row.settings.elements[0].shutter ?? row.settings.shutter;
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
    const settings = shotSettingsSchema.parse(row.settings);
    const { sources, shutter } = await frameSources(database, row.shotId, settings, frame);
    const blurred = await pool.blur(
      {
        sources,
        path: settings.path,
        hidden: settings.hidden,
        limits: shutter,
        settings: { shutter: shutterAt(shutter, frame), quality: 'final', samples: settings.samples },
      },
      signal,
    );
    const file = path.join(row.folder, row.pattern.replace('####', String(frame).padStart(4, '0')));
    await pool.save(blurred, file, row.options.type, row.options.compression, signal);
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

/** The files of one frame under the shot's settings. @throws IvrexError badSetting, missingFrame */
export async function frameSources(
  db: Db,
  shotId: ShotId,
  settings: ShotSettings,
  frame: number,
): Promise<{ sources: FrameSources; shutter: ShutterPlan }> {
  const element = readyElement(settings);
  const passes = await listPasses(db, shotId, settings);
  const filesAt = async (number: number): Promise<FrameFiles> => {
    const at = (passId: PassId): Promise<PassFile> => passFileAt(db, passId, number, settings);
    return {
      beauty: await pictureFileAt(db, element.beauty, number, { settings }),
      motion: await at(element.motion),
      depth: element.depth && (await at(element.depth)),
      ids: element.ids && (await at(element.ids)),
    };
  };
  // A lone file is no neighbour of itself.
  const isSequence = passes.find((p) => p.id === element.beauty)?.frames !== null;
  const neighbour = async (number: number): Promise<FrameFiles | null> => {
    try {
      return isSequence ? await filesAt(number) : null;
    } catch (error) {
      if (error instanceof IvrexError && error.code === 'missingFrame') return null;
      throw error;
    }
  };
  const fps = settings.fps ?? passes.find((p) => p.id === element.beauty)?.fps ?? null;
  return {
    shutter: element.shutter,
    sources: {
      ...(await filesAt(frame)),
      previous: await neighbour(frame - 1),
      next: await neighbour(frame + 1),
      background: settings.background && (await pictureFileAt(db, settings.background, frame, { settings })),
      encoding: element.encoding,
      repairs: settings.elements[0].repairs,
      fps,
    },
  };
}
