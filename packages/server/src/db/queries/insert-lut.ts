import type { CubeLut } from '@ivrex/core';
import type { LutId } from '@ivrex/contract';
import type { Db } from '../database';

export async function insertLut(db: Db, name: string, lut: CubeLut, document: string): Promise<LutId> {
  const { rows } = await db.query<{ id: LutId }>('INSERT INTO luts (name, kind, size, document) VALUES ($1, $2, $3, $4) RETURNING id', [
    name,
    lut.kind,
    lut.size,
    document,
  ]);
  return rows[0].id;
}
