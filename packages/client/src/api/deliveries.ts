import { deliverySchema, type DeliveryOptions } from '@ivrex/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { requestJson } from './request';

export function useDeliveries(shotId: string) {
  return useQuery({
    queryKey: ['deliveries', shotId],
    queryFn: () => requestJson(z.array(deliverySchema), `/shots/${shotId}/deliveries`),
    refetchInterval: (query) => (query.state.data?.some((d) => d.state === 'running') ? 700 : 5000),
  });
}

export function useOrderDelivery(shotId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (options: DeliveryOptions) => requestJson(deliverySchema, `/shots/${shotId}/deliveries`, 'POST', options),
    onSettled: () => client.invalidateQueries({ queryKey: ['deliveries', shotId] }),
  });
}

export function useDeliveryAction(shotId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ id, action }: { id: string; action: 'cancel' | 'resume' }) =>
      requestJson(deliverySchema, `/deliveries/${id}/${action}`, 'POST', {}),
    onSettled: () => client.invalidateQueries({ queryKey: ['deliveries', shotId] }),
  });
}
