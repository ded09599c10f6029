import { mkdir, readdir, rename, rm, stat, statfs } from 'node:fs/promises';
import path from 'node:path';
import { bytesText, uploadIdSchema, type Upload, type UploadId } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { FileStore } from '@tus/file-store';
import { Server as TusServer } from '@tus/server';
import type { Db } from '../db/database';
import { findUpload } from '../db/queries/find-upload';
import { insertUpload } from '../db/queries/insert-upload';
import type { Resources } from './resources';

/** Where the files of one upload lie. */
function folderOf(uploadsFolder: string, upload: { readonly id: UploadId; readonly name: string }): string {
  return path.join(uploadsFolder, upload.id, upload.name);
}

/** A folder name that is one, whatever was sent. */
function cleanName(name: string): string {
  const clean = name.replace(/[^\p{L}\p{N} ._-]/gu, '_').replace(/^\.+/, '');
  return clean === '' ? 'upload' : clean;
}

/** A path inside the upload: no way out of it. @throws IvrexError forbidden */
export function insideUpload(folder: string, relative: string): string {
  const full = path.resolve(folder, relative);
  if (relative === '' || relative.length > 1000 || relative.includes('\0') || !full.startsWith(folder + path.sep))
    throw new IvrexError('forbidden', `"${relative.slice(0, 200)}" is not a place inside the upload`);
  return full;
}

export async function startUpload({ database, config }: Pick<Resources, 'database' | 'config'>, name: string): Promise<Upload> {
  const id = await insertUpload(database, cleanName(name));
  const upload = await uploadOf({ database, config }, id);
  return upload;
}

async function existing(db: Db, id: UploadId): Promise<{ id: UploadId; name: string }> {
  const found = await findUpload(db, id);
  if (found === null) throw new IvrexError('notFound', 'there is no such upload; start it again');
  return found;
}

/** What is there already: a broken upload goes on with the rest. */
export async function uploadOf({ database, config }: Pick<Resources, 'database' | 'config'>, id: UploadId): Promise<Upload> {
  const upload = await existing(database, id);
  const folder = folderOf(config.uploadsFolder, upload);
  const files: { path: string; bytes: number }[] = [];
  const visit = async (relative: string): Promise<void> => {
    for (const entry of await readdir(path.join(folder, relative), { withFileTypes: true }).catch(() => [])) {
      const inside = path.join(relative, entry.name);
      if (entry.isDirectory()) await visit(inside);
      else files.push({ path: inside, bytes: (await stat(path.join(folder, inside))).size });
    }
  };
  await visit('');
  return { id, name: upload.name, files };
}

/** The folder of an upload, to be brought in. @throws IvrexError notFound */
export async function uploadFolder({ database, config }: Pick<Resources, 'database' | 'config'>, id: UploadId): Promise<string> {
  return folderOf(config.uploadsFolder, await existing(database, id));
}

/**
 * The receiving side of the tus protocol (open protocol for resumable uploads, tus.io 1.0). Each file arrives in a side folder and moves to
 * its place when it is whole. Its metadata say which upload it belongs to, and its path in there.
 */
export function makeUploadServer({ database, config }: Pick<Resources, 'database' | 'config'>): TusServer {
  const arriving = path.join(config.uploadsFolder, '.arriving');
  const target = async (metadata: Record<string, string | null> | undefined): Promise<string> => {
    const id = uploadIdSchema.safeParse(metadata?.upload);
    if (!id.success) throw new IvrexError('badSetting', 'the file does not say which upload it belongs to');
    return insideUpload(folderOf(config.uploadsFolder, await existing(database, id.data)), metadata?.path ?? '');
  };
  return new TusServer({
    path: '/api/upload-files',
    relativeLocation: true,
    maxSize: config.maxUploadBytes,
    datastore: new FileStore({ directory: arriving }),
    async onUploadCreate(_request, upload) {
      // Refused before a byte is sent.
      await target(upload.metadata).catch(refuse);
      const disk = await statfs(config.uploadsFolder).catch(() => null);
      if (disk !== null && (upload.size ?? 0) > disk.bavail * disk.bsize)
        throw {
          status_code: 507,
          body: `it has ${bytesText(upload.size ?? 0)}, and the disk has ${bytesText(disk.bavail * disk.bsize)} left`,
        };
      return {};
    },
    async onUploadFinish(_request, upload) {
      const place = await target(upload.metadata).catch(refuse);
      await mkdir(path.dirname(place), { recursive: true });
      await rename(path.join(arriving, upload.id), place);
      await rm(path.join(arriving, `${upload.id}.json`), { force: true });
      return {};
    },
  });
}

/** The form in which the protocol's server passes errors on. */
function refuse(error: unknown): never {
  if (error instanceof IvrexError) throw { status_code: error.code === 'notFound' ? 404 : 403, body: error.message };
  throw error;
}
