import { isSameEncoding, type EncodingId, type SavedEncoding } from '@ivrex/contract';
import { IvrexError, type Encoding } from '@ivrex/core';
import { deleteEncoding } from '../db/queries/delete-encoding';
import { insertEncoding } from '../db/queries/insert-encoding';
import { listEncodings } from '../db/queries/list-encodings';
import { listShots } from '../db/queries/list-shots';
import type { Resources } from './resources';

type EncodingServices = Pick<Resources, 'database'>;

export async function savedEncodings({ database }: EncodingServices): Promise<SavedEncoding[]> {
  const rows = await listEncodings(database),
    shots = await listShots(database);
  const used = shots.flatMap((shot) =>
    shot.settings.elements.flatMap(({ encoding }) => (encoding === null ? [] : [{ shotId: shot.id, shot: shot.name, encoding }])),
  );
  return [...new Set(rows.map((r) => r.name))].map((name) => {
    const versions = rows.filter((r) => r.name === name);
    const users = used.filter(({ encoding }) => versions.some((v) => isSameEncoding(v.document, encoding)));
    return {
      ...versions[0],
      versions: versions.map(({ id, version, document, createdAt }) => ({ id, version, document, createdAt })),
      usedBy: [...new Map(users.map(({ shotId, shot }) => [shotId, { shotId, shot }])).values()],
    };
  });
}

export async function saveEncoding(
  services: EncodingServices,
  name: string,
  document: Encoding,
  fingerprint: string | null,
): Promise<SavedEncoding[]> {
  await insertEncoding(services.database, name, { ...document, name }, fingerprint);
  return savedEncodings(services);
}

/** Shots that read with it keep their own copy. @throws IvrexError notFound */
export async function removeEncoding(services: EncodingServices, id: EncodingId): Promise<SavedEncoding[]> {
  if (!(await deleteEncoding(services.database, id))) throw new IvrexError('notFound', 'this encoding was already removed');
  return savedEncodings(services);
}
