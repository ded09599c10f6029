import { stat } from 'node:fs/promises';
import type { PassId } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { frameFile, type PassFile } from '@ivrex/media';
import type { Db } from '../db/database';
import { findPassFile } from '../db/queries/find-pass-file';
import type { Services } from './services';

/** The file of a pass at a frame. A lone file serves every frame. @throws IvrexError notFound, missingFrame */
export async function passFileAt(db: Db, passId: PassId, frame: number): Promise<PassFile> {
  const found = await findPassFile(db, passId);
  if (found === null)
    throw new IvrexError('notFound', "there is no such pass; the shot's files may have changed, look again at its folder");
  const file = frameFile(found.pattern, frame);
  if (found.pattern.padding !== null && !found.frames.includes(frame))
    throw new IvrexError('missingFrame', `frame ${frame} is missing`, file);
  return { file, part: found.part, layer: found.layer };
}

export interface FrameRaster {
  readonly bytes: Uint8Array;
  readonly tag: string;
}

/** A tag that changes when the file does. */
export async function rasterTag(file: PassFile): Promise<string> {
  const there = await stat(file.file).catch(() => {
    throw new IvrexError('missingFrame', 'the file is no longer there', file.file);
  });
  return `"${there.mtimeMs.toString(36)}-${there.size.toString(36)}"`;
}

export async function frameRaster(
  { pool }: Pick<Services, 'pool'>,
  file: PassFile,
  form: 'picture' | 'planes',
  every: number,
): Promise<Uint8Array> {
  return pool.run<'raster'>({ kind: 'raster', request: { pass: file, form, every } });
}
