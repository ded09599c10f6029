import path from 'node:path';
import { besideName, fileNameOf, filesOf, shutterOfElement, writtenDocument, type DeliveryId } from '@ivrex/contract';
import { describeShutter, IvrexError } from '@ivrex/core';
import { fileRequests, hashFile, makeReviewMovie, rateOf, relativeDocument, removeLeftovers, stampOf, writeFileAtomic } from '@ivrex/media';
import { claimFinish } from '../db/queries/claim-finish';
import { endDelivery } from '../db/queries/end-delivery';
import { findMadeFile } from '../db/queries/find-made-file';
import { saveMadeFile } from '../db/queries/save-made-file';
import { messageOf, movieKey, moviesStand, openOrder, type OpenOrder, type WorkServices } from './delivery-work';

/** Of movies when neither the shot nor its files say a rate. */
const USUAL_RATE = 24;

export interface FinishServices extends WorkServices {
  readonly fontFile: string;
}

/** Once all frames are made: movies, checksums, and the shot's document beside them. Whoever takes it does all of it. */
export async function finishDelivery(services: FinishServices, id: DeliveryId, signal: AbortSignal): Promise<void> {
  const { database, worker, log } = services;
  if (!(await claimFinish(database, id, worker))) return;
  try {
    const order = await openOrder(services, id);
    const movies = order.options.form.kind === 'movie' ? await makeMovies(services, order, signal) : [];
    const facts = await writeFacts(services, order, movies);
    await endDelivery(
      database,
      id,
      worker,
      [...movies, ...facts].map((file) => homePath(order, file)),
      null,
    );
  } catch (error) {
    // A worker that ends gives it back; a cancelled delivery is no longer in this state.
    if (error instanceof IvrexError && error.code === 'cancelled') return;
    if (!(error instanceof IvrexError)) log.error({ err: error, deliveryId: id }, 'a delivery could not be finished');
    await endDelivery(database, id, worker, [], messageOf(error));
  }
}

function homePath({ root, homeRoot }: OpenOrder, file: string): string {
  return path.join(homeRoot, path.relative(root, file));
}

async function makeMovies(services: FinishServices, order: OpenOrder, signal: AbortSignal): Promise<string[]> {
  const { options, book, root, frames } = order,
    { form } = options;
  if (form.kind !== 'movie') return [];
  const movies = filesOf(options).map(({ name }) => path.join(root, fileNameOf(options, book.document.name, name, null)));
  if (options.existing !== 'replace' && (await moviesStand(services, order))) return movies;
  const key = await movieKey(services, order);
  const [element] = book.settings.elements;
  const caption = `${book.document.name}  v${String(options.version).padStart(3, '0')}  ${describeShutter(shutterOfElement(book.settings, element))}`;
  for (const movie of movies) {
    await removeLeftovers(movie);
    const fps = rateOf(book, element.beauty) ?? USUAL_RATE;
    await makeReviewMovie(
      { movie, codec: form.codec, frames, fps, caption: form.burnIn ? caption : null, fontFile: services.fontFile },
      signal,
    );
    const sha256 = await hashFile(movie);
    await saveMadeFile(services.database, homePath(order, movie), { key, sha256, bytes: 0 });
  }
  return movies;
}

/** The list of checksums (as "sha256sum -c" reads it) and the shot in one document that can be rendered again. */
async function writeFacts({ database }: WorkServices, order: OpenOrder, movies: readonly string[]): Promise<string[]> {
  const { options, book, root, frames } = order,
    { document } = book;
  const beside = path.join(root, besideName(options, document.name)),
    folder = path.dirname(beside);
  const files =
    options.form.kind === 'movie' ? movies : frames.flatMap((frame) => fileRequests(book, options, root, frame).map(({ file }) => file));
  const lines: string[] = [];
  for (const file of files) {
    if ((await stampOf(file)) === null) throw new IvrexError('missingFile', 'it was delivered, and is gone again', file);
    // Files that were to be left alone hold whatever they hold.
    const made = options.existing === 'keep' ? null : await findMadeFile(database, homePath(order, file));
    const sha256 = made?.sha256 ?? (await hashFile(file));
    lines.push(`${sha256}  ${path.relative(folder, file)}\n`);
  }
  const sums = `${beside}.sha256`,
    shot = `${beside}.shot.json`;
  await writeFileAtomic(sums, Buffer.from(lines.join('')));
  await writeFileAtomic(
    shot,
    Buffer.from(`${JSON.stringify(writtenDocument(relativeDocument({ ...document, deliver: options }, folder)), null, 2)}\n`),
  );
  return [sums, shot];
}
