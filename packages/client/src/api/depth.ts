import { depthDetectionSchema, type DepthAnswer, type Element, type PassId, type ShotDetail } from '@ivrex/contract';
import type { DepthEncoding } from '@ivrex/core';
import { useQuery } from '@tanstack/react-query';
import { requestJson } from './request';

/** Everything that a detection depends on. */
function keyOf({ shot, look, settings }: ShotDetail, { id, beauty, motion, depth, encoding, matte, place }: Element): string {
  return JSON.stringify([
    shot.id,
    look,
    settings.offsets,
    settings.readings,
    id,
    beauty,
    motion,
    depth,
    encoding,
    matte,
    place.edge,
    place.shadow,
  ]);
}

const asked = new Map<string, Promise<DepthAnswer | null>>();
const MOST_KEPT = 100;

/** How an element's depth pass is stored, as the server measures it. A failure is not kept. */
function measuredDepth(detail: ShotDetail, element: Element): Promise<DepthAnswer | null> {
  const key = keyOf(detail, element);
  const known = asked.get(key);
  if (known !== undefined) return known;
  const promise = requestJson(depthDetectionSchema.nullable(), `/shots/${detail.shot.id}/depth?element=${element.id}`);
  asked.set(key, promise);
  promise.catch(() => asked.delete(key));
  if (asked.size > MOST_KEPT) asked.delete(asked.keys().next().value ?? '');
  return promise;
}

/** What an element's depth is read with: as it was chosen, else as it is measured. Null: it has none that can be used. */
export async function depthEncodingOf(detail: ShotDetail, element: Element): Promise<DepthEncoding | null> {
  if (element.depth === null || element.depthEncoding !== null) return element.depthEncoding;
  const found = await measuredDepth(detail, element);
  return found !== null && found.isDepth ? found.encoding : null;
}

/** The same of one channel of the pass, when the artist knows better which it is. */
export function measureDepthChannel({ shot }: ShotDetail, { id }: Element, channel: string): Promise<DepthAnswer | null> {
  return requestJson(depthDetectionSchema.nullable(), `/shots/${shot.id}/depth?element=${id}&channel=${encodeURIComponent(channel)}`);
}

/** The encoding of the main element's depth, for looking at that pass. */
export function useShownDepth(detail: ShotDetail): { readonly pass: PassId | null; readonly encoding: DepthEncoding | null } {
  const [element] = detail.settings.elements,
    measured = useMeasuredDepth(detail, element).data;
  return { pass: element.depth, encoding: element.depthEncoding ?? (measured?.isDepth ? measured.encoding : null) };
}

export function useMeasuredDepth(detail: ShotDetail, element: Element) {
  return useQuery({
    queryKey: ['depth', keyOf(detail, element)],
    enabled: element.depth !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: () => measuredDepth(detail, element),
  });
}
