import { deliveryPlanSchema, deliverySchema, queueSchema, type Delivery, type DeliveryOptions, type Priority } from '@ivrex/contract';
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { requestJson } from './request';

const isOpen = (d: Delivery) => d.state === 'running' || d.state === 'finishing' || d.state === 'paused';

export function useDeliveries(shotId: string) {
  return useQuery({
    queryKey: ['deliveries', shotId],
    queryFn: () => requestJson(z.array(deliverySchema), `/shots/${shotId}/deliveries`),
    refetchInterval: (query) => (query.state.data?.some(isOpen) ? 700 : 5000),
  });
}

/** Everything that is delivered, and who does it. */
export function useQueue() {
  return useQuery({
    queryKey: ['queue'],
    queryFn: () => requestJson(queueSchema, '/queue'),
    refetchInterval: (query) => (query.state.data?.deliveries.some(isOpen) ? 1000 : 4000),
  });
}

/** What a delivery would be. `changes` stands for all that the answer depends on besides the options. Null options are not asked about. */
export function useDeliveryPlan(shotId: string, options: DeliveryOptions | null, changes: unknown) {
  return useQuery({
    queryKey: ['delivery-plan', shotId, options, changes],
    enabled: options !== null,
    placeholderData: keepPreviousData,
    // Disks fill up and others deliver.
    refetchInterval: 15000,
    queryFn: () => requestJson(deliveryPlanSchema, `/shots/${shotId}/deliveries/plan`, 'POST', options),
  });
}

function useAnew() {
  const client = useQueryClient();
  return () => Promise.all(['deliveries', 'queue', 'delivery-plan'].map((key) => client.invalidateQueries({ queryKey: [key] })));
}

export function useOrderDelivery(shotId: string) {
  const anew = useAnew();
  return useMutation({
    mutationFn: (options: DeliveryOptions) => requestJson(deliverySchema, `/shots/${shotId}/deliveries`, 'POST', options),
    onSettled: anew,
  });
}

export type DeliveryAction = 'cancel' | 'pause' | 'resume' | { readonly priority: Priority };

export function useDeliveryAction() {
  const anew = useAnew();
  return useMutation({
    mutationFn: ({ id, action }: { id: string; action: DeliveryAction }) =>
      typeof action === 'string'
        ? requestJson(deliverySchema, `/deliveries/${id}/${action}`, 'POST', {})
        : requestJson(deliverySchema, `/deliveries/${id}/priority`, 'PUT', action),
    onSettled: anew,
  });
}
