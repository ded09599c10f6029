import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import { besideName, fileNameOf, filesOf, loneElement, shutterOfElement, writtenDocument, type DeliveryOptions } from '@ivrex/contract';
import { describeShutter, IvrexError } from '@ivrex/core';
import { assertBelow, removeLeftovers, writeFileAtomic } from '../files/atomic-write';
import type { BlurPool } from '../tasks/blur-pool';
import { fileRequests, makeFiles, type FileRequest } from './deliver-frame';
import { elementOf, rateOf } from './element-frames';
import { stampOf } from '../files/files-read';
import { frameKey, hashFile, type Digests } from './frame-key';
import { makeReviewMovie } from '../writers/review-movie';
import { relativeDocument, type ShotBook } from './shot-book';

/** What is known of a file that was written. */
export interface MadeFile {
  readonly key: string;
  /** Null: not known, the file is whole. */
  readonly sha256: string | null;
  readonly bytes: number;
}

/** Remembers what was written where. */
export interface MadeFiles {
  find(file: string): Promise<MadeFile | null>;
  save(file: string, made: MadeFile): Promise<void>;
}

/** A delivery as this machine sees it. */
export interface DeliveryOrder {
  readonly options: DeliveryOptions;
  readonly book: ShotBook;
  /** The folder that files are below. */
  readonly root: string;
  readonly frames: readonly number[];
  readonly made: MadeFiles;
  readonly digests: Digests;
  /** Whether its movies are there, made of the same; asked for once. */
  standing?: Promise<boolean>;
}

export interface MadeFrame {
  readonly kept: boolean;
  readonly bytes: number | null;
  /** What was odd, in sentences. */
  readonly notes: readonly string[];
}

const KEPT: MadeFrame = { kept: true, bytes: null, notes: [] };
/** Sources that change again and again are taken as they are in the end. */
const MOST_READS = 3;

/** One frame's files: left as they are where the order says so, else written. @throws IvrexError about the file that is at fault */
export async function makeOrKeep(pool: BlurPool, order: DeliveryOrder, frame: number, signal?: AbortSignal): Promise<MadeFrame> {
  const { options, book, root, made, digests } = order;
  const isNew = options.existing === 'replace';
  if (options.form.kind === 'movie' && !isNew && (await (order.standing ??= moviesStand(order)))) return KEPT;
  const requests = fileRequests(book, options, root, frame);
  if (options.existing === 'keep' && (await allThere(requests))) return KEPT;
  for (const { file } of requests) {
    await assertBelow(root, file);
    await removeLeftovers(file);
  }
  for (let read = 1; ; read++) {
    const key = await frameKey(requests, digests);
    if (!isNew && (await isAsMade(requests, key, made))) return KEPT;
    const files = await makeFiles(pool, requests, frame, key, signal);
    // A source that was written anew meanwhile may have been read half old, half new.
    if (read < MOST_READS && key !== (await frameKey(requests, digests))) continue;
    for (const { file, sha256, bytes } of files) await made.save(file, { key, sha256, bytes });
    return { kept: false, bytes: files.reduce((sum, f) => sum + f.bytes, 0), notes: [...new Set(files.flatMap((f) => f.warnings))] };
  }
}

async function allThere(requests: readonly FileRequest[]): Promise<boolean> {
  for (const { file } of requests) if ((await stampOf(file)) === null) return false;
  return true;
}

/** Whether every file holds what was made of the same, byte by byte. */
async function isAsMade(requests: readonly Pick<FileRequest, 'file'>[], key: string, made: MadeFiles): Promise<boolean> {
  for (const { file } of requests) {
    const known = await made.find(file);
    if (known === null || known.key !== key) return false;
    if (known.sha256 !== null && (await hashFile(file).catch(() => null)) !== known.sha256) return false;
  }
  return true;
}

/** Of movies when neither the shot nor its files say a rate. */
const USUAL_RATE = 24;

interface MovieRequest {
  readonly file: string;
  readonly fps: number;
  /** Burnt into every frame; null for none. */
  readonly caption: string | null;
}

/** Each at the rate of what it shows, and with its shutter. */
function moviesOf({ options, book, root }: DeliveryOrder): MovieRequest[] {
  const { form, version } = options,
    { name: shot } = book.document;
  return filesOf(options).map(({ name, products }) => {
    const element = elementOf(book.settings, loneElement(products));
    const caption = `${shot}  v${String(version).padStart(3, '0')}  ${describeShutter(shutterOfElement(book.settings, element))}`;
    return {
      file: path.join(root, fileNameOf(options, shot, name, null)),
      fps: rateOf(book, element.beauty) ?? USUAL_RATE,
      caption: form.kind === 'movie' && form.burnIn ? caption : null,
    };
  });
}

