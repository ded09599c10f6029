import {
  blurredElement,
  lightsOf,
  readingOf,
  surfaceOf,
  type Element,
  type ElementMatte,
  type PassId,
  type Raster,
  type ShotDetail,
} from '@ivrex/contract';
import {
  decodeDepth,
  depthChannelNames,
  IvrexError,
  noSuchChannel,
  objectIds,
  storedDepth,
  resizeNearest,
  type DepthEncoding,
  type MattePlanes,
  type SampleType,
} from '@ivrex/core';
import { depthEncodingOf } from '../api/depth';
import { loadRaster } from '../api/raster-cache';
import { sentenceOf } from '../api/request';
import { namedPlanes } from './data-picture';
import type { FrameInputs, FrameRasters } from '../workers/blur-work';
import type { PictureParts, ShapeInputs } from '../workers/shaped-picture';
import { rateOf } from './blur-keys';

export type LoadedInputs = Omit<FrameInputs, 'path' | 'hidden' | 'reachFrames' | 'previous' | 'next' | 'background'>;
/** What helps a frame's blur from outside it, and in sentences what of it could not be used. */
export interface Around extends Pick<FrameInputs, 'previous' | 'next' | 'background'> {
  readonly notes: readonly string[];
}

export const NOTHING_AROUND: Around = { previous: null, next: null, background: null, notes: [] };

/** The frames before and after, where all their passes are there, and the clean background. What can't be loaded is done without, and said. */
export async function loadAround(detail: ShotDetail, element: Element, frame: number, now: LoadedInputs): Promise<Around> {
  const { hidden, background } = detail.settings;
  const { depth, ids, matte } = blurredElement(detail.settings, element),
    surface = surfaceOf(detail.settings, element),
    lights = lightsOf(detail.settings, element).map((light) => light.beauty);
  const passes = [element.beauty, element.motion, depth, ids, matte?.pass ?? null, surface?.beauty ?? null, ...lights].filter(
    (pass) => pass !== null,
  );
  const isThere = (f: number) => passes.every((pass) => detail.passes.find((p) => p.id === pass)?.frames?.includes(f) ?? false);
  const notes: string[] = [];
  const orNote = <T>(what: string, work: Promise<T | null>): Promise<T | null> =>
    work.catch((error: unknown) => {
      notes.push(`${what} is not used: ${sentenceOf(error)}`);
      return null;
    });
  const neighbour = async (which: string, f: number): Promise<FrameRasters | null> => {
    if (!isThere(f)) return null;
    const { width, height, rasters } = await loadRasters(detail, element, f);
    if (width === now.width && height === now.height) return rasters;
    notes.push(`The frame ${which} is not used: it is ${width} x ${height} instead of ${now.width} x ${now.height}.`);
    return null;
  };
  const behind = async (): Promise<FrameInputs['background']> => {
    // What lies behind a cut-out or a shadow is another element.
    if (background === null || hidden === 'off' || matte !== null || element.place.shadow !== null || surface !== null) return null;
    const {
      header: { width, height },
      planes,
    } = await loadRaster(background, frame, 'picture');
    if (width !== now.width || height !== now.height)
      notes.push(`The clean background is ${width} x ${height}, the beauty ${now.width} x ${now.height}: it was scaled.`);
    return { rgba: planes[0] as Uint16Array, width, height };
  };
  const [previous, next, clean] = await Promise.all([
    orNote('The frame before', neighbour('before', frame - 1)),
    orNote('The frame after', neighbour('after', frame + 1)),
    orNote('The clean background', behind()),
  ]);
  return { previous, next, background: clean, notes };
}

/** The frame before or after as a frame of its own, for blur that is mixed of both; null where it is not there. */
export async function loadNeighbour(
  detail: ShotDetail,
  element: Element,
  frame: number,
  at: -1 | 1,
  { previous, next }: Pick<Around, 'previous' | 'next'>,
): Promise<(LoadedInputs & Around) | null> {
  if ((at < 0 ? previous : next) === null) return null;
  const now = await loadInputs(detail, element, frame + at);
  return { ...now, ...(await loadAround(detail, element, frame + at, now)) };
}

export async function loadInputs(detail: ShotDetail, element: Element, frame: number): Promise<LoadedInputs> {
  if (element.encoding === null) throw new TypeError('the element is not complete');
  const { width, height, rasters } = await loadRasters(detail, element, frame);
  const shape = shapeInputs(detail, element);
  return { ...rasters, ...shape, width, height, repairs: element.repairs, encoding: element.encoding, fps: rateOf(detail, element) };
}

/** How an element is made of its pictures. */
export function shapeInputs(detail: ShotDetail, element: Element): ShapeInputs {
  const { matte, place } = blurredElement(detail.settings, element),
    hasAlpha = surfaceOf(detail.settings, element) !== null || alphaKind(detail, element.beauty) !== null;
  return { shape: { edge: place.edge, shadow: place.shadow }, choice: matte, hasAlpha };
}

