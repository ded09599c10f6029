import type { Router } from 'express';
import { deliveryIdSchema, deliveryOptionsSchema, PRIORITIES, shotDocumentSchema, shotIdSchema } from '@ivrex/contract';
import { z } from 'zod';
import { cancel, changePriority, deliveriesOf, deliveryPlan, orderDelivery, pause, resume, wholeQueue } from '../services/deliveries';
import { exportJob, exportShot, importShot } from '../services/hand-over';
import type { Services } from '../services/services';
import type { RouteTerms } from './route-terms';

const shotParams = z.object({ shotId: shotIdSchema });
const deliveryParams = z.object({ deliveryId: deliveryIdSchema });
const documentOrderSchema = z.strictObject({ deliver: deliveryOptionsSchema.nullable() });
const prioritySchema = z.strictObject({ priority: z.enum(PRIORITIES) });

/** What is delivered, by whom, and how far it is. */
export function deliveryRoutes(api: Router, services: Services, may: RouteTerms): void {
  api.get('/shots/:shotId/deliveries', async (request, response) => {
    response.json(await deliveriesOf(services, shotParams.parse(request.params).shotId));
  });
  api.post('/shots/:shotId/deliveries', may.change('ordered the delivery $'), async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    response.status(201).json(await orderDelivery(services, shotId, deliveryOptionsSchema.parse(request.body)));
  });
  api.post('/shots/:shotId/deliveries/plan', may.ask, async (request, response) => {
    const { shotId } = shotParams.parse(request.params);
    response.json(await deliveryPlan(services, shotId, deliveryOptionsSchema.parse(request.body)));
  });
  for (const [name, action] of Object.entries({ cancel, pause, resume }))
    api.post(`/deliveries/:deliveryId/${name}`, may.change(`${name} of a delivery`), async (request, response) => {
      response.json(await action(services, deliveryParams.parse(request.params).deliveryId));
    });
  api.post('/shots/:shotId/document', may.ask, async (request, response) => {
    const { deliver } = documentOrderSchema.parse(request.body);
    response.json(await exportShot(services, shotParams.parse(request.params).shotId, deliver));
  });
  api.post('/shots/:shotId/job-template', may.ask, async (request, response) => {
    response.json(await exportJob(services, shotParams.parse(request.params).shotId, deliveryOptionsSchema.parse(request.body)));
  });
  api.post('/shots/:shotId/take-over', may.change('took settings over from a document'), async (request, response) => {
    response.json(await importShot(services, shotParams.parse(request.params).shotId, shotDocumentSchema.parse(request.body)));
  });
  api.put('/deliveries/:deliveryId/priority', may.change('moved a delivery in the queue'), async (request, response) => {
    const { deliveryId } = deliveryParams.parse(request.params);
    response.json(await changePriority(services, deliveryId, prioritySchema.parse(request.body).priority));
  });
  api.get('/queue', async (_request, response) => {
    response.json(await wholeQueue(services));
  });
}
