import {
  blurredElement,
  gradeWhenOf,
  lightsOf,
  opacityAt,
  passBelow,
  shutterOfElement,
  stackOf,
  surfaceOf,
  type Element,
  type ElementId,
  type ElementMatte,
  type PassId,
  type ShotSettings,
} from '@ivrex/contract';
import { IvrexError, plateFrame, shutterAt, type DepthDetection, type Lens, type ShutterPlan } from '@ivrex/core';
import type { AssembledFrame, FrameElement } from './assemble-frame';
import type { DepthSources } from '../frames/depth-pass';
import type { FrameFiles, FrameSources, MatteFile, PictureFile } from '../frames/pass-files';
import { wantedNeighbours, type BlurFrame, type BlurredLight } from '../tasks/blur-frame';
import { ShotBook } from './shot-book';

/** An element by its id; null or one that is gone is the main one. */
export function elementOf({ elements }: Pick<ShotSettings, 'elements'>, id: ElementId | null): Element {
  return elements.find((e) => e.id === id) ?? elements[0];
}

/** What an element that can be made has: a picture, and motion only together with how it is stored. */
export function readyElement({ name, beauty, motion, encoding, depth, depthEncoding, ids, idChannel, matte }: Element) {
  if (beauty === null) throw new IvrexError('badSetting', `${name} has no picture; choose a beauty pass in step Passes first`);
  if (motion !== null && encoding === null)
    throw new IvrexError('badSetting', `say how the motion of ${name} is stored in step Motion first`);
  return { beauty, moves: motion !== null && encoding !== null ? { motion, encoding } : null, depth, depthEncoding, ids, idChannel, matte };
}

/** The same of one that is to be blurred. @throws IvrexError badSetting */
function movingElement(element: Element) {
  const ready = readyElement(element);
  if (ready.moves === null) throw new IvrexError('badSetting', 'choose a beauty and a motion pass in step Passes first');
  return { ...ready, ...ready.moves };
}

/** The files of one frame of an element under the shot's settings. @throws IvrexError badSetting, missingFrame */
export function frameSources(
  book: ShotBook,
  frame: number,
  element: Element = book.settings.elements[0],
): { sources: FrameSources; shutter: ShutterPlan } {
  const { settings } = book;
  const blurred = blurredElement(settings, element);
  const { beauty, motion, encoding, depth, depthEncoding, ids, idChannel, matte } = movingElement(blurred);
  const filesAt = (number: number): FrameFiles => ({
    beauty: elementPicture(book, element, beauty, number),
    matte: matte && matteFileAt(book, matte, number),
    motion: book.fileAt(motion, number),
    depth: depth && { ...book.fileAt(depth, number), encoding: depthEncoding },
    ids: ids && { ...book.fileAt(ids, number), channel: idChannel },
  });
  // A lone file is no neighbour of itself.
  const isSequence = book.pass(beauty)?.frames !== null;
  const neighbour = (number: number): FrameFiles | null => {
    try {
      return isSequence ? filesAt(number) : null;
    } catch (error) {
      if (error instanceof IvrexError && error.code === 'missingFrame') return null;
      throw error;
    }
  };
  // What lies behind a cut-out or a shadow is another element.
  const background = matte === null && element.place.shadow === null && surfaceOf(settings, element) === null ? settings.background : null;
  return {
    shutter: shutterOfElement(settings, element),
    sources: {
      ...filesAt(frame),
      previous: neighbour(frame - 1),
      next: neighbour(frame + 1),
      background: background && book.pictureAt(background, frame),
      encoding,
      repairs: element.repairs,
      shape: { edge: blurred.place.edge, shadow: blurred.place.shadow },
      fps: rateOf(book, beauty),
    },
  };
}

/** The picture of an element: without its light passes that are blurred apart; a light pass has the alpha of its surface. */
function elementPicture(book: ShotBook, element: Element, beauty: PassId, frame: number): PictureFile {
  const { settings } = book,
    picture = book.pictureAt(beauty, frame),
    surface = surfaceOf(settings, element)?.beauty ?? null;
  if (surface !== null) return { ...picture, coverFrom: book.pictureAt(surface, frame) };
  const without = lightsOf(settings, element).flatMap((light) => (light.beauty === null ? [] : [book.pictureAt(light.beauty, frame)]));
  return without.length === 0 ? picture : { ...picture, without };
}

