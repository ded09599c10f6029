import type { Person } from '@ivrex/contract';
import type { Request } from 'express';

const signedIn = new WeakMap<Request, Person>();

/** Who sent the request; null where nobody has to sign in. */
export function personOfRequest(request: Request): Person | null {
  return signedIn.get(request) ?? null;
}

export function setPerson(request: Request, person: Person): void {
  signedIn.set(request, person);
}
