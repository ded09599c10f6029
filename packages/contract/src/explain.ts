import { IvrexError } from '@ivrex/core';
import type { z } from 'zod';

/** The first thing that is wrong with a document, as "where: what". */
export function explainIssue(error: z.ZodError): string {
  const issue = error.issues[0];
  if (issue === undefined) return 'it is not valid';
  const where = issue.path.map(String).join('.');
  return where === '' ? issue.message : `${where}: ${issue.message}`;
}

/** A JSON document of ours. `what` it should be is said when it is not. @throws IvrexError damaged, badSetting */
export function parseDocument<T>(text: string, schema: z.ZodType<T>, what: string, file?: string): T {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw new IvrexError('damaged', `this is not JSON: ${error instanceof Error ? error.message : String(error)}`, file);
  }
  const parsed = schema.safeParse(json);
  if (!parsed.success) throw new IvrexError('badSetting', `this is no ${what}: ${explainIssue(parsed.error)}`, file);
  return parsed.data;
}
