import type { RequestHandler } from 'express';
import { z } from 'zod';
import { insertChange } from '../db/queries/insert-change';
import type { Services } from '../services/services';
import { isAsking, personOfRequest } from './session';

/** Who works where nobody signs in. */
const LOCAL = 'this machine';

/** What a request did, by its address. The first one that fits; `$` is what its body calls the thing. */
const WORDS: readonly (readonly [method: string, address: RegExp, what: string])[] = [
  ['PUT', /^\/shots\/[^/]+\/settings$/, '$'],
  ['POST', /^\/shots\/[^/]+\/undo$/, 'took the last change back'],
  ['POST', /^\/shots\/[^/]+\/redo$/, 'did a change again'],
  ['POST', /^\/shots\/[^/]+\/look-again$/, 'looked at the folder again'],
  ['POST', /^\/shots\/[^/]+\/take-over$/, 'took settings over from a document'],
  ['POST', /^\/shots\/[^/]+\/deliveries$/, 'ordered the delivery $'],
  ['POST', /^\/deliveries\/[^/]+\/(cancel|pause|resume)$/, '$1 of a delivery'],
  ['PUT', /^\/deliveries\/[^/]+\/priority$/, 'moved a delivery in the queue'],
  ['POST', /^\/shots$/, 'brought a folder in'],
  ['POST', /^\/uploads$/, 'began the upload $'],
  ['POST', /^\/uploads\/[^/]+\/shot$/, 'made a shot of an upload'],
  ['POST', /^\/encodings$/, 'kept the encoding $'],
  ['DELETE', /^\/encodings\//, 'removed an encoding'],
  ['POST', /^\/session\/password$/, 'changed the own password'],
  ['POST', /^\/people$/, 'added the person $'],
  ['PUT', /^\/people\//, 'changed what a person may do'],
  ['DELETE', /^\/people\//, 'removed a person'],
];

const namedSchema = z.object({ label: z.string().optional(), name: z.string().optional() });

/** The log of who changed what: every request that changed something and went well. Pieces of uploads are not told one by one. */
export function changeLog({ database, log }: Pick<Services, 'database' | 'log'>): RequestHandler {
  return (request, response, next) => {
    const { method, path, body } = request;
    if (!isAsking(request) && !path.startsWith('/upload-files') && path !== '/session')
      response.once('finish', () => {
        if (response.statusCode >= 400) return;
        const person = personOfRequest(request)?.name ?? LOCAL;
        const shotId = /^\/shots\/([0-9a-f-]{36})/.exec(path)?.[1] ?? null;
        insertChange(database, person, shotId, wordsOf(method, path, body)).catch((error: unknown) =>
          log.error({ err: error, method, path }, 'a change could not be written into the log'),
        );
      });
    next();
  };
}

const MOST_LETTERS = 300;

export function wordsOf(method: string, path: string, body: unknown): string {
  const { label, name } = namedSchema.safeParse(body).data ?? {};
  for (const [m, address, what] of WORDS) {
    const found = m === method ? address.exec(path) : null;
    if (found !== null)
      return what
        .replace('$1', found[1] ?? '')
        .replace('$', label ?? (name === undefined ? '' : `"${name}"`))
        .trim()
        .slice(0, MOST_LETTERS);
  }
  return `${method} ${path.replace(/[0-9a-f]{8}-[0-9a-f-]{27}/g, '...')}`;
}
