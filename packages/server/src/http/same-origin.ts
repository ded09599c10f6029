import { IvrexError } from '@ivrex/core';
import type { RequestHandler } from 'express';

const LOOPBACK = /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/;

/**
 * Only pages of this very server may talk to it. The Host check stops a foreign name that resolves to loopback (DNS rebinding),
 * the Origin check a foreign page that sends requests here.
 */
export const sameOrigin: RequestHandler = (request, _response, next) => {
  const host = request.headers.host ?? '';
  if (!LOOPBACK.test(host)) throw new IvrexError('forbidden', 'this address is not served here; use the one that the start printed');
  const { origin } = request.headers;
  if (origin !== undefined && origin !== `http://${host}`) throw new IvrexError('forbidden', 'requests from other pages are refused');
  next();
};
