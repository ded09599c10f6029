import {
  IvrexError,
  idNames,
  knowFrame,
  objectIds,
  resizeNearest,
  resizePicture,
  sharedCopy,
  type Attribute,
  type BlurFramePasses,
  type DepthEncoding,
  type NamedPlane,
  type Window,
} from '@ivrex/core';
import { channelsInLayer, shortName } from '../formats/layers';
import type { NodeHost } from '../host/node-host';
import { FileReader } from './file-reader';
import { depthSourcesOf, loadDepth, usableDepth, type DepthSources } from './depth-pass';
import { loadElementPicture, loadPicture, type Picture } from './load-picture';
import { loadDecodedMotion } from './motion-pass';
import { isMeasured, wantChannels } from './want-channels';
import type { FrameFiles, FrameSources, IdsFile, PassFile, PictureFile } from './pass-files';

export interface FramePasses extends BlurFramePasses {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  readonly previous: BlurFramePasses | null;
  readonly next: BlurFramePasses | null;
  readonly background: Float32Array | null;
  readonly isLight: boolean;
  /** The beauty's header, to be carried through. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

/** One frame's passes, decoded and at its beauty's size, in memory that threads share. */
export interface LoadedFrame extends BlurFramePasses {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  /** The beauty's header. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

/** What a frame's files are read with. */
export type FrameTerms = Pick<FrameSources, 'shape' | 'encoding' | 'repairs' | 'fps'>;

/**
 * Loads and decodes one frame. Motion, depth and ids of another size are brought to the beauty's, vectors with it, and a warning says so. Depth has to be
 * measured before; without an encoding it is left out. @throws IvrexError about the file that is at fault
 */
export async function loadFrame(files: FrameFiles, terms: FrameTerms, host: NodeHost): Promise<LoadedFrame> {
  const reader = new FileReader(host);
  await wantChannels(files, terms.encoding, reader);
  const beauty = await loadElementPicture(files, terms.shape, reader),
    warnings = [...beauty.warnings],
    { width, height, displayWindow, attributes } = beauty;
  const motion = await loadDecodedMotion(files.motion, terms, beauty, reader, warnings),
    depth = isMeasured(files.depth) ? await loadDepth(files.depth, files.depth.encoding, beauty, reader, warnings) : null,
    ids = files.ids === null ? null : await loadIds(files.ids, beauty, reader, warnings);
  const passes: BlurFramePasses = {
    rgba: sharedCopy(beauty.rgba),
    motion: {
      ...motion,
      toNext: sharedCopy(motion.toNext),
      toPrevious: sharedCopy(motion.toPrevious),
      valid: sharedCopy(motion.valid),
    },
    depth: depth && sharedCopy(depth),
    ids: ids && sharedCopy(ids),
  };
  const known = knowFrame(passes);
  return {
    width,
    height,
    displayWindow,
    attributes,
    warnings,
    ...passes,
    known: { ...known, rgba: sharedCopy(known.rgba), depth: known.depth && sharedCopy(known.depth), trusted: sharedCopy(known.trusted) },
  };
}

/** Loads one frame, or takes one that was loaded before. */
export type LoadFrame = (files: FrameFiles, terms: FrameTerms) => Promise<LoadedFrame>;

/**
 * A frame with its neighbours. A neighbour that can't be read is left out with a warning: this frame can be blurred without it.
 * @throws IvrexError about the file that is at fault
 */
export async function loadFramePasses(given: FrameSources, host: NodeHost): Promise<FramePasses> {
  const warnings: string[] = [],
    sources = await withDepthEncoding(given, (asked) => usableDepth(asked, host, warnings));
  let last: Promise<unknown> = Promise.resolve();
  // One after the other: what is read of one frame is let go of before the next.
  const load: LoadFrame = (files, terms) => {
      const loading = last.then(() => loadFrame(files, terms, host));
      last = loading.catch(() => undefined);
      return loading;
    },
    frames = await framesOf(sources, load);
  return joinFrames(sources, { ...frames, warnings: [...warnings, ...frames.warnings] }, host);
}

/** A frame and its neighbours, each loaded by itself. */
export interface FrameWithNeighbours {
  readonly now: LoadedFrame;
  readonly previous: LoadedFrame | null;
  readonly next: LoadedFrame | null;
  /** What is odd about the neighbours. */
  readonly warnings: readonly string[];
}

/** @throws IvrexError about the file that is at fault */
export async function framesOf(sources: FrameSources, load: LoadFrame): Promise<FrameWithNeighbours> {
  const warnings: string[] = [];
  // In the order of a sequence: what a frame and the next one share is asked for in a row.
  const before = settled(sources.previous ? load(sources.previous, sources) : null),
    own = load(sources, sources),
    after = settled(sources.next ? load(sources.next, sources) : null),
    now = await own;
  const neighbour = async (which: 'before' | 'after', files: FrameFiles | null | undefined, loading: typeof before) => {
    const found = await loading;
    if (found === null || files === null || files === undefined) return null;
    const { width, height } = now;
    const error = !('frame' in found)
      ? found.error
      : found.frame.width === width && found.frame.height === height
        ? null
        : new IvrexError(
            'sizeMismatch',
            `it is ${found.frame.width} x ${found.frame.height} instead of ${width} x ${height}`,
            files.beauty.file,
          );
    if ('frame' in found && error === null) return found.frame;
    if (!(error instanceof IvrexError)) throw error;
    warnings.push(`the frame ${which} is not used: ${error.file === undefined ? '' : `${error.file}: `}${error.message}`);
    return null;
  };
  return {
    now,
    previous: await neighbour('before', sources.previous, before),
    next: await neighbour('after', sources.next, after),
    warnings,
  };
}

/** What came of a promise, so that an error of one that is looked at later is not lost. */
async function settled(loading: Promise<LoadedFrame> | null): Promise<{ frame: LoadedFrame } | { error: unknown } | null> {
  try {
    return loading && { frame: await loading };
  } catch (error) {
    return { error };
  }
}

/** What the blur of a frame is made from, with its clean background. @throws IvrexError about the background's file */
export async function joinFrames(
  sources: FrameSources,
  { now, previous, next, warnings: said }: FrameWithNeighbours,
  host: NodeHost,
): Promise<FramePasses> {
  const warnings = [...now.warnings, ...said];
  return {
    ...now,
    previous,
    next,
    background: sources.background ? await loadBackground(sources.background, now, host, new FileReader(host), warnings) : null,
    isLight: sources.beauty.coverFrom !== undefined,
    warnings,
  };
}

/** Depth that nobody measured yet is measured here, and what is no depth is left out. */
export async function withDepthEncoding(
  sources: FrameSources,
  measure: (sources: DepthSources) => Promise<DepthEncoding | null>,
): Promise<FrameSources> {
  if (sources.depth === null || sources.depth.encoding) return sources;
  const encoding = await measure(depthSourcesOf(sources));
  const read = <T extends FrameFiles>(files: T): T => ({ ...files, depth: files.depth && encoding && { ...files.depth, encoding } });
  return { ...read(sources), previous: sources.previous && read(sources.previous), next: sources.next && read(sources.next) };
}

async function loadBackground(
  pass: PictureFile,
  { width, height }: Pick<Picture, 'width' | 'height'>,
  host: NodeHost,
  reader: FileReader,
  warnings: string[],
): Promise<Float32Array> {
  const picture = await loadPicture(pass, host, reader);
  if (picture.width === width && picture.height === height) return picture.rgba;
  warnings.push(`the clean background is ${picture.width} x ${picture.height}, the beauty ${width} x ${height}: it was scaled`);
  return resizePicture(picture.rgba, picture.width, picture.height, width, height);
}

async function loadIds(pass: IdsFile, beauty: Picture, reader: FileReader, warnings: string[]): Promise<Float32Array | Uint32Array> {
  const { planes, width, height } = await loadNamed(pass, idNames, reader);
  if (width !== beauty.width || height !== beauty.height)
    warnings.push(`the ids are ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}: their nearest pixels were taken`);
  return resizeNearest(objectIds(planes, width, pass.channel), width, height, beauty.width, beauty.height);
}

/** The chosen channels of a data pass. Channels are chosen by, and come back under, their short names. */
async function loadNamed(
  pass: PassFile,
  choose: (names: readonly string[]) => readonly string[],
  reader: FileReader,
): Promise<{ planes: NamedPlane[]; width: number; height: number }> {
  const { header } = await reader.open(pass.file);
  const fullNames = new Map(channelsInLayer(header, pass).map((full) => [shortName(header, pass, full), full]));
  const names = choose([...fullNames.keys()]);
  const { planes, width, height } = await reader.planes(
    pass,
    names.map((name) => fullNames.get(name) ?? name),
  );
  const named = names.map((name) => ({ name, data: planes.get(fullNames.get(name) ?? name) ?? new Float32Array(width * height) }));
  return { planes: named, width, height };
}
