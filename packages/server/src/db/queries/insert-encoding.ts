import type { Encoding } from '@ivrex/core';
import type { Db } from '../database';

/** Saving under a known name makes its next version: older ones stay. */
export async function insertEncoding(db: Db, name: string, document: Encoding): Promise<void> {
  await db.query(
    'INSERT INTO encodings (name, version, document) SELECT $1, coalesce(max(version), 0) + 1, $2 FROM encodings WHERE name = $1',
    [name, JSON.stringify(document)],
  );
}
