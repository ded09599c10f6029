import { shotDetailSchema, type DeliveryOptions } from '@ivrex/contract';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { z } from 'zod';
import { saveAsFile } from './save-as-file';
import { requestJson } from './request';

/** Hands the artist the shot's document, or a farm's job. */
export function useExportShot(shotId: string, shot: string) {
  return useMutation({
    mutationFn: async ({ what, options }: { what: 'shot' | 'job'; options: DeliveryOptions | null }) => {
      const file = z.record(z.string(), z.unknown());
      if (what === 'shot') saveAsFile(`${shot}.shot`, await requestJson(file, `/shots/${shotId}/document`, 'POST', { deliver: options }));
      else saveAsFile(`${shot}.job`, await requestJson(file, `/shots/${shotId}/job-template`, 'POST', options));
    },
  });
}

/** Takes all settings from a document. */
export function useTakeOver(shotId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) => {
      let document: unknown;
      try {
        document = JSON.parse(await file.text());
      } catch {
        throw new Error(`${file.name} is not JSON`);
      }
      return requestJson(shotDetailSchema, `/shots/${shotId}/take-over`, 'POST', document);
    },
    onSuccess: (detail) => {
      client.setQueryData(['shot', shotId], detail);
      return client.invalidateQueries({ queryKey: ['shot', shotId] });
    },
  });
}
