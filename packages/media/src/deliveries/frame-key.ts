import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { IvrexError } from '@ivrex/core';
import { codeOf, reasonOf } from '../files/atomic-write';
import type { FileRequest } from './deliver-frame';
import { fileOnDisk, parseMovieFrame } from '../files/movie-path';
import { filesRead, replaceFiles, stampOf } from '../files/files-read';

/** Another one whenever the same inputs and settings come out otherwise: everything is made anew then. */
export const FORM = 'frame 10';

/** What files hold. */
export interface Digests {
  /** SHA-256 of the file's bytes, hexadecimal; null when it can't be read. */
  digestOf(file: string): Promise<string | null>;
}

/** SHA-256 of a file's bytes, hexadecimal. @throws IvrexError missingFile */
export async function hashFile(file: string): Promise<string> {
  const hash = createHash('sha256');
  try {
    await pipeline(createReadStream(file, { highWaterMark: 1 << 20 }), hash);
  } catch (error) {
    if (codeOf(error) !== null) throw new IvrexError('missingFile', reasonOf(error), file);
    throw error;
  }
  return hash.digest('hex');
}

/** Digests that are kept while the process lives. */
export class KnownDigests implements Digests {
  private readonly known = new Map<string, { readonly stamp: string; readonly digest: string }>();

  async digestOf(file: string): Promise<string | null> {
    const stamp = await stampOf(file);
    if (stamp === null) return null;
    const known = this.known.get(file);
    if (known?.stamp === stamp) return known.digest;
    const digest = await hashFile(file).catch(() => null);
    if (digest !== null) this.known.set(file, { stamp, digest });
    return digest;
  }
}

/**
 * Stands for everything that a frame's files depend on: what the files that are read hold (not where they are), all settings, the form. Equal
 * keys mean equal bytes.
 */
export async function frameKey(requests: readonly FileRequest[], digests: Digests): Promise<string> {
  const contents = new Map<string, string>();
  for (const file of filesRead(requests.map((r) => r.layers))) contents.set(file, (await digests.digestOf(file)) ?? 'not there');
  const nameless = requests.map(({ layers, form, attributes }) => ({ layers, form, attributes: [...attributes] }));
  const replaced = replaceFiles(nameless, (file) => `${contents.get(fileOnDisk(file)) ?? ''} ${parseMovieFrame(file)?.frame ?? ''}`);
  return createHash('sha256')
    .update(JSON.stringify([FORM, replaced]))
    .digest('hex');
}
