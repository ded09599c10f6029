import { stat } from 'node:fs/promises';
import path from 'node:path';
import type { ShotId } from '@ivrex/contract';
import { describeFolder, folderSignature, type FileMemory, type FoundSequence } from '@ivrex/media';
import type { Config } from '../config/config';

/** How passes that were made for a shot are named inside it. */
export const MADE_PREFIX = '(made)/';

export function madeFolderOf({ madeFolder }: Pick<Config, 'madeFolder'>, shotId: ShotId): string {
  return path.join(madeFolder, shotId);
}

/** What was made for the shot, as if it lay in its folder. */
export async function madeSequences(config: Pick<Config, 'madeFolder'>, shotId: ShotId, memory: FileMemory): Promise<FoundSequence[]> {
  const folder = madeFolderOf(config, shotId);
  if (!(await isThere(folder))) return [];
  const { sequences } = await describeFolder(folder, memory);
  return sequences.map((sequence) => ({ ...sequence, name: `${MADE_PREFIX}${sequence.name}` }));
}

/** Changes when the shot's folder does, or what was made for it. */
export async function shotSignature(config: Pick<Config, 'madeFolder'>, folder: string, shotId: ShotId | null): Promise<string> {
  const own = await folderSignature(folder);
  if (shotId === null) return own;
  const made = madeFolderOf(config, shotId);
  return (await isThere(made)) ? `${own} ${await folderSignature(made)}` : own;
}

async function isThere(folder: string): Promise<boolean> {
  return stat(folder).then(
    (s) => s.isDirectory(),
    () => false,
  );
}
