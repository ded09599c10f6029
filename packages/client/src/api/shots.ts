import {
  folderListingSchema,
  manifestSchema,
  shotDetailSchema,
  shotIdSchema,
  shotSummarySchema,
  workSchema,
  type ShotDetail,
  type ShotSettings,
} from '@ivrex/contract';
import { useMutation, useQuery, useQueryClient, type QueryClient } from '@tanstack/react-query';
import { App } from 'antd';
import { z } from 'zod';
import { ApiError, requestJson, sentenceOf } from './request';

export function useShots() {
  return useQuery({ queryKey: ['shots'], queryFn: () => requestJson(z.array(shotSummarySchema), '/shots'), refetchInterval: 3000 });
}

export function useFolder(folder: string | null, enabled: boolean) {
  return useQuery({
    queryKey: ['folder', folder],
    queryFn: () => requestJson(folderListingSchema, folder === null ? '/folders' : `/folders?folder=${encodeURIComponent(folder)}`),
    enabled,
  });
}

/** Object names of a Cryptomatte pass. */
export function useManifest(passId: string | null) {
  return useQuery({
    queryKey: ['manifest', passId],
    enabled: passId !== null,
    staleTime: 60000,
    queryFn: () => requestJson(manifestSchema, `/passes/${passId}/manifest`),
  });
}

/** Background work; asked often while some is running. */
export function useWork() {
  return useQuery({
    queryKey: ['work'],
    queryFn: () => requestJson(z.array(workSchema), '/work'),
    refetchInterval: (query) => (query.state.data?.some((w) => w.state === 'running') === false ? 10000 : 1000),
  });
}

/** Frames may still be arriving: the shot is asked again, and the server looks at its folder meanwhile. */
export function useShot(shotId: string) {
  return useQuery({
    refetchInterval: 3000,
    queryKey: ['shot', shotId],
    queryFn: () => requestJson(shotDetailSchema, `/shots/${shotId}`),
  });
}

export function useNewShot() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (folder: string) => requestJson(z.object({ id: shotIdSchema }), '/shots', 'POST', { folder }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['shots'] }),
  });
}

/** The newest state of a shot. An answer that was asked for before the change would bring the old one back, and the next change would be a conflict. */
async function keep(client: QueryClient, detail: ShotDetail): Promise<void> {
  await client.cancelQueries({ queryKey: ['shot', detail.shot.id] });
  client.setQueryData(['shot', detail.shot.id], detail);
  void client.invalidateQueries({ queryKey: ['shots'] });
}

/** Changes to one shot wait for each other, so that each is based on the one before. */
export function useChangeSettings(shotId: string) {
  const client = useQueryClient();
  const { message } = App.useApp();
  const mutation = useMutation({
    scope: { id: `shot-${shotId}` },
    mutationFn: async ({ change, label }: { change: (settings: ShotSettings) => ShotSettings; label: string }) => {
      await client.cancelQueries({ queryKey: ['shot', shotId] });
      const detail = client.getQueryData<ShotDetail>(['shot', shotId]);
      if (detail === undefined) throw new ApiError(0, 'notFound', 'The shot is not loaded yet.');
      return requestJson(shotDetailSchema, `/shots/${shotId}/settings`, 'PUT', {
        settings: change(detail.settings),
        label,
        basedOn: detail.state.sequence,
      });
    },
    onSuccess: (detail) => keep(client, detail),
    onError: (error) => {
      void message.error(sentenceOf(error));
      void client.invalidateQueries({ queryKey: ['shot', shotId] });
    },
  });
  /** Settles when the change is kept, or was refused and said so. */
  return (label: string, change: (settings: ShotSettings) => ShotSettings): Promise<void> =>
    mutation.mutateAsync({ change, label }).then(
      () => undefined,
      () => undefined,
    );
}

export function useStepState(shotId: string) {
  const client = useQueryClient();
  const { message } = App.useApp();
  return useMutation({
    scope: { id: `shot-${shotId}` },
    mutationFn: (step: 'undo' | 'redo') => requestJson(shotDetailSchema, `/shots/${shotId}/${step}`, 'POST', {}),
    onSuccess: (detail) => keep(client, detail),
    onError: (error) => void message.error(sentenceOf(error)),
  });
}

export function useLookAgain(shotId: string) {
  const client = useQueryClient();
  const { message } = App.useApp();
  return useMutation({
    mutationFn: () => requestJson(shotDetailSchema, `/shots/${shotId}/look-again`, 'POST', {}),
    onSuccess: (detail) => keep(client, detail),
    onError: (error) => void message.error(sentenceOf(error)),
  });
}
