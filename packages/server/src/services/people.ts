import { createHash, randomBytes } from 'node:crypto';
import type { NewPerson, OwnPassword, Person, PersonChange, PersonId, SignIn } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { deletePerson } from '../db/queries/delete-person';
import { deleteSession } from '../db/queries/delete-session';
import { findPassword } from '../db/queries/find-password';
import { findSession } from '../db/queries/find-session';
import { insertPerson } from '../db/queries/insert-person';
import { insertSession } from '../db/queries/insert-session';
import { listPeople } from '../db/queries/list-people';
import { updatePerson } from '../db/queries/update-person';
import { hashPassword, isPassword } from './passwords';
import type { Resources } from './resources';

type PeopleServices = Pick<Resources, 'database'>;

const TOKEN_BYTES = 32;
const hashOf = (token: string) => createHash('sha256').update(token).digest('hex');

export function people({ database }: PeopleServices): Promise<Person[]> {
  return listPeople(database);
}

/** @throws IvrexError conflict when the name is taken, or nobody could say who may do what */
export async function addPerson({ database }: PeopleServices, { name, role, password }: NewPerson): Promise<Person[]> {
  const hashed = await hashPassword(password);
  return database.transaction(async (db) => {
    if (!(await insertPerson(db, name, role, hashed))) throw new IvrexError('conflict', `somebody is called "${name}" already`);
    return assertAdmin(await listPeople(db));
  });
}

/** A new password ends what is signed in under the old one. @throws IvrexError notFound, conflict when nobody could say who may do what */
export async function changePerson({ database }: PeopleServices, id: PersonId, { role, password }: PersonChange): Promise<Person[]> {
  const hashed = password === undefined ? null : await hashPassword(password);
  return database.transaction(async (db) => {
    if (!(await updatePerson(db, id, role ?? null, hashed))) throw new IvrexError('notFound', 'there is no such person');
    return assertAdmin(await listPeople(db));
  });
}

/** @throws IvrexError conflict when nobody could say who may do what */
export async function removePerson({ database }: PeopleServices, id: PersonId): Promise<Person[]> {
  return database.transaction(async (db) => {
    await deletePerson(db, id);
    return assertAdmin(await listPeople(db));
  });
}

function assertAdmin(left: Person[]): Person[] {
  if (left.length > 0 && !left.some((p) => p.role === 'admin'))
    throw new IvrexError('conflict', 'somebody has to be there who can add people; make one admin first');
  return left;
}

/** A token for the browser. What is wrong is not said: neither that nobody has this name nor that the password is another. @throws IvrexError signIn */
export async function signIn({ database }: PeopleServices, { name, password }: SignIn): Promise<{ token: string; person: Person }> {
  const found = await findPassword(database, name.trim());
  if (!(await isPassword(password, found?.password ?? null)) || found === null)
    throw new IvrexError('signIn', 'name and password do not belong together');
  const token = randomBytes(TOKEN_BYTES).toString('base64url');
  await insertSession(database, hashOf(token), found.person.id);
  return { token, person: found.person };
}

/** Ends all that is signed in under the old password; a token for the browser that asked. @throws IvrexError forbidden when the old one is another */
export async function changeOwnPassword(services: PeopleServices, { id, name }: Person, { password, next }: OwnPassword): Promise<string> {
  const found = await findPassword(services.database, name);
  if (!(await isPassword(password, found?.password ?? null))) throw new IvrexError('forbidden', 'that is not your password as it is now');
  await changePerson(services, id, { password: next });
  return (await signIn(services, { name, password: next })).token;
}

/** Who holds the token; null when nobody does, or it has not been used for long. */
export function personOf({ database }: PeopleServices, token: string): Promise<Person | null> {
  return findSession(database, hashOf(token));
}

export async function signOut({ database }: PeopleServices, token: string): Promise<void> {
  await deleteSession(database, hashOf(token));
}
