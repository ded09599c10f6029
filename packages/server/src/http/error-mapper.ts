import { IvrexError, type ErrorCode } from '@ivrex/core';
import { explainIssue } from '@ivrex/contract';
import type { ErrorRequestHandler } from 'express';
import { ZodError } from 'zod';

/** The one place where errors become HTTP. */
const STATUS: Record<ErrorCode, number> = {
  notAnImage: 422,
  truncated: 422,
  damaged: 422,
  unsupported: 422,
  tooLarge: 413,
  missingFile: 404,
  missingFrame: 404,
  missingChannel: 422,
  missingLayer: 422,
  sizeMismatch: 422,
  badEncoding: 422,
  badSetting: 422,
  needsFrameRate: 422,
  cannotWrite: 507,
  notFound: 404,
  conflict: 409,
  cancelled: 409,
  forbidden: 403,
  signIn: 401,
  tooMany: 429,
  internal: 500,
};

export const errorMapper: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error);
    return;
  }
  const requestId = String(request.id);
  const reply = (status: number, body: object) => response.status(status).json({ error: { ...body, requestId } });
  if (error instanceof IvrexError) reply(STATUS[error.code], error.toRecord());
  else if (isNoAddress(error))
    reply(404, { code: 'notFound', message: `no ${error.issues[0].path[0].replace(/Id$/, '')} has this address` });
  else if (error instanceof ZodError) reply(400, { code: 'badSetting', message: explainIssue(error) });
  else if (isClientFault(error)) reply(error.status, { code: 'badSetting', message: error.message });
  else {
    request.log.error({ err: error }, 'a request failed unexpectedly');
    reply(500, { code: 'internal', message: `something unexpected went wrong; the log has it under request ${requestId}` });
  }
};

/** An id in an address that is none: whatever it was to name is not there. */
function isNoAddress(error: unknown): error is ZodError & { issues: [{ path: [string] }] } {
  if (!(error instanceof ZodError)) return false;
  const [issue] = error.issues;
  return issue.code === 'invalid_format' && issue.format === 'uuid' && issue.path.length === 1 && typeof issue.path[0] === 'string';
}

/** Express marks what its parsers refuse (bad JSON, too long) with a status below 500. */
function isClientFault(error: unknown): error is Error & { status: number } {
  return error instanceof Error && 'status' in error && typeof error.status === 'number' && error.status >= 400 && error.status < 500;
}
