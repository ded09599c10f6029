import type { ShotId } from '@ivrex/contract';
import { z } from 'zod';
import type { Db } from '../database';

const rowSchema = z.object({
  folder: z.string(),
  signature: z.string(),
  unreadable: z.array(z.object({ name: z.string(), error: z.object({ code: z.string(), message: z.string() }) })),
  beautyBlur: z.object({ softer: z.number(), pixels: z.number() }).nullable(),
});
export type ShotLookRow = z.infer<typeof rowSchema>;

export async function findShotLook(db: Db, shotId: ShotId): Promise<ShotLookRow | null> {
  const { rows } = await db.query('SELECT folder, signature, unreadable, beauty_blur AS "beautyBlur" FROM shots WHERE id = $1', [shotId]);
  return rows.length === 0 ? null : rowSchema.parse(rows[0]);
}
