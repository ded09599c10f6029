import {
  cameraTrackSchema,
  foundOffsetSchema,
  makingMotionSchema,
  motionTrialSchema,
  shotDetailSchema,
  type MadeName,
  type MadeSource,
  type ShotDetail,
} from '@ivrex/contract';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { z } from 'zod';
import { focusQuery, requestJson } from './request';

/** One frame's worth of made motion, held against the pictures. Null source: nothing is chosen yet. */
export function useMotionTrial(detail: ShotDetail, source: MadeSource | null, frame: number) {
  const { shot, settings, look } = detail,
    { beauty } = settings.elements[0];
  return useQuery({
    queryKey: ['motion-trial', shot.id, look, beauty, settings.readings, settings.offsets, source, frame],
    enabled: source !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: () => requestJson(motionTrialSchema, `/shots/${shot.id}/motion/make/try${focusQuery(detail)}`, 'POST', { source, frame }),
  });
}

/** The motion that is being made for the shot; when it is done the shot is asked anew. */
export function useMakingMotion(shotId: string) {
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ['motion-make', shotId],
    queryFn: () => requestJson(makingMotionSchema.nullable(), `/shots/${shotId}/motion/make`),
    refetchInterval: (q) => (q.state.data?.state === 'running' ? 500 : false),
  });
  const wasRunning = useRef(false),
    isRunning = query.data?.state === 'running';
  useEffect(() => {
    if (wasRunning.current && !isRunning) void client.invalidateQueries({ queryKey: ['shot', shotId] });
    wasRunning.current = isRunning;
  }, [client, isRunning, shotId]);
  return query;
}

export function useMakeMotion(detail: ShotDetail) {
  const client = useQueryClient(),
    shotId = detail.shot.id;
  return useMutation({
    mutationFn: (source: MadeSource | 'cancel') =>
      source === 'cancel'
        ? requestJson(makingMotionSchema.nullable(), `/shots/${shotId}/motion/make/cancel`, 'POST', {})
        : requestJson(makingMotionSchema.nullable(), `/shots/${shotId}/motion/make${focusQuery(detail)}`, 'POST', { source }),
    onSuccess: (status) => client.setQueryData(['motion-make', shotId], status),
  });
}

/** Which frames of another render are this shot's. Null: none is chosen. */
export function useFoundOffset(detail: ShotDetail, other: { id: string; changedAt: string } | null) {
  const { shot, settings, look } = detail;
  return useQuery({
    queryKey: ['motion-offset', shot.id, look, settings.elements[0].beauty, settings.readings, other],
    enabled: other !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: () => requestJson(foundOffsetSchema, `/shots/${shot.id}/motion/make/offset${focusQuery(detail)}`, 'POST', { shot: other?.id }),
  });
}

export function useRemoveMade(shotId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (name: MadeName) => requestJson(shotDetailSchema, `/shots/${shotId}/motion/made/${name}`, 'DELETE'),
    onSuccess: (detail) => client.setQueryData(['shot', shotId], detail),
  });
}

export function useCameraTracks(shotId: string) {
  return useQuery({ queryKey: ['cameras', shotId], queryFn: () => requestJson(z.array(cameraTrackSchema), `/shots/${shotId}/cameras`) });
}

export function useAddCameraTrack(shotId: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) =>
      requestJson(z.array(cameraTrackSchema), `/shots/${shotId}/cameras`, 'POST', { name: file.name, base64: await base64Of(file) }),
    onSuccess: (list) => client.setQueryData(['cameras', shotId], list),
  });
}

async function base64Of(file: File): Promise<string> {
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = '';
  // Spread in pieces: arguments of a call are limited.
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return btoa(text);
}
