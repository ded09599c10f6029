import { signInSchema } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { CookieOptions, Request, RequestHandler, Router } from 'express';
import { rateLimit } from 'express-rate-limit';
import { personOf, signIn, signOut } from '../services/people';
import type { Services } from '../services/services';
import { setPerson } from './person-of-request';
import type { RouteTerms } from './route-terms';

export const COOKIE = 'ivrex_session';
/** Tries a quarter of an hour from one address: a person mistypes a few times, a dictionary is long. */
const MOST_TRIES = 10,
  TRIES_MS = 15 * 60 * 1000;
function tokenOf({ headers }: Request): string | null {
  return /(?:^|;\s*)ivrex_session=([\w-]{43})(?:;|$)/.exec(headers.cookie ?? '')?.[1] ?? null;
}

/** What changing one's own password shares with signing in. */
export interface SessionParts {
  /** So many tries from one address. */
  readonly tries: RequestHandler;
  readonly cookie: CookieOptions;
}

/** Signing in and out, which is open to everybody. */
export function sessionRoutes(api: Router, services: Services, may: RouteTerms): SessionParts {
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
  api.post('/session', may.open, tries, async (request, response) => {
    const { token, person } = await signIn(services, signInSchema.parse(request.body));
    response.cookie(COOKIE, token, cookie).json({ required: signInRequired, person });
  });
  api.delete('/session', may.open, async (request, response) => {
    const token = tokenOf(request);
    if (token !== null) await signOut(services, token);
    response.clearCookie(COOKIE, cookie).json({ required: signInRequired, person: null });
  });
  return { tries, cookie };
}

/** From here on one has to be signed in, where that is asked; what the role allows is said where a route is declared. @throws IvrexError signIn */
export function guard(services: Services): RequestHandler {
  return async (request, _response, next) => {
    if (!services.config.signInRequired) {
      next();
      return;
    }
    const token = tokenOf(request);
    const person = token === null ? null : await personOf(services, token);
    if (person === null) throw new IvrexError('signIn', 'sign in first');
    setPerson(request, person);
    next();
  };
}
