import { motionAuditSchema, motionReadingSchema, motionRemapSchema, type RemapOrder, type ShotDetail } from '@ivrex/contract';
import type { MotionFact } from '@ivrex/core';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { focusQuery, requestJson } from './request';

/** What readings and audits of a shot's motion depend on. */
function dependsOn({ look, settings }: ShotDetail): unknown {
  const [{ beauty, motion }] = settings.elements;
  return [look, beauty, motion, settings.offsets, settings.readings, settings.fps];
}

/**
 * How the motion pass is stored, as the pictures tell. Null frame: of the frame that tells most at first, then, behind it, of several together.
 */
export function useMotionReading(detail: ShotDetail, frame: number | null, facts: readonly MotionFact[]) {
  const [{ beauty, motion }] = detail.settings.elements;
  const ask = (thorough: boolean, enabled: boolean) => ({
    queryKey: ['motion-reading', detail.shot.id, dependsOn(detail), frame, facts, thorough],
    enabled: enabled && beauty !== null && motion !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      requestJson(motionReadingSchema, `/shots/${detail.shot.id}/motion/reading${focusQuery(detail)}`, 'POST', { frame, thorough, facts }),
  });
  const quick = useQuery(ask(false, true)),
    thorough = useQuery(ask(true, frame === null && quick.isSuccess));
  return {
    reading: thorough.data ?? quick.data ?? null,
    isMeasuring: quick.isFetching,
    isGoingOn: thorough.isFetching,
    error: quick.error,
  };
}

function auditKey(detail: ShotDetail): unknown[] {
  return ['motion-audit', detail.shot.id, dependsOn(detail), detail.settings.elements[0].encoding];
}

/** Figures of all frames under the agreed encoding; asked for again while more are coming. */
export function useMotionAudit(detail: ShotDetail) {
  const [{ encoding, motion, beauty }] = detail.settings.elements;
  return useQuery({
    queryKey: auditKey(detail),
    enabled: encoding !== null && motion !== null && beauty !== null,
    queryFn: () => requestJson(motionAuditSchema.nullable(), `/shots/${detail.shot.id}/motion/audit${focusQuery(detail)}`),
    refetchInterval: (query) => (query.state.data?.state === 'running' ? 700 : false),
  });
}

export function useAuditControl(detail: ShotDetail) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (what: 'cancel' | 'resume') =>
      requestJson(motionAuditSchema.nullable(), `/shots/${detail.shot.id}/motion/audit/${what}${focusQuery(detail)}`, 'POST', {}),
    onSuccess: (audit) => client.setQueryData(auditKey(detail), audit),
  });
}

/** The motion that is being written for the shot, or was written last. */
export function useMotionRemap(shotId: string) {
  return useQuery({
    queryKey: ['motion-remap', shotId],
    queryFn: () => requestJson(motionRemapSchema.nullable(), `/shots/${shotId}/motion/remap`),
    refetchInterval: (query) => (query.state.data?.state === 'running' ? 500 : false),
  });
}

export function useOrderRemap(detail: ShotDetail) {
  const client = useQueryClient(),
    shotId = detail.shot.id;
  return useMutation({
    mutationFn: (order: RemapOrder | 'cancel') =>
      order === 'cancel'
        ? requestJson(motionRemapSchema.nullable(), `/shots/${shotId}/motion/remap/cancel`, 'POST', {})
        : requestJson(motionRemapSchema.nullable(), `/shots/${shotId}/motion/remap${focusQuery(detail)}`, 'POST', order),
    onSuccess: (status) => client.setQueryData(['motion-remap', shotId], status),
  });
}
