import { stat } from 'node:fs/promises';
import type { PassId, PictureChoice, ShotSettings } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { cryptomatteOf, fileOnDisk, loadHeader, passFileOf, pictureOf, type PassFile, type PictureFile } from '@ivrex/media';
import type { Db } from '../db/database';
import { findPassFile, type PassPlace } from '../db/queries/find-pass-file';
import { Recent } from './recent';
import type { Resources } from './resources';

/** With `settings`, as a state of the shot numbers and reads it; else as the shot does now. */
async function placeOf(db: Db, passId: PassId, settings: Decided | null = null): Promise<PassPlace> {
  const found = await findPassFile(db, passId);
  if (found === null)
    throw new IvrexError('notFound', "there is no such pass; the shot's files may have changed, look again at its folder");
  if (settings === null) return found;
  return { ...found, offset: settings.offsets[found.sequenceId] ?? 0, reading: settings.readings[found.id] ?? null };
}

type Decided = Pick<ShotSettings, 'offsets' | 'readings'>;

/** The file of a pass at a frame of the shot. A lone file serves every frame. @throws IvrexError notFound, missingFrame */
export async function passFileAt(db: Db, passId: PassId, frame: number, settings: Decided | null = null): Promise<PassFile> {
  return passFileOf(await placeOf(db, passId, settings), frame);
}

/** The same for a picture, with how the shot reads it, or with another reading to be looked at. */
export async function pictureFileAt(
  db: Db,
  passId: PassId,
  frame: number,
  { tried = null, settings = null }: { tried?: PictureChoice | null; settings?: Decided | null } = {},
): Promise<PictureFile> {
  const place = await placeOf(db, passId, settings);
  const choice = tried ?? place.reading ?? place.usual;
  return pictureOf(passFileOf(place, frame), choice, async (picture, pass) => ({
    ...picture,
    alphaFrom: await passFileAt(db, pass, frame, settings),
  }));
}

/** A tag that changes when a file does, or how it is read. */
export async function rasterTag(file: PictureFile): Promise<string> {
  const stamps = await Promise.all(
    [file.file, ...(file.alphaFrom ? [file.alphaFrom.file] : [])].map(async (name) => {
      const there = await stat(fileOnDisk(name)).catch(() => {
        throw new IvrexError('missingFrame', 'the file is no longer there', name);
      });
      return `${there.mtimeMs.toString(36)}-${there.size.toString(36)}`;
    }),
  );
  return `"${stamps.join('-')}-${Buffer.from(JSON.stringify(file.reading ?? null)).toString('base64url')}"`;
}

/** Of frames that were asked for lately; those who look at the same shot share them. About 60 pictures of 960 x 540. */
const MOST_RASTER_BYTES = 256 * 2 ** 20;

export function recentRasters(): Recent<Uint8Array> {
  return new Recent(MOST_RASTER_BYTES, (pixels) => pixels.byteLength);
}

/** `tag` stands for the files as they are now, see `rasterTag`. */
export async function frameRaster(
  { pool, rasters }: Pick<Resources, 'pool' | 'rasters'>,
  file: PictureFile,
  tag: string,
  form: 'picture' | 'planes',
  every: number,
): Promise<Uint8Array> {
  return rasters.of(JSON.stringify([file, tag, form, every]), () =>
    pool.run<'raster'>({ kind: 'raster', request: { pass: file, form, every } }),
  );
}

/** Names of the objects in a Cryptomatte pass. Empty when the file carries no manifest. @throws IvrexError notFound, unsupported */
export async function manifestOf(db: Db, passId: PassId): Promise<{ objects: { name: string; id: number }[] }> {
  const place = await placeOf(db, passId);
  const { file, part, layer } = passFileOf(place, (place.frames[0] ?? 0) - place.offset);
  const crypto = cryptomatteOf(await loadHeader(file), { part, layer });
  if (crypto === null) throw new IvrexError('unsupported', 'this pass is not a Cryptomatte', file);
  return { objects: [...(crypto.manifest ?? [])].map(([name, id]) => ({ name, id })) };
}
