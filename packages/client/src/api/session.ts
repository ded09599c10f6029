import {
  changeSchema,
  personSchema,
  sessionSchema,
  type NewPerson,
  type OwnPassword,
  type PersonChange,
  type SignIn,
} from '@ivrex/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { requestJson } from './request';

const SESSION = ['session'];
const peopleSchema = z.array(personSchema);

/** Who is signed in here, and whether one has to be. */
export function useSession() {
  return useQuery({ queryKey: SESSION, queryFn: () => requestJson(sessionSchema, '/session'), staleTime: 60000 });
}

export function useSignIn() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (asked: SignIn) => requestJson(sessionSchema, '/session', 'POST', asked),
    onSuccess: (session) => client.setQueryData(SESSION, session),
  });
}

/** Other browsers of this person are signed out by it. */
export function useChangeOwnPassword() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (asked: OwnPassword) => requestJson(sessionSchema, '/session/password', 'POST', asked),
    onSuccess: (session) => {
      client.setQueryData(SESSION, session);
      return client.invalidateQueries({ queryKey: ['changes'] });
    },
  });
}

/** Nothing that was seen stays in the page. */
export function useSignOut() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: () => requestJson(sessionSchema, '/session', 'DELETE'),
    onSuccess: (session) => {
      client.setQueryData(SESSION, session);
      client.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== SESSION[0] });
    },
  });
}

export function usePeople(mayAsk: boolean) {
  return useQuery({ queryKey: ['people'], enabled: mayAsk, queryFn: () => requestJson(peopleSchema, '/people') });
}

export type PeopleChange =
  { readonly add: NewPerson } | { readonly id: string; readonly change: PersonChange } | { readonly id: string; readonly remove: true };

export function useChangePeople() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (asked: PeopleChange) => {
      if ('add' in asked) return requestJson(peopleSchema, '/people', 'POST', asked.add);
      if ('change' in asked) return requestJson(peopleSchema, `/people/${asked.id}`, 'PUT', asked.change);
      return requestJson(peopleSchema, `/people/${asked.id}`, 'DELETE');
    },
    onSuccess: (all) => {
      client.setQueryData(['people'], all);
      return client.invalidateQueries({ queryKey: ['changes'] });
    },
  });
}

export function useChanges() {
  return useQuery({ queryKey: ['changes'], queryFn: () => requestJson(z.array(changeSchema), '/changes'), refetchInterval: 10000 });
}
