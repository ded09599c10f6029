import { IvrexError } from '@ivrex/core';
import type { RequestHandler } from 'express';
import type { Config } from '../config/config';

const LOOPBACK = /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/;

/**
 * Only pages of this very server may talk to it. The Host check stops a foreign name that resolves to this machine (DNS rebinding),
 * the Origin check a foreign page that sends requests here.
 */
export function sameOrigin({ publicOrigins }: Pick<Config, 'publicOrigins'>): RequestHandler {
  const hosts = publicOrigins?.map((origin) => new URL(origin).host) ?? null;
  return (request, _response, next) => {
    const host = request.headers.host ?? '';
    if (hosts === null ? !LOOPBACK.test(host) : !hosts.includes(host))
      throw new IvrexError('forbidden', 'this address is not served here; use the one that the start printed');
    const { origin } = request.headers;
    if (origin !== undefined && (publicOrigins === null ? origin !== `http://${host}` : !publicOrigins.includes(origin)))
      throw new IvrexError('forbidden', 'requests from other pages are refused');
    next();
  };
}