/** How a picture's alpha is stored; null where it says nothing. */
function alphaKind({ passes, settings }: ShotDetail, id: PassId | null): 'straight' | 'premultiplied' | null {
  const pass = passes.find((p) => p.id === id);
  if (pass === undefined) return null;
  const { alpha } = readingOf(settings, pass);
  if (alpha.kind === 'borrowed') return alpha.premultiplied ? 'premultiplied' : 'straight';
  if (alpha.kind === 'none' || !pass.channels.some((c) => /^a(lpha)?$/i.test(c.name))) return null;
  return alpha.kind === 'straight' ? 'straight' : 'premultiplied';
}

/** The pictures that an element's is put together of. @throws when a light pass has another size than the picture that it is part of */
export async function loadParts(
  detail: ShotDetail,
  element: Element,
  frame: number,
): Promise<Omit<PictureParts, 'matte'> & { readonly width: number; readonly height: number }> {
  const { settings } = detail,
    surface = surfaceOf(settings, element)?.beauty ?? null;
  if (element.beauty === null) throw new TypeError('the element is not complete');
  const isStraight = (whole: PassId | null, light: PassId | null) =>
    alphaKind(detail, whole) === 'straight' && alphaKind(detail, light) === null;
  const picture = await loadRaster(element.beauty, frame, 'picture'),
    { width, height } = picture.header;
  const partOf = async (id: PassId): Promise<Uint16Array> => {
    const { header, planes } = await loadRaster(id, frame, 'picture');
    if (header.width !== width || header.height !== height)
      throw new IvrexError(
        'sizeMismatch',
        `a light pass and the beauty that it is part of are ${header.width} x ${header.height} and ${width} x ${height}`,
      );
    return planes[0] as Uint16Array;
  };
  const without = lightsOf(settings, element).flatMap(({ name, beauty }) => (beauty === null ? [] : [{ name, beauty }]));
  return {
    width,
    height,
    beauty: picture.planes[0] as Uint16Array,
    without: await Promise.all(
      without.map(async ({ name, beauty }) => ({ name, rgba: await partOf(beauty), isStraight: isStraight(element.beauty, beauty) })),
    ),
    cover: surface && {
      rgba: await partOf(surface),
      hasAlpha: alphaKind(detail, surface) !== null,
      isStraight: isStraight(surface, element.beauty),
    },
  };
}

/** Planes of a matte pass as they are stored. */
export async function loadMattePlanes(matte: ElementMatte | null, frame: number): Promise<MattePlanes | null> {
  if (matte === null) return null;
  const raster = await loadRaster(matte.pass, frame, 'planes');
  return { width: raster.header.width, height: raster.header.height, planes: namedPlanes(raster) };
}

/** By short name. */
function typesOf({ passes }: ShotDetail, id: string | null): ReadonlyMap<string, SampleType> {
  return new Map(passes.find((p) => p.id === id)?.channels.map((c) => [c.name, c.type] as const) ?? []);
}

async function loadRasters(
  detail: ShotDetail,
  element: Element,
  frame: number,
): Promise<{ width: number; height: number; rasters: FrameRasters }> {
  const blurred = blurredElement(detail.settings, element),
    { motion, depth, ids, idChannel, matte } = blurred;
  if (motion === null) throw new TypeError('the element is not complete');
  const [{ width, height, ...parts }, vectors, distances, objects, cut, depthEncoding] = await Promise.all([
    loadParts(detail, element, frame),
    loadRaster(motion, frame, 'planes'),
    depth && loadRaster(depth, frame, 'planes'),
    ids && loadRaster(ids, frame, 'planes'),
    loadMattePlanes(matte, frame),
    // Measured for the element whose depth it is.
    depthEncodingOf(detail, surfaceOf(detail.settings, element) ?? element),
  ]);
  const planes = new Map(namedPlanes(vectors).map(({ name, data }) => [name, data]));
  return {
    width,
    height,
    rasters: {
      ...parts,
      motion: { width: vectors.header.width, height: vectors.header.height, planes, types: typesOf(detail, motion) },
      depth: distances && depthEncoding && depthPlane(detail, blurred, distances, depthEncoding, width, height),
      matte: cut,
      ids: objects && atSize(objects, objectIds(namedPlanes(objects), objects.header.width, idChannel), width, height),
    },
  };
}

/** The decoded depth of a raster at the picture's size; null when its positions fit no camera. @throws IvrexError missingChannel */
export function depthPlane(
  detail: ShotDetail,
  { depth }: Element,
  raster: Raster,
  encoding: DepthEncoding,
  width: number,
  height: number,
): Float32Array | null {
  const types = typesOf(detail, depth),
    channels = namedPlanes(raster).map(({ name, data }) => ({ name, data, type: types.get(name) ?? ('float' as const) }));
  if (depthChannelNames(encoding).some((name) => !channels.some((c) => c.name === name)))
    throw noSuchChannel(encoding, raster.header.names);
  const stored = storedDepth(channels, raster.header.width, encoding);
  return stored && atSize(raster, decodeDepth(stored, encoding), width, height);
}

function atSize<T extends Float32Array | Uint32Array>({ header }: Raster, plane: T, width: number, height: number): T {
  return resizeNearest(plane, header.width, header.height, width, height);
}
