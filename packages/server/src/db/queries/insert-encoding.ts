import type { Encoding } from '@ivrex/core';
import type { Db } from '../database';

/** Saving under a known name makes its next version: older ones stay. Without a fingerprint it keeps the one that it had. */
export async function insertEncoding(db: Db, name: string, document: Encoding, fingerprint: string | null): Promise<void> {
  await db.query(
    `INSERT INTO encodings (name, version, document, fingerprint)
     SELECT $1, coalesce(max(version), 0) + 1, $2,
       coalesce($3, (SELECT fingerprint FROM encodings WHERE name = $1 ORDER BY version DESC LIMIT 1))
     FROM encodings WHERE name = $1`,
    [name, JSON.stringify(document), fingerprint],
  );
}
