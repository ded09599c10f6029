import { readdir, statfs } from 'node:fs/promises';
import path from 'node:path';
import {
  bytesText,
  fileNameOf,
  filesOf,
  framesToDeliver,
  isPicture,
  type DeliveryOptions,
  type DeliveryPlan,
  type Product,
  type ShotId,
} from '@ivrex/contract';
import { IvrexError, TRUST_CAUSES } from '@ivrex/core';
import { assertDeliverable, fileRequests, frameKey, framesThere, type FileRequest, type ShotBook } from '@ivrex/media';
import { findMadeFile } from '../db/queries/find-made-file';
import { measureDeliveries } from '../db/queries/measure-deliveries';
import { SharedDigests } from './digests';
import type { Resources } from './resources';
import { measuredBook } from './measured-depth';

type PlanServices = Pick<Resources, 'database' | 'config' | 'pool' | 'depths'>;

/** What an order comes to, with the version that it gets. */
export interface PlannedDelivery {
  readonly plan: DeliveryPlan;
  readonly options: DeliveryOptions;
  readonly book: ShotBook;
}

/** What a delivery will be: frames, files, time and disk. What stands in its way is said in the plan. @throws IvrexError notFound */
export async function planDelivery(services: PlanServices, shotId: ShotId, asked: DeliveryOptions): Promise<PlannedDelivery> {
  const { database, config } = services,
    root = config.deliveriesFolder;
  const book = await measuredBook(services, shotId),
    { document } = book;
  const faults: string[] = [];
  try {
    assertDeliverable(book, asked);
  } catch (error) {
    if (!(error instanceof IvrexError)) throw error;
    faults.push(error.message);
  }
  const frames = faults.length > 0 ? [] : framesToDeliver(asked, framesThere(book, asked));
  if (faults.length === 0 && frames.length === 0) faults.push(`there is no frame from ${asked.firstFrame} to ${asked.lastFrame}`);
  const version = asked.existing === 'versionUp' ? await freeVersion(root, document.name, asked, frames) : asked.version;
  const options = { ...asked, version };
  const requests = frames.map((frame) => ({ frame, ...requestsOr(book, options, root, frame) }));
  const kept = faults.length > 0 || asked.existing === 'replace' ? 0 : await countKept(services, requests);
  const measure = await measureDeliveries(database, shotId, options);
  const left = frames.length - kept;
  const perFrame = measure.bytes ?? mostBytes(book, options);
  const bytes = Math.ceil(perFrame * left);
  const freeBytes = await freeSpace(root);
  if (freeBytes !== null && bytes > freeBytes)
    faults.push(
      `it needs ${measure.bytes === null ? 'up to' : 'about'} ${bytesText(bytes)}, and ${root} has ${bytesText(freeBytes)} left; make room, or deliver fewer frames or a smaller form`,
    );
  const files = filesOf(options);
  return {
    book,
    options,
    plan: {
      frames,
      kept,
      missing: wantedFrames(options).filter((f) => !frames.includes(f)),
      failing: requests.flatMap(({ frame, message }) => (message === null ? [] : [{ frame, message }])),
      root,
      example: fileNameOf(options, document.name, files[0].name, frames[0] ?? options.firstFrame),
      files: files.length * (options.form.kind === 'movie' ? 1 : frames.length),
      version,
      seconds: measure.milliseconds === null ? null : (measure.milliseconds * left) / 1000,
      bytes,
      measured: measure.bytes !== null,
      freeBytes,
      faults,
    },
  };
}

/** Longer ranges are not spelled out. */
const MOST_LISTED = 10000;

/** The range itself, without handles: those are taken where they are. */
function wantedFrames({ firstFrame, lastFrame, every }: DeliveryOptions): number[] {
  const count = Math.min(MOST_LISTED, Math.floor((lastFrame - firstFrame) / every) + 1);
  return Array.from({ length: count }, (_, i) => firstFrame + i * every);
}

/** The first version of which no file is there. */
async function freeVersion(root: string, shot: string, options: DeliveryOptions, frames: readonly number[]): Promise<number> {
  const names = filesOf(options).map((f) => f.name),
    listed = new Map<string, Set<string>>();
  const isThere = async (file: string): Promise<boolean> => {
    const folder = path.dirname(file),
      known = listed.get(folder) ?? new Set(await readdir(folder).catch(() => []));
    listed.set(folder, known);
    return known.has(path.basename(file));
  };
  const isTaken = async (version: number): Promise<boolean> => {
    for (const name of names)
      for (const frame of options.form.kind === 'movie' ? frames.slice(0, 1) : frames)
        if (await isThere(path.join(root, fileNameOf({ ...options, version }, shot, name, frame)))) return true;
    return false;
  };
  for (let version = options.version; version < 9999; version++) if (!(await isTaken(version))) return version;
  return 9999;
}

/** Frames whose files are there and would come out the same, as far as is known without reading pixels. The worker that makes them looks closer. */
async function countKept({ database }: PlanServices, frames: readonly PlannedFrame[]): Promise<number> {
  const { peek } = new SharedDigests(database);
  let kept = 0;
  for (const { requests } of frames) {
    if (requests === null) continue;
    const known = await Promise.all(requests.map(({ file }) => findMadeFile(database, file)));
    const [first] = known;
    if (first === null || known.some((k) => k?.key !== first.key)) continue;
    if (first.key === (await frameKey(requests, peek))) kept++;
  }
  return kept;
}

/** Null with what is missing for it. */
interface PlannedFrame {
  readonly requests: FileRequest[] | null;
  readonly message: string | null;
}

function requestsOr(book: ShotBook, options: DeliveryOptions, root: string, frame: number): PlannedFrame {
  try {
    return { requests: fileRequests(book, options, root, frame), message: null };
  } catch (error) {
    if (error instanceof IvrexError)
      return { requests: null, message: `${error.file ? `${path.basename(error.file)}: ` : ''}${error.message}` };
    throw error;
  }
}

/** Bytes that one frame takes at most: without compression. */
function mostBytes({ document }: ShotBook, { what, form }: DeliveryOptions): number {
  const pixels = document.width * document.height;
  const channels = (product: Product): number => {
    if (isPicture(product)) return 4;
    return product.kind === 'matte' ? 1 : product.kind === 'trust' ? 1 + TRUST_CAUSES.length : 4;
  };
  const samples = what.reduce((sum, product) => sum + channels(product), 0) * pixels;
  switch (form.kind) {
    case 'exr':
      return samples * (form.type === 'half' ? 2 : 4);
    case 'tiff':
    case 'png':
      return samples * { u8: 1, u16: 2, float: 4 }[form.depth];
    case 'movie':
      // Frames wait as PNG until the movie is made.
      return pixels * what.length * (form.codec === 'prores' ? 6 + 3 : 3 + 1);
  }
}

/** Null where the system does not say. A folder that is not there yet is on its parent's disk. */
async function freeSpace(folder: string): Promise<number | null> {
  for (let at = folder; ; at = path.dirname(at)) {
    const there = await statfs(at).catch(() => null);
    if (there !== null) return there.bavail * there.bsize;
    if (at === path.dirname(at)) return null;
  }
}

/** What identifies the files of a delivery: no two write the same at one time. */
export function placeOf(root: string, shot: string, options: DeliveryOptions): string {
  return path.join(root, fileNameOf({ ...options, pattern: options.pattern.replaceAll('{what}', '*') }, shot, '', null));
}
