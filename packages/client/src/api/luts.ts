import { lutIdSchema, lutSchema } from '@ivrex/contract';
import { parseCubeLut, type CubeLut } from '@ivrex/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { requestBytes, requestJson } from './request';

export function useLuts() {
  return useQuery({ queryKey: ['luts'], queryFn: () => requestJson(z.array(lutSchema), '/luts') });
}

/** The table itself; it never changes under its id. */
export function useLut(id: string | null) {
  return useQuery({
    queryKey: ['lut', id],
    enabled: id !== null,
    staleTime: Infinity,
    queryFn: async (): Promise<CubeLut> => parseCubeLut(new TextDecoder().decode(await requestBytes(`/luts/${id}`))),
  });
}

export function useAddLut() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (lut: { name: string; text: string }) => requestJson(z.object({ id: lutIdSchema }), '/luts', 'POST', lut),
    onSuccess: () => client.invalidateQueries({ queryKey: ['luts'] }),
  });
}
