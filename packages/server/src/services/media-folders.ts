import { readdir, realpath } from 'node:fs/promises';
import path from 'node:path';
import type { FolderListing } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { groupNames, patternName, reasonOf } from '@ivrex/media';
import { listShots } from '../db/queries/list-shots';
import type { Resources } from './resources';

/** The folder's real path, links followed; it must lie in a folder that the settings allow. @throws IvrexError forbidden, missingFile */
export async function assertInsideMedia(allowed: readonly string[], folder: string): Promise<string> {
  const real = await realpath(folder).catch((error: unknown) => {
    throw new IvrexError('missingFile', reasonOf(error), folder);
  });
  for (const root of allowed) {
    const realRoot = await realpath(root).catch(() => null);
    if (realRoot !== null && (real === realRoot || real.startsWith(realRoot + path.sep))) return real;
  }
  throw new IvrexError(
    'forbidden',
    `this folder is outside the media folders (${allowed.join(', ')}); add it with IVREX_MEDIA, or move the files`,
    folder,
  );
}

/** What is in one folder; without one, the media folders themselves. @throws IvrexError forbidden, missingFile */
export async function listFolder(
  { database, config }: Pick<Resources, 'database' | 'config'>,
  folder: string | null,
): Promise<FolderListing> {
  const shots = new Map((await listShots(database)).map((shot) => [shot.folder, shot.id]));
  const describe = (full: string) => ({ name: path.basename(full), folder: full, shotId: shots.get(full) ?? null });
  if (folder === null) {
    const roots = await Promise.all(config.mediaFolders.map((root) => realpath(root).catch(() => null)));
    const uploads = await realpath(config.uploadsFolder).catch(() => null);
    return {
      folder: '',
      parent: null,
      shotId: null,
      folders: roots.filter((root) => root !== null && root !== uploads).map((root) => ({ ...describe(root ?? ''), name: root ?? '' })),
      sequences: [],
    };
  }
  const real = await assertInsideMedia(config.mediaFolders, folder);
  const entries = await readdir(real, { withFileTypes: true });
  const isRoot = (await Promise.all(config.mediaFolders.map((root) => realpath(root).catch(() => null)))).includes(real);
  const folders = entries.filter((e) => e.isDirectory() && !e.name.startsWith('.')).map((e) => describe(path.join(real, e.name)));
  const names = entries.filter((e) => e.isFile() && !e.name.startsWith('.')).map((e) => e.name);
  return {
    folder: real,
    shotId: shots.get(real) ?? null,
    parent: isRoot ? '' : path.dirname(real),
    folders: folders.sort((a, b) => (a.name < b.name ? -1 : 1)),
    sequences: groupNames(real, names).map((s) => ({
      name: patternName(s.pattern),
      frames: Math.max(1, s.frames.length),
      missing: s.missing.length,
    })),
  };
}
