import { readingOf, unpackRaster, type PassId, type PictureChoice, type Raster, type ShotDetail } from '@ivrex/contract';
import { LRUCache } from 'lru-cache';
import { focusQuery, requestBytes } from './request';

const MAX_BYTES = 768 * 2 ** 20;
/** Decoded frames in memory, the longest unused dropped first. One that is larger is kept alone. */
const kept = new LRUCache<string, Raster>({ maxSize: MAX_BYTES, sizeCalculation: (raster) => Math.min(MAX_BYTES, bytesOf(raster)) });
/** What is on its way: whoever asks meanwhile waits for the same. */
const coming = new Map<string, Promise<Raster>>();
const listeners = new Set<() => void>();

export type RasterForm = 'picture' | 'planes';

/** How the shot numbers and reads each pass: a picture that is read otherwise is another picture. */
const stamps = new Map<string, string>();

let folderLook = '';

/** What failed before the folder changed may be there now. */
export function currentLook(): string {
  return folderLook;
}

export function stampPasses({ passes, settings, look }: Pick<ShotDetail, 'passes' | 'settings' | 'look'>): void {
  folderLook = look;
  for (const pass of passes) {
    const reading = readingOf(settings, pass);
    const borrowed = reading.alpha.kind === 'borrowed' ? reading.alpha.pass : null;
    const other = passes.find((p) => p.id === borrowed)?.offset ?? 0;
    stamps.set(pass.id, `${pass.offset}/${other}/${JSON.stringify(reading)}`);
  }
}

export function stampOf(passId: string | null): string {
  return passId === null ? '' : (stamps.get(passId) ?? '');
}

function keyOf(passId: string, frame: number, form: RasterForm, every: number, tried: PictureChoice | null): string {
  return `${passId}/${frame}/${form}/${every}/${form === 'planes' ? stampOf(passId).split('/', 1)[0] : tried === null ? stampOf(passId) : JSON.stringify(tried)}`;
}

/** The pass at a frame, as the shot reads it or as `tried` would. A failure is not kept: the file may come. */
export function loadRaster(
  passId: PassId,
  frame: number,
  form: RasterForm,
  every = 1,
  tried: PictureChoice | null = null,
): Promise<Raster> {
  const key = keyOf(passId, frame, form, every, tried);
  const known = kept.get(key);
  if (known !== undefined) return Promise.resolve(known);
  const promise = coming.get(key) ?? fetchRaster(key, passId, frame, form, every, tried);
  coming.set(key, promise);
  return promise;
}

async function fetchRaster(
  key: string,
  passId: PassId,
  frame: number,
  form: RasterForm,
  every: number,
  tried: PictureChoice | null,
): Promise<Raster> {
  const reading = tried === null ? '' : `&reading=${encodeURIComponent(JSON.stringify(tried))}`;
  const asked = forgotten;
  try {
    const raster = unpackRaster(await requestBytes(`/passes/${passId}/frames/${frame}?form=${form}&every=${every}${reading}`));
    if (asked === forgotten) kept.set(key, raster);
    return raster;
  } finally {
    if (asked === forgotten) coming.delete(key);
    for (const listener of listeners) listener();
  }
}

function bytesOf({ planes }: Raster): number {
  return planes.reduce((sum, { byteLength }) => sum + byteLength, 0);
}

export function isRasterReady(passId: string, frame: number, form: RasterForm): boolean {
  return kept.has(keyOf(passId, frame, form, 1, null));
}

/** A frame blurred by the server under a named state; the server keeps the last ones. */
export async function loadBlurOfState(detail: ShotDetail, stateId: string, frame: number): Promise<Raster> {
  return unpackRaster(await requestBytes(`/shots/${detail.shot.id}/states/${stateId}/blurred/${frame}${focusQuery(detail)}`));
}

/** A frame of the assembled shot as the server makes it, from the settings that are kept. */
export async function loadAssembled(shotId: string, frame: number): Promise<Raster> {
  return unpackRaster(await requestBytes(`/shots/${shotId}/assembled/${frame}`));
}

/** The pixels of a trust map: planes by name. */
export async function loadTrustMap(map: string): Promise<Raster> {
  return unpackRaster(await requestBytes(`/trust-maps/${map}`));
}

/** Called whenever a frame has arrived. Returns how to stop. */
export function onRasterReady(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** How often what is in memory was forgotten: what was asked for before is not kept when it comes. */
let forgotten = 0;

/** Files on disk may have changed. */
export function forgetRasters(): void {
  forgotten++;
  kept.clear();
  coming.clear();
}
