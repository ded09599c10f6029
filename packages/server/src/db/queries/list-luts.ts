import { lutSchema, type Lut } from '@ivrex/contract';
import type { Db } from '../database';

export async function listLuts(db: Db): Promise<Lut[]> {
  const { rows } = await db.query('SELECT id, name, kind, size FROM luts ORDER BY name, created_at');
  return rows.map((row) => lutSchema.parse(row));
}
