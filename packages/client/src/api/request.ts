import { apiErrorSchema, type ShotDetail } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { z } from 'zod';

/** What the server said, in its own sentence. Status 0: it could not be reached. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly file: string | null = null,
  ) {
    super(message);
  }
}

async function send(path: string, init: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if (init.signal?.aborted) throw error;
    throw new ApiError(0, 'unreachable', 'The server does not answer. Start it again; nothing that was decided is lost.');
  }
  if (response.ok) return response;
  const body: unknown = await response.json().catch(() => null);
  const parsed = apiErrorSchema.safeParse(body);
  if (!parsed.success) throw new ApiError(response.status, 'internal', `The server answered ${response.status} without saying why.`);
  const { code, message, file } = parsed.data.error;
  throw new ApiError(response.status, code, message, file ?? null);
}

/** JSON in, JSON out, checked against its schema. */
export async function requestJson<S extends z.ZodType>(
  schema: S,
  path: string,
  method: 'GET' | 'POST' | 'PUT' | 'DELETE' = 'GET',
  body?: unknown,
): Promise<z.infer<S>> {
  const response = await send(
    path,
    body === undefined ? { method } : { method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) },
  );
  return schema.parse(await response.json());
}

export async function requestBytes(path: string, signal?: AbortSignal): Promise<ArrayBuffer> {
  return (await send(path, { signal: signal ?? null })).arrayBuffer();
}

/** A whole sentence about any error: file first, when there is one. */
export function sentenceOf(error: unknown): string {
  if (!(error instanceof Error)) return String(error);
  // A file's name is written as it is; a bare message starts like a sentence.
  const whole =
    (error instanceof ApiError || error instanceof IvrexError) && typeof error.file === 'string'
      ? `${error.file.split('/').pop()}: ${error.message}`
      : error.message.charAt(0).toUpperCase() + error.message.slice(1);
  return /[.!?]$/.test(whole) ? whole : `${whole}.`;
}

/** For what is asked about the element that is worked on: the first one of focused settings. */
export function focusQuery({ settings }: Pick<ShotDetail, 'settings'>): string {
  return `?element=${settings.elements[0].id}`;
}
