import {
  matchReportSchema,
  shotDetailSchema,
  shotStatesSchema,
  streakReportSchema,
  trustReportSchema,
  type MatchOrder,
  type NamedStateId,
  type ShotDetail,
  type ShotId,
  type StreakOrder,
} from '@ivrex/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { App } from 'antd';
import { focusQuery, requestJson, sentenceOf } from './request';

/** The shutter that was found last. */
export function useNewestMatch(shotId: ShotId) {
  return useQuery({
    queryKey: ['match', shotId],
    queryFn: () => requestJson(matchReportSchema.nullable(), `/shots/${shotId}/match`),
  });
}

export function useFindShutter(detail: ShotDetail) {
  const client = useQueryClient(),
    shotId = detail.shot.id;
  return useMutation({
    mutationFn: (order: MatchOrder) => requestJson(matchReportSchema, `/shots/${shotId}/match${focusQuery(detail)}`, 'POST', order),
    onSuccess: (report) => client.setQueryData(['match', shotId], report),
  });
}

export function useMeasureStreaks(shotId: ShotId) {
  return useMutation({
    mutationFn: (order: StreakOrder) => requestJson(streakReportSchema, `/shots/${shotId}/match/streaks`, 'POST', order),
  });
}

/** Where a frame can't be trusted under what is set now. Made when it is looked at. */
export function useTrust(detail: ShotDetail, frame: number, enabled: boolean) {
  const { shot, settings, look } = detail;
  return useQuery({
    queryKey: ['trust', shot.id, frame, look, { ...settings, mattes: null, displayTransform: null }],
    enabled,
    staleTime: 300000,
    retry: false,
    queryFn: () => requestJson(trustReportSchema, `/shots/${shot.id}/trust${focusQuery(detail)}`, 'POST', { frame }),
  });
}

/** Named states and the history; asked again whenever the shot has moved on. */
export function useStates(detail: ShotDetail) {
  const { shot, state } = detail;
  return useQuery({
    queryKey: ['states', shot.id, state.sequence, state.redo],
    queryFn: () => requestJson(shotStatesSchema, `/shots/${shot.id}/states`),
    placeholderData: (before) => before,
  });
}

export function useStateActions(shotId: ShotId) {
  const client = useQueryClient();
  const { message } = App.useApp();
  const onError = (error: unknown) => void message.error(sentenceOf(error));
  const listed = () => client.invalidateQueries({ queryKey: ['states', shotId] });
  const moved = (detail: ShotDetail) => {
    client.setQueryData(['shot', shotId], detail);
    return listed();
  };
  const scope = { id: `shot-${shotId}` };
  return {
    name: useMutation({
      scope,
      mutationFn: (name: string) => requestJson(shotStatesSchema, `/shots/${shotId}/states`, 'POST', { name }),
      onSuccess: listed,
      onError,
    }),
    remove: useMutation({
      scope,
      mutationFn: (id: NamedStateId) => requestJson(shotStatesSchema, `/shots/${shotId}/states/${id}`, 'DELETE'),
      onSuccess: listed,
      onError,
    }),
    returnTo: useMutation({
      scope,
      mutationFn: (id: NamedStateId) => requestJson(shotDetailSchema, `/shots/${shotId}/states/${id}/return`, 'POST', {}),
      onSuccess: moved,
      onError,
    }),
    go: useMutation({
      scope,
      mutationFn: (sequence: number) => requestJson(shotDetailSchema, `/shots/${shotId}/history/${sequence}`, 'POST', {}),
      onSuccess: moved,
      onError,
    }),
  };
}