/**
 * One frame of an element's blur as it was rendered: with its light passes, and its neighbours where their blur is to be mixed in.
 * @throws IvrexError badSetting, missingFrame
 */
export function blurFrame(book: ShotBook, frame: number, element: Element = book.settings.elements[0]): BlurFrame {
  const lights = lightsOf(book.settings, element).map((light): BlurredLight => {
    return { name: light.name, opacity: 1, frame: blurAlone(book, frame, light) };
  });
  return withLights(blurAlone(book, frame, element), lights);
}

/** Light passes that are blurred apart as they are laid into the picture, but for what does not show. */
function placedLights(book: ShotBook, frame: number, element: Element): BlurredLight[] {
  return lightsOf(book.settings, element).flatMap((light): BlurredLight[] => {
    const { name, place } = light,
      opacity = place.visible ? opacityAt(place, frame) : 0;
    return opacity === 0
      ? []
      : [{ name, opacity, frame: { ...blurAlone(book, frame, light), grade: place.grade, lens: lensOf(book, element) } }];
  });
}

/** Without any the same as ever: what was made of it before stays as it was made. */
function withLights<T extends object>(frame: T, lights: readonly BlurredLight[]): T & { readonly lights?: readonly BlurredLight[] } {
  return lights.length === 0 ? frame : { ...frame, lights };
}

function blurAlone(book: ShotBook, frame: number, element: Element): BlurFrame {
  const { settings } = book,
    { sources, shutter } = frameSources(book, frame, element);
  const blurred = {
    sources,
    bothFrames: settings.bothFrames,
    path: settings.path,
    hidden: settings.hidden,
    limits: shutter,
    settings: { shutter: shutterAt(shutter, frame), quality: 'final', samples: settings.samples },
  } as const;
  const wanted = wantedNeighbours(blurred).at;
  const beside = (at: -1 | 1, files: FrameFiles | null | undefined) =>
    wanted.includes(at) && files ? frameSources(book, frame + at, element).sources : null;
  return { ...blurred, before: beside(-1, sources.previous), after: beside(1, sources.next) };
}

/** What detection of an element's depth reads: a frame from the middle with its neighbours. Null without depth or picture. @throws IvrexError notFound */
export function elementDepthSources(book: ShotBook, element: Element): DepthSources | null {
  const { beauty, motion, encoding, depth, matte, place } = element;
  if (beauty === null || depth === null) return null;
  const moves = motion !== null && encoding !== null && encoding.space === 'screen';
  const there = [beauty, depth, ...(moves ? [motion] : []), ...(matte === null ? [] : [matte.pass])].flatMap(
    (id) => book.pass(id)?.frames ?? [],
  );
  const { firstFrame, lastFrame } = book.document,
    wanted = (firstFrame + lastFrame) / 2;
  const middle = there.reduce((best, f) => (Math.abs(f - wanted) < Math.abs(best - wanted) ? f : best), there[0] ?? firstFrame);
  const isSequence = there.length > 0;
  const frames = (isSequence ? [middle - 1, middle, middle + 1] : [middle]).flatMap((number): DepthSources['frames'] => {
    try {
      return [
        {
          beauty: book.pictureAt(beauty, number),
          matte: matte && matteFileAt(book, matte, number),
          motion: moves ? book.fileAt(motion, number) : null,
          depth: book.fileAt(depth, number),
        },
      ];
    } catch (error) {
      if (error instanceof IvrexError && error.code === 'missingFrame') return [];
      throw error;
    }
  });
  if (frames.length === 0) return null;
  return { frames, encoding: moves ? encoding : null, shape: { edge: place.edge, shadow: place.shadow }, fps: rateOf(book, beauty) };
}

/**
 * The book with a depth encoding for every depth pass: those that nobody chose are measured, and what is no depth is left out. Measured once for a
 * whole render, so that no frame reads depth otherwise than the next.
 */
export async function withMeasuredDepth(
  book: ShotBook,
  detect: (sources: DepthSources) => Promise<DepthDetection | null>,
): Promise<{ readonly book: ShotBook; readonly notes: readonly string[] }> {
  const notes: string[] = [],
    elements: Element[] = [];
  for (const element of book.settings.elements) {
    const sources = element.depthEncoding === null ? elementDepthSources(book, element) : null;
    const found = sources && (await detect(sources));
    if (found === null) {
      elements.push(element);
      continue;
    }
    notes.push(...found.issues.filter((i) => i.severity === 'warning').map((i) => `${element.name}: depth: ${i.message}`));
    elements.push({ ...element, ...(found.isDepth ? { depthEncoding: found.encoding } : { depth: null }) });
  }
  if (elements.every((e, n) => e === book.settings.elements[n])) return { book, notes };
  return { book: new ShotBook({ ...book.document, settings: { ...book.settings, elements } }), notes };
}

