import { newPersonSchema, ownPasswordSchema, personChangeSchema, personIdSchema } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import type { Router } from 'express';
import { z } from 'zod';
import { listChanges } from '../db/queries/list-changes';
import { addPerson, changeOwnPassword, changePerson, people, removePerson } from '../services/people';
import type { Services } from '../services/services';
import { personOfRequest } from './person-of-request';
import { assertAdmin, type RouteTerms } from './route-terms';
import { COOKIE, type SessionParts } from './session';

const personParams = z.object({ personId: personIdSchema });

/** Who there is, one's own password, and who changed what. */
export function peopleRoutes(api: Router, services: Services, may: RouteTerms, { tries, cookie }: SessionParts): void {
  api.post('/session/password', may.own('changed the own password'), tries, async (request, response) => {
    const person = personOfRequest(request);
    if (person === null) throw new IvrexError('signIn', 'sign in first');
    const token = await changeOwnPassword(services, person, ownPasswordSchema.parse(request.body));
    response.cookie(COOKIE, token, cookie).json({ required: services.config.signInRequired, person });
  });
  api.get('/changes', async (_request, response) => {
    response.json(await listChanges(services.database));
  });
  api.get('/people', async (request, response) => {
    assertAdmin(request);
    response.json(await people(services));
  });
  api.post('/people', may.administer('added the person $'), async (request, response) => {
    response.status(201).json(await addPerson(services, newPersonSchema.parse(request.body)));
  });
  api.put('/people/:personId', may.administer('changed what a person may do'), async (request, response) => {
    const { personId } = personParams.parse(request.params);
    response.json(await changePerson(services, personId, personChangeSchema.parse(request.body)));
  });
  api.delete('/people/:personId', may.administer('removed a person'), async (request, response) => {
    response.json(await removePerson(services, personParams.parse(request.params).personId));
  });
}
