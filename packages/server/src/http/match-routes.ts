import type { Router } from 'express';
import {
  matchOrderSchema,
  namedStateIdSchema,
  reportFormSchema,
  reportQuerySchema,
  shotIdSchema,
  stateNameSchema,
  streakOrderSchema,
  trustOrderSchema,
} from '@ivrex/contract';
import { z } from 'zod';
import { printPage } from '../services/print-page';
import { reportPage } from '../services/report-page';
import type { Services } from '../services/services';
import type { RouteTerms } from './route-terms';
import { nameState, removeState, returnToState, statesOf } from '../services/shot-states';
import { shotReport } from '../services/shot-reports';
import { moveState } from '../services/shots';
import { focusOf } from './focus';

const shotParams = z.object({ shotId: shotIdSchema });
const stateParams = shotParams.extend({ stateId: namedStateIdSchema });
const mapParams = z.object({ map: z.string().regex(/^[0-9a-f]{64}$/) });
const blurParams = stateParams.extend({ frame: z.coerce.number().int() });
const frameParams = shotParams.extend({ frame: z.coerce.number().int() });
const reportParams = shotParams.extend({ form: reportFormSchema });
const historyParams = shotParams.extend({ sequence: z.coerce.number().int() });

/** Comparing, matching, trusting; and the states that are compared. */
export function matchRoutes(api: Router, services: Services, may: RouteTerms): void {
  const { matches } = services;
  api.get('/shots/:shotId/match', async (request, response) => {
    response.json(await matches.newest(shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/match', may.ask, async (request, response) => {
    response.json(await matches.fit(shotParams.parse(request.params).shotId, matchOrderSchema.parse(request.body), focusOf(request)));
  });
  api.post('/shots/:shotId/match/streaks', may.ask, async (request, response) => {
    response.json(await matches.streaks(shotParams.parse(request.params).shotId, streakOrderSchema.parse(request.body)));
  });
  api.post('/shots/:shotId/trust', may.ask, async (request, response) => {
    response.json(
      await matches.trust(shotParams.parse(request.params).shotId, trustOrderSchema.parse(request.body).frame, focusOf(request)),
    );
  });
  api.get('/trust-maps/:map', async (request, response) => {
    const pixels = await matches.trustMap(mapParams.parse(request.params).map);
    response.set({ 'Cache-Control': 'private, max-age=600', 'Content-Type': 'application/octet-stream' }).end(pixels);
  });

  api.get('/shots/:shotId/report.:form', async (request, response) => {
    const { shotId, form } = reportParams.parse(request.params);
    const report = await shotReport(services, shotId, reportQuerySchema.parse(request.query).frame, focusOf(request));
    const name = `${report.shot.name.replace(/[^\w.-]+/g, '_')}_report.${form}`;
    response.set('Content-Disposition', `${form === 'html' ? 'inline' : 'attachment'}; filename="${name}"`);
    switch (form) {
      case 'json':
        response.json(report);
        return;
      case 'html':
        // Pictures are in the page; nothing else may be fetched by it, and nothing in it runs.
        response.set('Content-Security-Policy', "default-src 'none'; img-src data:; style-src 'unsafe-inline'");
        response.type('html').send(reportPage(report));
        return;
      case 'pdf':
        response.type('pdf').send(await printPage(reportPage(report)));
    }
  });

  api.get('/shots/:shotId/states', async (request, response) => {
    response.json(await statesOf(services, shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/states', may.change('kept the snapshot $'), async (request, response) => {
    const { name } = stateNameSchema.parse(request.body);
    response.status(201).json(await nameState(services, shotParams.parse(request.params).shotId, name));
  });
  api.delete('/shots/:shotId/states/:stateId', may.change('removed a snapshot'), async (request, response) => {
    const { shotId, stateId } = stateParams.parse(request.params);
    response.json(await removeState(services, shotId, stateId));
  });
  api.post('/shots/:shotId/states/:stateId/return', may.change('returned to a snapshot'), async (request, response) => {
    const { shotId, stateId } = stateParams.parse(request.params);
    response.json(await returnToState(services, shotId, stateId));
  });
  api.get('/shots/:shotId/states/:stateId/blurred/:frame', async (request, response) => {
    const { shotId, stateId, frame } = blurParams.parse(request.params);
    const pixels = await matches.blurOfState(shotId, stateId, frame, focusOf(request));
    response.set({ 'Cache-Control': 'private, no-cache', 'Content-Type': 'application/octet-stream' }).end(pixels);
  });
  api.get('/shots/:shotId/assembled/:frame', async (request, response) => {
    const { shotId, frame } = frameParams.parse(request.params);
    const pixels = await matches.assembled(shotId, frame);
    response.set({ 'Cache-Control': 'private, no-cache', 'Content-Type': 'application/octet-stream' }).end(pixels);
  });
  api.post('/shots/:shotId/history/:sequence', may.change('went to another change'), async (request, response) => {
    const { shotId, sequence } = historyParams.parse(request.params);
    response.json(await moveState(services, shotId, () => sequence));
  });
}
