import { randomBytes } from 'node:crypto';
import { mkdir, open, readdir, realpath, rename, unlink } from 'node:fs/promises';
import path from 'node:path';
import { IvrexError } from '@ivrex/core';

/**
 * The file appears whole or not at all: written beside its place under another name, flushed, then renamed.
 * @throws IvrexError cannotWrite
 */
export async function writeFileAtomic(file: string, bytes: Uint8Array): Promise<void> {
  const beside = path.join(path.dirname(file), `.${path.basename(file)}.${randomBytes(4).toString('hex')}.part`);
  try {
    await mkdir(path.dirname(file), { recursive: true });
    const handle = await open(beside, 'wx');
    try {
      await handle.writeFile(bytes);
      await handle.sync();
    } finally {
      await handle.close();
    }
    await rename(beside, file);
  } catch (error) {
    await unlink(beside).catch(() => undefined);
    throw new IvrexError('cannotWrite', `cannot be written: ${reasonOf(error)}`, file);
  }
}

/**
 * A file that is to be written below a folder must lie there once links are followed. @throws IvrexError forbidden
 */
export async function assertBelow(root: string, file: string): Promise<void> {
  const top = await realpath(root).catch(() => path.resolve(root));
  for (let at = file; ; at = path.dirname(at)) {
    const there = await realpath(at).catch(() => null);
    if (there === null && at !== path.dirname(at)) continue;
    // Nothing of it is there yet, not even the folder: then there is no link either.
    if (there === null || there === top || there.startsWith(`${top}${path.sep}`) || top.startsWith(`${there}${path.sep}`)) return;
    throw new IvrexError('forbidden', `a link leads out of ${root}: nothing is written there`, file);
  }
}

/** What a process that was killed left of the file half-written, under its hidden name. For who alone writes there. */
export async function removeLeftovers(file: string): Promise<void> {
  const folder = path.dirname(file),
    start = `.${path.basename(file)}.`;
  for (const name of await readdir(folder).catch(() => []))
    if (name.startsWith(start) && name.endsWith('.part')) await unlink(path.join(folder, name)).catch(() => undefined);
}

/** The file system's code of an error (ENOENT and so on); null for other errors. */
export function codeOf(error: unknown): string | null {
  return typeof error === 'object' && error !== null && 'code' in error && typeof error.code === 'string' ? error.code : null;
}

/** A file system error in words. */
export function reasonOf(error: unknown): string {
  const code = codeOf(error) ?? '';
  const words: Record<string, string> = {
    ENOENT: 'there is no such file or folder',
    EACCES: 'permission is missing',
    EPERM: 'permission is missing',
    EROFS: 'the disk is read-only',
    ENOSPC: 'the disk is full',
    EISDIR: 'it is a folder',
    ENOTDIR: 'part of its path is not a folder',
    EEXIST: 'part of its path is a file',
    EMFILE: 'too many files are open',
    EDQUOT: 'the disk quota is used up',
  };
  return words[code] ?? (error instanceof Error ? error.message : String(error));
}
