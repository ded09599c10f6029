import type { z } from 'zod';

/** The first thing that is wrong with a document, as "where: what". */
export function explainIssue(error: z.ZodError): string {
  const issue = error.issues[0];
  if (issue === undefined) return 'it is not valid';
  const where = issue.path.map(String).join('.');
  return where === '' ? issue.message : `${where}: ${issue.message}`;
}
