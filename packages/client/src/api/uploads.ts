import { shotIdSchema, uploadSchema, type Upload } from '@ivrex/contract';
import { z } from 'zod';
import { Upload as TusUpload } from 'tus-js-client';
import pMap from 'p-map';
import { requestJson } from './request';

/** One file with its place inside the folder that was dropped. */
export interface FileToSend {
  readonly path: string;
  readonly file: File;
}

export interface UploadProgress {
  readonly sentBytes: number;
  readonly totalBytes: number;
  readonly filesDone: number;
  readonly files: number;
  /** The connection is broken; it is tried again by itself. */
  readonly waiting: boolean;
}

/** A server that is restarted is back within these waits. */
const RETRIES_MS = [0, 500, 1000, 2000, 4000, 8000, 15000, 30000, 30000, 60000];
const AT_ONCE = 3,
  /** A piece that arrives is kept: what a broken connection costs at most. */
  PIECE_BYTES = 8 * 2 ** 20;

/** The same folder again, in this browser, goes on with the upload that was begun. */
function rememberedKey(name: string, files: readonly FileToSend[]): string {
  return `ivrex-upload/${name}/${files.length}/${files.reduce((sum, f) => sum + f.file.size, 0)}`;
}

async function begin(name: string, files: readonly FileToSend[]): Promise<Upload> {
  const key = rememberedKey(name, files);
  const known = localStorage.getItem(key);
  if (known !== null) {
    const going = await requestJson(uploadSchema, `/uploads/${known}`).catch(() => null);
    if (going !== null) return going;
  }
  const started = await requestJson(uploadSchema, '/uploads', 'POST', { name });
  localStorage.setItem(key, started.id);
  return started;
}

/**
 * Sends a folder and makes a shot of it. Files that are whole on the server are not sent again; a broken connection goes on where it broke,
 * also after the page was reloaded and the folder dropped again. Returns the shot's id.
 */
export async function sendFolder(
  name: string,
  files: readonly FileToSend[],
  onProgress: (progress: UploadProgress) => void,
  signal: AbortSignal,
): Promise<string> {
  const upload = await begin(name, files);
  const there = new Map(upload.files.map((f) => [f.path, f.bytes]));
  const sent = new Map<string, number>();
  const waiting = new Set<string>();
  let done = 0;
  const tell = () =>
    onProgress({
      sentBytes: [...sent.values()].reduce((a, b) => a + b, 0),
      totalBytes: files.reduce((sum, f) => sum + f.file.size, 0),
      filesDone: done,
      files: files.length,
      waiting: waiting.size > 0,
    });
  const left: FileToSend[] = [];
  for (const f of files) {
    if (there.get(f.path) === f.file.size) {
      sent.set(f.path, f.file.size);
      done++;
    } else left.push(f);
  }
  tell();
  await pMap(
    left,
    async ({ path, file }) => {
      await sendFile(upload.id, path, file, signal, (bytes, isWaiting) => {
        sent.set(path, bytes);
        if (isWaiting) waiting.add(path);
        else waiting.delete(path);
        tell();
      });
      sent.set(path, file.size);
      done++;
      tell();
    },
    { concurrency: AT_ONCE },
  );
  const { id } = await requestJson(z.object({ id: shotIdSchema }), `/uploads/${upload.id}/shot`, 'POST', {});
  localStorage.removeItem(rememberedKey(name, files));
  return id;
}

function sendFile(
  uploadId: string,
  path: string,
  file: File,
  signal: AbortSignal,
  onBytes: (sent: number, waiting: boolean) => void,
): Promise<void> {
  return new Promise((resolve, reject) => {
    let reached = 0;
    const sending = new TusUpload(file, {
      endpoint: '/api/upload-files',
      chunkSize: PIECE_BYTES,
      retryDelays: RETRIES_MS,
      metadata: { upload: uploadId, path },
      removeFingerprintOnSuccess: true,
      fingerprint: () => Promise.resolve(`ivrex/${uploadId}/${path}/${file.size}/${file.lastModified}`),
      onProgress: (bytes) => onBytes((reached = bytes), false),
      onShouldRetry: (error) => {
        const status = error.originalResponse?.getStatus() ?? 0;
        onBytes(reached, true);
        // A refusal stays one; everything else may be a server that comes back.
        return status === 0 || status >= 500 || status === 423 || status === 409;
      },
      onError: (error) => {
        const body = 'originalResponse' in error ? error.originalResponse?.getBody() : undefined;
        reject(
          new Error(body !== undefined && body !== '' ? `${path}: ${body}` : `${path} could not be sent; drop the folder again to go on`),
        );
      },
      onSuccess: () => resolve(),
    });
    signal.addEventListener('abort', () => {
      void sending.abort();
      reject(new Error('The upload was stopped. Drop the folder again to go on.'));
    });
    sending
      .findPreviousUploads()
      .then((before) => {
        if (before.length > 0) sending.resumeFromPreviousUpload(before[0]);
        if (!signal.aborted) sending.start();
      })
      .catch(reject);
  });
}
