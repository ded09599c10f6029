import { readdir, realpath } from 'node:fs/promises';
import path from 'node:path';
import type { MediaFolder } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { listSequences, reasonOf } from '@ivrex/media';
import { listShots } from '../db/queries/list-shots';
import type { Services } from './services';

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

const MAX_DEPTH = 4,
  MAX_FOLDERS = 2000;

/** Folders below the media folders that hold image sequences, and the shots they already are. */
export async function listMediaFolders({ database, config }: Pick<Services, 'database' | 'config'>): Promise<MediaFolder[]> {
  const shots = new Map((await listShots(database)).map((shot) => [shot.folder, shot.id]));
  const out: MediaFolder[] = [];
  let visited = 0;
  const visit = async (folder: string, depth: number): Promise<void> => {
    if (++visited > MAX_FOLDERS) return;
    const entries = await readdir(folder, { withFileTypes: true }).catch(() => []);
    const sequences = entries.some((e) => e.isFile()) ? await listSequences(folder) : [];
    if (sequences.length > 0)
      out.push({ folder, name: path.basename(folder), sequences: sequences.length, shotId: shots.get(folder) ?? null });
    if (depth < MAX_DEPTH)
      for (const entry of entries)
        if (entry.isDirectory() && !entry.name.startsWith('.')) await visit(path.join(folder, entry.name), depth + 1);
  };
  for (const root of config.mediaFolders) {
    const real = await realpath(root).catch(() => null);
    if (real !== null) await visit(real, 0);
  }
  return out.sort((a, b) => (a.folder < b.folder ? -1 : 1));
}