/** Stands for all that movies depend on: every frame, and how they are put together. */
async function movieKey(order: DeliveryOrder): Promise<string> {
  const { digests, options, book, root, frames } = order,
    keys: string[] = [];
  for (const frame of frames) keys.push(await frameKey(fileRequests(book, options, root, frame), digests));
  const movies = moviesOf(order).map(({ fps, caption }) => ({ fps, caption }));
  return createHash('sha256')
    .update(JSON.stringify([keys, frames, options.form, movies]))
    .digest('hex');
}

/** Whether all movies of the delivery are there: under "keep" whatever is in them, else made of the same. */
async function moviesStand(order: DeliveryOrder): Promise<boolean> {
  const movies = moviesOf(order);
  for (const { file } of movies) if ((await stampOf(file)) === null) return false;
  if (order.options.existing === 'keep') return true;
  const key = await movieKey(order).catch(() => null);
  return key !== null && isAsMade(movies, key, order.made);
}

/**
 * Once all frames are made: movies, checksums, and the shot's document beside them. Returns those files.
 * @throws IvrexError missingFile when a frame is not there, cannotWrite, cancelled
 */
export async function finishFiles(order: DeliveryOrder, fontFile: string, signal?: AbortSignal): Promise<string[]> {
  const movies = order.options.form.kind === 'movie' ? await makeMovies(order, fontFile, signal) : [];
  return [...movies, ...(await writeFacts(order, movies))];
}

async function makeMovies(order: DeliveryOrder, fontFile: string, signal?: AbortSignal): Promise<string[]> {
  const { options, frames, made, root } = order,
    { form } = options;
  const movies = moviesOf(order),
    files = movies.map(({ file }) => file);
  if (form.kind !== 'movie' || (options.existing !== 'replace' && (await moviesStand(order)))) return files;
  const key = await movieKey(order);
  for (const { file, fps, caption } of movies) {
    await assertBelow(root, file);
    await removeLeftovers(file);
    await makeReviewMovie({ movie: file, codec: form.codec, frames, fps, caption, fontFile }, signal);
    await made.save(file, { key, sha256: await hashFile(file), bytes: 0 });
  }
  return files;
}

/** The list of checksums (as "sha256sum -c" reads it) and the shot in one document that can be rendered again. */
async function writeFacts({ options, book, root, frames, made }: DeliveryOrder, movies: readonly string[]): Promise<string[]> {
  const { document } = book;
  const beside = path.join(root, besideName(options, document.name)),
    folder = path.dirname(beside);
  const files =
    options.form.kind === 'movie' ? movies : frames.flatMap((frame) => fileRequests(book, options, root, frame).map(({ file }) => file));
  await assertBelow(root, beside);
  const sums = `${beside}.sha256`,
    shot = `${beside}.shot.json`;
  const lines = await otherSums(sums, new Set(files));
  for (const file of files) {
    if ((await stampOf(file)) === null) throw new IvrexError('missingFile', 'it belongs to the delivery, and is not there', file);
    // Files that were to be left alone hold whatever they hold.
    const known = options.existing === 'keep' ? null : await made.find(file);
    lines.push({ file, sha256: known?.sha256 ?? (await hashFile(file)) });
  }
  lines.sort((a, b) => (a.file < b.file ? -1 : 1));
  const list = lines.map(({ file, sha256 }) => `${sha256}  ${path.relative(folder, file)}\n`);
  await writeFileAtomic(sums, Buffer.from(list.join('')));
  const written = writtenDocument(relativeDocument({ ...document, deliver: options }, folder));
  await writeFileAtomic(shot, Buffer.from(`${JSON.stringify(written, null, 2)}\n`));
  return [sums, shot];
}

/** Of an earlier delivery of other frames to the same place: those of its files that are still there keep their checksums. */
async function otherSums(sums: string, mine: ReadonlySet<string>): Promise<{ file: string; sha256: string }[]> {
  const text = await readFile(sums, 'utf8').catch(() => '');
  const out: { file: string; sha256: string }[] = [];
  for (const [, sha256, name] of text.matchAll(/^([0-9a-f]{64}) {2}(.+)$/gm)) {
    const file = path.join(path.dirname(sums), name);
    if (!mine.has(file) && (await stampOf(file)) !== null) out.push({ file, sha256 });
  }
  return out;
}
