import type { NamedStateId, ShotDetail, ShotId, ShotStates } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { deleteNamedState } from '../db/queries/delete-named-state';
import { findNamedState } from '../db/queries/find-named-state';
import { insertNamedState } from '../db/queries/insert-named-state';
import { listNamedStates } from '../db/queries/list-named-states';
import { listShotHistory } from '../db/queries/list-shot-history';
import type { Resources } from './resources';
import { changeSettings, shotDetail } from './shots';

type StateServices = Pick<Resources, 'database'>;

/** More of the history is kept than is listed. */
const MOST_LISTED = 200;

/** @throws IvrexError notFound */
export async function statesOf({ database }: StateServices, shotId: ShotId): Promise<ShotStates> {
  await shotDetail(database, shotId);
  return { named: await listNamedStates(database, shotId), history: await listShotHistory(database, shotId, MOST_LISTED) };
}

/** Keeps what is set now under a name. @throws IvrexError notFound, conflict when the name is taken */
export async function nameState(services: StateServices, shotId: ShotId, name: string): Promise<ShotStates> {
  await shotDetail(services.database, shotId);
  if (!(await insertNamedState(services.database, shotId, name)))
    throw new IvrexError('conflict', `there is a state "${name}" already; remove it first or choose another name`);
  return statesOf(services, shotId);
}

export async function removeState(services: StateServices, shotId: ShotId, id: NamedStateId): Promise<ShotStates> {
  await deleteNamedState(services.database, shotId, id);
  return statesOf(services, shotId);
}

/** The shot is set again as it was then: a change like any other, which can be taken back. @throws IvrexError notFound */
export async function returnToState(services: StateServices, shotId: ShotId, id: NamedStateId): Promise<ShotDetail> {
  const found = await findNamedState(services.database, shotId, id);
  if (found === null) throw new IvrexError('notFound', 'there is no such state; it may have been removed');
  const { state } = await shotDetail(services.database, shotId);
  return changeSettings(services, shotId, found.settings, `Back to "${found.name}"`, state.sequence);
}
