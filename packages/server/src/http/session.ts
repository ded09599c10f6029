import { personIdSchema, newPersonSchema, ownPasswordSchema, personChangeSchema, signInSchema, type Person } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { CookieOptions, Request, RequestHandler, Router } from 'express';
import { rateLimit } from 'express-rate-limit';
import { z } from 'zod';
import { listChanges } from '../db/queries/list-changes';
import { addPerson, changeOwnPassword, changePerson, people, personOf, removePerson, signIn, signOut } from '../services/people';
import type { Services } from '../services/services';

const COOKIE = 'ivrex_session';
/** Tries a quarter of an hour from one address: a person mistypes a few times, a dictionary is long. */
const MOST_TRIES = 10,
  TRIES_MS = 15 * 60 * 1000;
const OWN_PASSWORD = '/session/password';
const personParams = z.object({ personId: personIdSchema });

const signedIn = new WeakMap<Request, Person>();

/** Who sent the request; null where nobody has to sign in. */
export function personOfRequest(request: Request): Person | null {
  return signedIn.get(request) ?? null;
}

function tokenOf({ headers }: Request): string | null {
  return /(?:^|;\s*)ivrex_session=([\w-]{43})(?:;|$)/.exec(headers.cookie ?? '')?.[1] ?? null;
}

/** Asking, however it is sent: what everybody may do who may look. */
const ASKS =
  /^\/shots\/[^/]+\/(deliveries\/plan|document|job-template|motion\/reading|motion\/make\/(try|offset)|match|match\/streaks|trust)$/;

export function isAsking({ method, path }: Pick<Request, 'method' | 'path'>): boolean {
  return method === 'GET' || method === 'HEAD' || ASKS.test(path);
}

/** Signing in and out, which is open to everybody, and one's own password. `known` is what stands before all other routes. */
export function sessionRoutes(api: Router, services: Services, known: readonly RequestHandler[]): void {
  const { signInRequired, isPublicHttps } = services.config;
  const cookie: CookieOptions = { httpOnly: true, sameSite: 'strict', secure: isPublicHttps, path: '/' };
  const tries = rateLimit({
    windowMs: TRIES_MS,
    limit: MOST_TRIES,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    handler: () => {
      throw new IvrexError('tooMany', 'there were too many tries from this address; wait a quarter of an hour');
    },
  });
  api.get('/session', async (request, response) => {
    const token = tokenOf(request);
    response.json({ required: signInRequired, person: token === null ? null : await personOf(services, token) });
  });
  api.post('/session', tries, async (request, response) => {
    const { token, person } = await signIn(services, signInSchema.parse(request.body));
    response.cookie(COOKIE, token, cookie).json({ required: signInRequired, person });
  });
  api.delete('/session', async (request, response) => {
    const token = tokenOf(request);
    if (token !== null) await signOut(services, token);
    response.clearCookie(COOKIE, cookie).json({ required: signInRequired, person: null });
  });
  api.post(OWN_PASSWORD, tries, ...known, async (request, response) => {
    const person = personOfRequest(request);
    if (person === null) throw new IvrexError('signIn', 'sign in first');
    const token = await changeOwnPassword(services, person, ownPasswordSchema.parse(request.body));
    response.cookie(COOKIE, token, cookie).json({ required: signInRequired, person });
  });
}

/** From here on one has to be signed in, where that is asked, and may do what the role allows. @throws IvrexError signIn, forbidden */
export function guard(services: Services): RequestHandler {
  return async (request, _response, next) => {
    if (!services.config.signInRequired) {
      next();
      return;
    }
    const token = tokenOf(request);
    const person = token === null ? null : await personOf(services, token);
    if (person === null) throw new IvrexError('signIn', 'sign in first');
    signedIn.set(request, person);
    if (person.role === 'look' && !isAsking(request) && request.path !== OWN_PASSWORD)
      throw new IvrexError('forbidden', 'you may look, and not change anything; ask an admin');
    next();
  };
}

const adminOnly: RequestHandler = (request, _response, next) => {
  const person = personOfRequest(request);
  if (person !== null && person.role !== 'admin') throw new IvrexError('forbidden', 'only admins say who may do what');
  next();
};

/** Who there is, and who changed what. */
export function peopleRoutes(api: Router, services: Services): void {
  api.get('/changes', async (_request, response) => {
    response.json(await listChanges(services.database));
  });
  api.use('/people', adminOnly);
  api.get('/people', async (_request, response) => {
    response.json(await people(services));
  });
  api.post('/people', async (request, response) => {
    response.status(201).json(await addPerson(services, newPersonSchema.parse(request.body)));
  });
  api.put('/people/:personId', async (request, response) => {
    const { personId } = personParams.parse(request.params);
    response.json(await changePerson(services, personId, personChangeSchema.parse(request.body)));
  });
  api.delete('/people/:personId', async (request, response) => {
    response.json(await removePerson(services, personParams.parse(request.params).personId));
  });
}
