import { IvrexError } from '@ivrex/core';
import type { Request, RequestHandler, Router } from 'express';
import { z } from 'zod';
import { insertChange } from '../db/queries/insert-change';
import type { Resources } from '../services/resources';
import { personOfRequest } from './person-of-request';

/**
 * What a route asks of who calls it, and what is written down when it went well. Each route that is no GET has one of these as its first handler;
 * `assertTerms` refuses the others.
 */
export interface RouteTerms {
  /** For everybody, signed in or not: signing in itself. */
  readonly open: RequestHandler;
  /** Only measures or tells, however it is sent: for everybody who may look. */
  readonly ask: RequestHandler;
  /** Changes something: not for those who only look. `what` goes into the log; `$` stands for what the body calls the thing. */
  readonly change: (what: string) => RequestHandler;
  /** Changes something too small to be written down. */
  readonly changeQuietly: RequestHandler;
  /** What everybody may change of their own. */
  readonly own: (what: string) => RequestHandler;
  readonly administer: (what: string) => RequestHandler;
}

const terms = new WeakSet<RequestHandler>();

function termsOf(handler: RequestHandler): RequestHandler {
  terms.add(handler);
  return handler;
}

export function routeTerms({ database, log }: Pick<Resources, 'database' | 'log'>): RouteTerms {
  const writeDown = (request: Request, what: string) => {
    const person = personOfRequest(request)?.name ?? LOCAL,
      shotId = /^\/shots\/([0-9a-f-]{36})/.exec(request.path)?.[1] ?? null;
    insertChange(database, person, shotId, wordsOf(what, request.body)).catch((error: unknown) =>
      log.error({ err: error, what }, 'a change could not be written into the log'),
    );
  };
  const logged =
    (what: string, check: (request: Request) => void): RequestHandler =>
    (request, response, next) => {
      check(request);
      response.once('finish', () => {
        if (response.statusCode < 400) writeDown(request, what);
      });
      next();
    };
  return {
    open: termsOf((_request, _response, next) => next()),
    ask: termsOf((_request, _response, next) => next()),
    change: (what) => termsOf(logged(what, assertMayChange)),
    changeQuietly: termsOf((request, _response, next) => {
      assertMayChange(request);
      next();
    }),
    own: (what) => termsOf(logged(what, () => undefined)),
    administer: (what) => termsOf(logged(what, assertAdmin)),
  };
}

/** Who works where nobody signs in. */
const LOCAL = 'this machine';

function assertMayChange(request: Request): void {
  if (personOfRequest(request)?.role === 'look') throw new IvrexError('forbidden', 'you may look, and not change anything; ask an admin');
}

export function assertAdmin(request: Request): void {
  const person = personOfRequest(request);
  if (person !== null && person.role !== 'admin') throw new IvrexError('forbidden', 'only admins say who may do what');
}

/** Every route of the router that is no GET says what it asks of its callers. @throws TypeError naming the one that does not */
export function assertTerms(api: Router): void {
  for (const { route } of api.stack) {
    if (route === undefined) continue;
    const { path, stack } = route as unknown as { path: string | string[]; stack: { method?: string; handle: RequestHandler }[] };
    const methods = [...new Set(stack.map(({ method }) => method ?? 'all'))];
    if (methods.every((method) => method === 'get' || method === 'head')) continue;
    if (!stack.some(({ handle }) => terms.has(handle)))
      throw new TypeError(`the route ${methods.join(', ')} ${String(path)} does not say who may use it; give it route terms`);
  }
}

const MOST_LETTERS = 300;
const namedSchema = z.object({ label: z.string().optional(), name: z.string().optional() });

export function wordsOf(what: string, body: unknown): string {
  const { label, name } = namedSchema.safeParse(body).data ?? {};
  return what
    .replace('$', label ?? (name === undefined ? '' : `"${name}"`))
    .trim()
    .slice(0, MOST_LETTERS);
}
