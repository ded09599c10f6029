import { encodingSchema, encodingIdSchema } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  id: encodingIdSchema,
  name: z.string(),
  version: z.number().int(),
  document: encodingSchema,
  fingerprint: z.string().nullable(),
  createdAt: z.date().transform((d) => d.toISOString()),
});
export type EncodingRow = z.infer<typeof rowSchema>;

/** Every version of every kept encoding, by name, newest first. */
export async function listEncodings(db: Db): Promise<EncodingRow[]> {
  const { rows } = await db.query(
    'SELECT id, name, version, document, fingerprint, created_at AS "createdAt" FROM encodings ORDER BY lower(name), name, version DESC',
  );
  return rows.map((row) => rowSchema.parse(row));
}
