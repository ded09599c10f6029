import {
  opacityAt,
  passBelow,
  shutterOfElement,
  stackOf,
  type Element,
  type ElementId,
  type ElementMatte,
  type Pass,
  type PassId,
  type ShotId,
  type ShotSettings,
} from '@ivrex/contract';
import { IvrexError, plateFrame, shutterAt, type ShutterPlan } from '@ivrex/core';
import type { AssembledFrame, FrameElement, FrameFiles, FrameSources, MatteFile, PassFile } from '@ivrex/media';
import type { Db } from '../db/database';
import { listPasses } from '../db/queries/list-passes';
import { listShots } from '../db/queries/list-shots';
import { passFileAt, pictureFileAt } from './frames';

/** An element by its id; null or one that is gone is the main one. */
export function elementOf({ elements }: Pick<ShotSettings, 'elements'>, id: ElementId | null): Element {
  return elements.find((e) => e.id === id) ?? elements[0];
}

/** What an element that can be made has: a picture, and motion only together with how it is stored. */
export function readyElement({ name, beauty, motion, encoding, depth, ids, matte }: Element) {
  if (beauty === null) throw new IvrexError('badSetting', `${name} has no picture; choose a beauty pass in step Passes first`);
  if (motion !== null && encoding === null)
    throw new IvrexError('badSetting', `say how the motion of ${name} is stored in step Motion first`);
  return { beauty, moves: motion !== null && encoding !== null ? { motion, encoding } : null, depth, ids, matte };
}

/** The same of one that is to be blurred. @throws IvrexError badSetting */
function movingElement(element: Element) {
  const ready = readyElement(element);
  if (ready.moves === null) throw new IvrexError('badSetting', 'choose a beauty and a motion pass in step Passes first');
  return { ...ready, ...ready.moves };
}

/** The files of one frame of an element under the shot's settings. @throws IvrexError badSetting, missingFrame */
export async function frameSources(
  db: Db,
  shotId: ShotId,
  settings: ShotSettings,
  frame: number,
  element: Element = settings.elements[0],
): Promise<{ sources: FrameSources; shutter: ShutterPlan }> {
  const { beauty, motion, encoding, depth, ids, matte } = movingElement(element);
  const passes = await listPasses(db, shotId, settings);
  const filesAt = async (number: number): Promise<FrameFiles> => {
    const at = (passId: PassId): Promise<PassFile> => passFileAt(db, passId, number, settings);
    return {
      beauty: await pictureFileAt(db, beauty, number, { settings }),
      matte: matte && (await matteFileAt(db, matte, number, settings)),
      motion: await at(motion),
      depth: depth && (await at(depth)),
      ids: ids && (await at(ids)),
    };
  };
  // A lone file is no neighbour of itself.
  const isSequence = passes.find((p) => p.id === beauty)?.frames !== null;
  const neighbour = async (number: number): Promise<FrameFiles | null> => {
    try {
      return isSequence ? await filesAt(number) : null;
    } catch (error) {
      if (error instanceof IvrexError && error.code === 'missingFrame') return null;
      throw error;
    }
  };
  // What lies behind a cut-out or a shadow is another element.
  const background = matte === null && element.place.shadow === null ? settings.background : null;
  return {
    shutter: shutterOfElement(settings, element),
    sources: {
      ...(await filesAt(frame)),
      previous: await neighbour(frame - 1),
      next: await neighbour(frame + 1),
      background: background && (await pictureFileAt(db, background, frame, { settings })),
      encoding,
      repairs: element.repairs,
      shape: { edge: element.place.edge, shadow: element.place.shadow },
      fps: rateOf(settings, passes, beauty),
    },
  };
}

function rateOf({ fps }: Pick<ShotSettings, 'fps'>, passes: readonly Pass[], pass: PassId): number | null {
  return fps ?? passes.find((p) => p.id === pass)?.fps ?? null;
}

