import { createHash } from 'node:crypto';
import path from 'node:path';
import { fileNameOf, filesOf, type DeliveryId, type DeliveryOptions, type WorkerId } from '@ivrex/contract';
import { IvrexError, type ErrorCode } from '@ivrex/core';
import {
  fileRequests,
  frameKey,
  hashFile,
  makeFiles,
  mappedDocument,
  mappedPath,
  removeLeftovers,
  ShotBook,
  stampOf,
  type FileRequest,
  type PathMapping,
} from '@ivrex/media';
import { claimFrame } from '../db/queries/claim-frame';
import { findDeliveryOrder } from '../db/queries/find-delivery-order';
import { findMadeFile } from '../db/queries/find-made-file';
import { finishFrame, type FrameOutcome } from '../db/queries/finish-frame';
import { saveMadeFile } from '../db/queries/save-made-file';
import { settleDeliveries } from '../db/queries/settle-deliveries';
import type { SharedDigests } from './digests';
import type { Services } from './services';
import { shotDocument } from './shot-documents';

export interface WorkServices extends Pick<Services, 'database' | 'pool' | 'now' | 'log'> {
  readonly worker: WorkerId;
  /** How this machine calls the folders that the database knows. */
  readonly mappings: readonly PathMapping[];
  readonly digests: SharedDigests;
}

/** A delivery as this machine sees it. */
export interface OpenOrder {
  readonly id: DeliveryId;
  readonly options: DeliveryOptions;
  readonly book: ShotBook;
  /** The folder that files are below, here and in the database. */
  readonly root: string;
  readonly homeRoot: string;
  readonly frames: readonly number[];
  /** Whether its movies are there, made of the same; asked for once. */
  standing?: Promise<boolean>;
}

/** @throws IvrexError notFound */
export async function openOrder({ database, mappings }: WorkServices, id: DeliveryId): Promise<OpenOrder> {
  const order = await findDeliveryOrder(database, id);
  if (order === null) throw new IvrexError('notFound', 'there is no such delivery');
  const { options, settings, root, shotId, frames } = order;
  const document = order.document ?? (await shotDocument(database, shotId, { settings }));
  return { id, options, book: new ShotBook(mappedDocument(document, mappings)), root: mappedPath(root, mappings), homeRoot: root, frames };
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
  const { database, worker, now, log } = services,
    { id } = order;
  const attempt = await claimFrame(database, id, frame, worker);
  if (attempt === null) return 'not mine';
  const started = now().getTime();
  const finish = (outcome: FrameOutcome) => finishFrame(database, id, frame, worker, outcome);
  let came: 'made' | 'kept' | 'failed';
  try {
    const made = await makeOrKeep(services, order, frame, signal);
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

interface Made {
  readonly kept: boolean;
  readonly bytes: number | null;
  readonly notes: readonly string[];
}
const KEPT: Made = { kept: true, bytes: null, notes: [] };

async function makeOrKeep(services: WorkServices, order: OpenOrder, frame: number, signal: AbortSignal): Promise<Made> {
  const { database, pool, digests } = services,
    { options, book, root, homeRoot } = order;
  if (options.form.kind === 'movie' && options.existing !== 'replace' && (await (order.standing ??= moviesStand(services, order))))
    return KEPT;
  const requests = fileRequests(book, options, root, frame);
  const home = (file: string) => path.join(homeRoot, path.relative(root, file));
  if (options.existing === 'keep' && (await allThere(requests))) return KEPT;
  for (const { file } of requests) await removeLeftovers(file);
  for (let again = 0; ; again++) {
    const key = await frameKey(requests, digests);
    if (options.existing !== 'replace' && (await isAsMade(requests, key, (file) => findMadeFile(database, home(file))))) return KEPT;
    const files = await makeFiles(pool, requests, frame, key, signal);
    // A source that was written anew meanwhile may have been read half old, half new.
    if (again < MOST_TRIES && key !== (await frameKey(requests, digests))) continue;
    for (const { file, sha256, bytes } of files) await saveMadeFile(database, home(file), { key, sha256, bytes });
    return { kept: false, bytes: files.reduce((sum, f) => sum + f.bytes, 0), notes: [...new Set(files.flatMap((f) => f.warnings))] };
  }
}

/** The movies of a delivery, in the order of its products. */
function moviesOf({ options, book, root }: OpenOrder): string[] {
  return filesOf(options).map(({ name }) => path.join(root, fileNameOf(options, book.document.name, name, null)));
}

/** Stands for all that movies depend on: those of every frame, and how they are put together. */
export async function movieKey({ digests }: WorkServices, { options, book, root, frames }: OpenOrder): Promise<string> {
  const keys: string[] = [];
  for (const frame of frames) keys.push(await frameKey(fileRequests(book, options, root, frame), digests));
  return createHash('sha256')
    .update(JSON.stringify([keys, frames, options.form, options.version]))
    .digest('hex');
}

/** Whether all movies of the delivery are there: under "keep" whatever is in them, else made of the same, byte by byte. */
export async function moviesStand(services: WorkServices, order: OpenOrder): Promise<boolean> {
  const movies = moviesOf(order);
  for (const movie of movies) if ((await stampOf(movie)) === null) return false;
  if (order.options.existing === 'keep') return true;
  const key = await movieKey(services, order).catch(() => null);
  for (const movie of movies) {
    const made = await findMadeFile(services.database, path.join(order.homeRoot, path.relative(order.root, movie)));
    if (made === null || made.key !== key || (await hashFile(movie).catch(() => null)) !== made.sha256) return false;
  }
  return true;
}

async function allThere(requests: readonly FileRequest[]): Promise<boolean> {
  for (const { file } of requests) if ((await stampOf(file)) === null) return false;
  return true;
}

/** Whether every file holds what was made of the same, byte by byte. */
async function isAsMade(
  requests: readonly FileRequest[],
  key: string,
  madeAt: (file: string) => Promise<{ key: string; sha256: string } | null>,
): Promise<boolean> {
  for (const { file } of requests) {
    const made = await madeAt(file);
    if (made?.key !== key || (await hashFile(file).catch(() => null)) !== made.sha256) return false;
  }
  return true;
}
