import path from 'node:path';
import type { DeliveryId, ShotId, WorkerId } from '@ivrex/contract';
import { IvrexError, type ErrorCode } from '@ivrex/core';
import { makeOrKeep, mappedDocument, mappedPath, ShotBook, type DeliveryOrder, type MadeFile, type PathMapping } from '@ivrex/media';
import { claimFrame } from '../db/queries/claim-frame';
import { findDeliveryOrder } from '../db/queries/find-delivery-order';
import { findMadeFile } from '../db/queries/find-made-file';
import { finishFrame, type FrameOutcome } from '../db/queries/finish-frame';
import { saveMadeFile } from '../db/queries/save-made-file';
import { settleDeliveries } from '../db/queries/settle-deliveries';
import type { SharedDigests } from './digests';
import type { Resources } from './resources';
import { shotDocument } from './shot-documents';

export interface WorkServices extends Pick<Resources, 'database' | 'pool' | 'now' | 'log'> {
  readonly worker: WorkerId;
  /** How this machine calls the folders that the database knows. */
  readonly mappings: readonly PathMapping[];
  readonly digests: SharedDigests;
}

/** An order with its id and where the database says that its files are. */
export interface OpenOrder extends DeliveryOrder {
  readonly id: DeliveryId;
  readonly shotId: ShotId;
  readonly homeRoot: string;
}

/** @throws IvrexError notFound */
export async function openOrder({ database, mappings, digests }: WorkServices, id: DeliveryId): Promise<OpenOrder> {
  const order = await findDeliveryOrder(database, id);
  if (order === null) throw new IvrexError('notFound', 'there is no such delivery');
  const { options, settings, root: homeRoot, shotId, frames } = order;
  const document = order.document ?? (await shotDocument(database, shotId, { settings }));
  const root = mappedPath(homeRoot, mappings);
  const home = (file: string) => path.join(homeRoot, path.relative(root, file));
  const made = {
    find: (file: string) => findMadeFile(database, home(file)),
    save: (file: string, known: MadeFile) => saveMadeFile(database, home(file), known),
  };
  return { id, shotId, options, book: new ShotBook(mappedDocument(document, mappings)), root, homeRoot, frames, made, digests };
}

/** Times that a frame is tried when its trouble may pass. */
const MOST_TRIES = 3;
/** Seconds before the second try; doubled before the third. */
const FIRST_WAIT = 2;
/** Trouble that may be gone in a moment: a disk that fills up or comes back, a file that is still being copied. */
const PASSING: readonly ErrorCode[] = ['missingFile', 'truncated', 'damaged', 'notAnImage', 'cannotWrite', 'internal'];

/** Renders one frame of a delivery, if it still waits. Trouble with the frame is kept with it and does not stop the others. */
export async function renderDeliveryFrame(
  services: WorkServices,
  order: OpenOrder,
  frame: number,
  signal: AbortSignal,
): Promise<'made' | 'kept' | 'failed' | 'not mine'> {
  const { database, pool, worker, now, log } = services,
    { id } = order;
  const attempt = await claimFrame(database, id, frame, worker);
  if (attempt === null) return 'not mine';
  const started = now().getTime();
  const finish = (outcome: FrameOutcome) => finishFrame(database, id, frame, worker, outcome);
  let came: 'made' | 'kept' | 'failed';
  try {
    const made = await makeOrKeep(pool, order, frame, signal);
    await finish({ state: 'done', milliseconds: now().getTime() - started, ...made });
    came = made.kept ? 'kept' : 'made';
  } catch (error) {
    came = 'failed';
    if (error instanceof IvrexError && error.code === 'cancelled') await finish({ state: 'waiting', untried: true });
    else {
      if (!(error instanceof IvrexError) || error.code === 'internal')
        log.error({ err: error, deliveryId: id, frame }, 'a frame failed unexpectedly');
      const message = messageOf(error);
      const passes = !(error instanceof IvrexError) || PASSING.includes(error.code);
      await finish(
        passes && attempt < MOST_TRIES
          ? { state: 'waiting', error: message, retryInSeconds: FIRST_WAIT * 2 ** (attempt - 1) }
          : { state: 'failed', error: message },
      );
    }
  }
  await settleDeliveries(database, id);
  return came;
}

export function messageOf(error: unknown): string {
  if (!(error instanceof IvrexError) || error.code === 'internal') return 'something unexpected went wrong; the log says more';
  return `${error.file === undefined ? '' : `${error.file}: `}${error.message}`;
}