/** Frames a second; null when neither the shot nor its files say. */
export function rateOf({ settings, passes }: Pick<ShotBook, 'settings' | 'passes'>, pass: PassId | null): number | null {
  return settings.fps ?? passes.find((p) => p.id === pass)?.fps ?? null;
}

function matteFileAt(book: ShotBook, matte: ElementMatte, frame: number): MatteFile {
  const { pass, invert } = matte;
  const choice = matte.kind === 'pass' ? { kind: matte.kind, invert } : { kind: matte.kind, ids: matte.ids, invert };
  return { ...book.fileAt(pass, frame), choice };
}

/** One element as it is laid into the picture. @throws IvrexError badSetting, missingFrame */
export function frameElement(book: ShotBook, element: Element, frame: number): FrameElement {
  const { settings } = book,
    { beauty, moves, depth, depthEncoding, matte } = readyElement(element),
    { place, name } = element;
  const gradeWhen = gradeWhenOf(settings, element),
    before = gradeWhen === 'before' ? place.grade : null;
  const lens = lensOf(book, element),
    lights = placedLights(book, frame, element);
  const laid = {
    name,
    blend: place.shadow === null ? place.blend : place.shadow.way === 'multiply' ? ('multiply' as const) : ('over' as const),
    opacity: opacityAt(place, frame),
    grade: gradeWhen === 'after' ? place.grade : null,
    wantsGrain: !place.fromPlate && place.shadow === null,
  };
  if (moves === null || place.fromPlate) {
    const files = {
      beauty: elementPicture(book, element, beauty, plateNumber(book, beauty, frame)),
      matte: matte && matteFileAt(book, matte, frame),
      depth: depth && { ...book.fileAt(depth, frame), encoding: depthEncoding },
    };
    const shape = { edge: place.edge, shadow: place.shadow };
    return { ...laid, from: withLights({ kind: 'still', request: { files, shape, grade: before, lens } }, lights) };
  }
  return { ...laid, from: { kind: 'moving', frame: withLights({ ...blurAlone(book, frame, element), grade: before, lens }, lights) } };
}

function lensOf({ settings }: ShotBook, element: Element): Lens | null {
  const { place, depth } = blurredElement(settings, element);
  return place.defocus && depth !== null && place.shadow === null ? settings.assembly.lens : null;
}

/** The plate's frame at a frame of the shot: of another rate it may be another one. Every other pass is taken by its number. */
function plateNumber({ settings, passes, document }: ShotBook, pass: PassId, frame: number): number {
  const below = passBelow(settings, passes);
  const main = passes.find((p) => p.id === settings.elements[0].beauty);
  const shotFps = settings.fps ?? main?.fps ?? null,
    plateFps = below?.fps ?? null;
  if (below?.id !== pass || shotFps === null || plateFps === null) return frame;
  return plateFrame(settings.assembly.conform, frame, document.firstFrame, shotFps, plateFps);
}

/** Everything that one frame of the assembled shot is made of. @throws IvrexError notFound, badSetting, missingFrame */
export function assembledFrame(book: ShotBook, frame: number): AssembledFrame {
  const { settings, passes, document } = book;
  const below = passBelow(settings, passes),
    main = book.pass(settings.elements[0].beauty);
  const elements = visibleElements(settings)
    .reverse()
    .map((element) => frameElement(book, element, frame));
  const { grade, vignette, grain, fit } = settings.assembly;
  return {
    width: document.width,
    height: document.height,
    pixelAspect: main?.pixelAspect ?? 1,
    frame,
    below: below && {
      picture: book.pictureAt(below.id, plateNumber(book, below.id, frame)),
      fit,
      pixelAspect: below.pixelAspect,
    },
    elements,
    finish: { grade, vignette, grain },
  };
}

/** The nearest first. */
export function visibleElements(settings: ShotSettings): Element[] {
  return stackOf(settings).filter((e) => e.place.visible);
}
