import { deliverySchema, savedEncodingSchema, type DeliveryOptions } from '@ivrex/contract';
import type { Encoding } from '@ivrex/core';
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

export function useEncodings() {
  return useQuery({ queryKey: ['encodings'], queryFn: () => requestJson(z.array(savedEncodingSchema), '/encodings') });
}

export function useSaveEncoding() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (saved: { name: string; document: Encoding }) => requestJson(z.array(savedEncodingSchema), '/encodings', 'POST', saved),
    onSuccess: (list) => client.setQueryData(['encodings'], list),
  });
}
