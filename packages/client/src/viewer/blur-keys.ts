import { neighboursToMix, shutterAt, type ShutterPlan, type WantedNeighbours } from '@ivrex/core';
import {
  blurredElement,
  byFactor,
  lightsOf,
  shutterOfElement,
  surfaceOf,
  type Element,
  type ShotDetail,
  type ShotSettings,
} from '@ivrex/contract';
import { stampOf } from '../api/raster-cache';

export function rateOf({ settings, passes }: ShotDetail, { beauty }: Element): number | null {
  return settings.fps ?? passes.find((p) => p.id === beauty)?.fps ?? null;
}

/** Everything that the decoded motion of a frame depends on. */
export function fieldKey(detail: ShotDetail, element: Element, frame: number): string {
  const { settings } = detail,
    blurred = blurredElement(settings, element),
    { beauty, motion, depth, depthEncoding, ids, idChannel, encoding, repairs, matte, place } = blurred,
    parts = [surfaceOf(settings, element)?.beauty ?? null, ...lightsOf(settings, element).map((light) => light.beauty)],
    passes = [beauty, motion, depth, ids, matte?.pass ?? null, ...parts];
  const shape = [matte, place.edge, place.shadow];
  return JSON.stringify([
    ...passes,
    encoding,
    depthEncoding,
    idChannel,
    repairs,
    shape,
    frame,
    rateOf(detail, element),
    ...passes.map(stampOf),
  ]);
}

/** Everything that a frame's plan depends on, but for its reach; a neighbour that comes or goes counts too. */
export function planKey(detail: ShotDetail, element: Element, frame: number): string {
  const { path, hidden, background } = detail.settings;
  const frames = detail.passes.find((p) => p.id === element.beauty)?.frames;
  const around = [frame - 1, frame + 1].map((f) => frames?.includes(f) ?? false);
  return `${fieldKey(detail, element, frame)}/${path}/${hidden}/${background ?? ''}/${stampOf(background)}/${String(around)}`;
}

/** Everything that a frame blurred without its light passes depends on. */
export function surfaceKey(detail: ShotDetail, element: Element, shutter: ShutterPlan, frame: number): string {
  const { opens, closes, strength, shape } = shutterAt(shutter, frame);
  const exposure = [opens, closes, strength, shape ?? { kind: 'even' }, shutter.floorPx, shutter.ceilingPx, detail.settings.samples];
  const frames = detail.passes.find((p) => p.id === element.beauty)?.frames;
  const beside = [frame - 2, frame + 2].map((f) => frames?.includes(f) ?? false);
  return `${planKey(detail, element, frame)}/${JSON.stringify(exposure)}/${detail.settings.bothFrames}/${String(beside)}`;
}

/** Everything that a blurred frame depends on. */
export function blurKey(detail: ShotDetail, element: Element, shutter: ShutterPlan, frame: number): string {
  const lights = blurredLights(detail.settings, element, shutter).map((light) => surfaceKey(detail, light.element, light.shutter, frame));
  return [surfaceKey(detail, element, shutter, frame), ...lights].join('+');
}

/** The light passes that are blurred apart from an element, each with its shutter: the element's under `shutter` unless it has one of its own. */
export function blurredLights(
  settings: ShotSettings,
  element: Element,
  shutter: ShutterPlan,
): { readonly element: Element; readonly shutter: ShutterPlan }[] {
  return lightsOf(settings, element).map((light) => ({
    element: light,
    shutter: light.shutter === null ? byFactor(shutter, light.factor) : shutterOfElement(settings, light),
  }));
}

/** The neighbours that an exact picture of a frame is mixed with. */
export function wantedBy({ bothFrames, path }: ShotSettings, shutter: ShutterPlan, frame: number): WantedNeighbours {
  return neighboursToMix({ bothFrames, quality: 'final', shutter: shutterAt(shutter, frame), limits: shutter, path });
}
