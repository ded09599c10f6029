import { savedEncodingSchema } from '@ivrex/contract';
import type { Encoding } from '@ivrex/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { requestJson } from './request';

const listSchema = z.array(savedEncodingSchema);

export function useEncodings() {
  return useQuery({ queryKey: ['encodings'], queryFn: () => requestJson(listSchema, '/encodings') });
}

/** Saving under a known name makes its next version. */
export function useSaveEncoding() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (saved: { name: string; document: Encoding; fingerprint: string | null }) =>
      requestJson(listSchema, '/encodings', 'POST', saved),
    onSuccess: (list) => client.setQueryData(['encodings'], list),
  });
}

export function useRemoveEncoding() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (id: string) => requestJson(listSchema, `/encodings/${id}`, 'DELETE'),
    onSuccess: (list) => client.setQueryData(['encodings'], list),
    onError: () => client.invalidateQueries({ queryKey: ['encodings'] }),
  });
}