async function matteFileAt(db: Db, matte: ElementMatte, frame: number, settings: ShotSettings): Promise<MatteFile> {
  const { pass, invert } = matte;
  const choice = matte.kind === 'pass' ? { kind: matte.kind, invert } : { kind: matte.kind, ids: matte.ids, invert };
  return { ...(await passFileAt(db, pass, frame, settings)), choice };
}

/** One element as it is laid into the picture. @throws IvrexError badSetting, missingFrame */
export async function frameElement(db: Db, shotId: ShotId, settings: ShotSettings, element: Element, frame: number): Promise<FrameElement> {
  const { beauty, moves, depth, matte } = readyElement(element),
    { place, name } = element;
  const before = place.gradeWhen === 'before' ? place.grade : null;
  const lens = place.defocus && depth !== null && place.shadow === null ? settings.assembly.lens : null;
  const laid = {
    name,
    blend: place.shadow === null ? place.blend : place.shadow.way === 'multiply' ? ('multiply' as const) : ('over' as const),
    opacity: opacityAt(place, frame),
    grade: place.gradeWhen === 'after' ? place.grade : null,
    wantsGrain: !place.fromPlate && place.shadow === null,
  };
  if (moves === null || place.fromPlate) {
    const files = {
      beauty: await pictureFileAt(
        db,
        beauty,
        plateNumber(settings, await listPasses(db, shotId, settings), beauty, frame, await firstOf(db, shotId)),
        { settings },
      ),
      matte: matte && (await matteFileAt(db, matte, frame, settings)),
      depth: depth && (await passFileAt(db, depth, frame, settings)),
    };
    const shape = { edge: place.edge, shadow: place.shadow };
    return { ...laid, from: { kind: 'still', request: { files, shape, grade: before, lens } } };
  }
  const { sources, shutter } = await frameSources(db, shotId, settings, frame, element);
  return {
    ...laid,
    from: {
      kind: 'moving',
      frame: {
        sources,
        path: settings.path,
        hidden: settings.hidden,
        limits: shutter,
        settings: { shutter: shutterAt(shutter, frame), quality: 'final', samples: settings.samples },
        grade: before,
        lens,
      },
    },
  };
}

async function firstOf(db: Db, shotId: ShotId): Promise<number> {
  const [row] = await listShots(db, shotId);
  return row?.firstFrame ?? 1;
}

/** The plate's frame at a frame of the shot: of another rate it may be another one. Every other pass is taken by its number. */
function plateNumber(settings: ShotSettings, passes: readonly Pass[], pass: PassId, frame: number, first: number): number {
  const below = passBelow(settings, passes);
  const main = passes.find((p) => p.id === settings.elements[0].beauty);
  const shotFps = settings.fps ?? main?.fps ?? null,
    plateFps = below?.fps ?? null;
  if (below?.id !== pass || shotFps === null || plateFps === null) return frame;
  return plateFrame(settings.assembly.conform, frame, first, shotFps, plateFps);
}

/** Everything that one frame of the assembled shot is made of. @throws IvrexError notFound, badSetting, missingFrame */
export async function assembledFrame(db: Db, shotId: ShotId, settings: ShotSettings, frame: number): Promise<AssembledFrame> {
  const [row] = await listShots(db, shotId);
  if (row === undefined) throw new IvrexError('notFound', 'there is no such shot; it may have been removed');
  const passes = await listPasses(db, shotId, settings);
  const below = passBelow(settings, passes),
    main = passes.find((p) => p.id === settings.elements[0].beauty);
  const elements: FrameElement[] = [];
  for (const element of stackOf(settings)
    .filter((e) => e.place.visible)
    .reverse())
    elements.push(await frameElement(db, shotId, settings, element, frame));
  const { grade, vignette, grain, fit } = settings.assembly;
  return {
    width: row.width,
    height: row.height,
    pixelAspect: main?.pixelAspect ?? 1,
    frame,
    below: below && {
      picture: await pictureFileAt(db, below.id, plateNumber(settings, passes, below.id, frame, row.firstFrame), { settings }),
      fit,
      pixelAspect: below.pixelAspect,
    },
    elements,
    finish: { grade, vignette, grain },
  };
}
