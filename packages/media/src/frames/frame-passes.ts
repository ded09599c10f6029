import {
  IvrexError,
  idNames,
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
import { depthSourcesOf, loadDepth, usableDepth } from './depth-pass';
import { loadElementPicture, loadPicture, type Picture } from './load-picture';
import { loadDecodedMotion } from './motion-pass';
import type { DepthFile, FrameFiles, FrameSources, IdsFile, PassFile, PictureFile } from './pass-files';

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

/**
 * Loads and decodes one frame with its neighbours. Motion, depth and ids of another size are brought to the beauty's, vectors with it, and a
 * warning says so. A neighbour that can't be read is left out with a warning: this frame can be blurred without it.
 * @throws IvrexError about the file that is at fault
 */
export async function loadFramePasses(given: FrameSources, host: NodeHost): Promise<FramePasses> {
  const reader = new FileReader(host),
    warnings: string[] = [];
  const sources = await withDepthEncoding(given, host, warnings);
  const beauty = await loadElementPicture(sources, sources.shape, reader);
  warnings.push(...beauty.warnings);
  const now = await loadPasses(sources, sources, beauty, reader, warnings);
  return {
    ...now,
    // What its plan shows where nothing moves: shared from the start, it is not held twice.
    rgba: sharedCopy(now.rgba),
    width: beauty.width,
    height: beauty.height,
    displayWindow: beauty.displayWindow,
    previous: await loadNeighbour('before', sources.previous ?? null, sources, beauty, host, warnings),
    next: await loadNeighbour('after', sources.next ?? null, sources, beauty, host, warnings),
    background: sources.background ? await loadBackground(sources.background, beauty, host, reader, warnings) : null,
    isLight: sources.beauty.coverFrom !== undefined,
    attributes: beauty.attributes,
    warnings,
  };
}

/** Depth that nobody measured yet is measured here, and what is no depth is left out. */
async function withDepthEncoding(sources: FrameSources, host: NodeHost, warnings: string[]): Promise<FrameSources> {
  if (sources.depth === null || sources.depth.encoding) return sources;
  const encoding = await usableDepth(depthSourcesOf(sources), host, warnings);
  const read = <T extends FrameFiles>(files: T): T => ({ ...files, depth: files.depth && encoding && { ...files.depth, encoding } });
  return { ...read(sources), previous: sources.previous && read(sources.previous), next: sources.next && read(sources.next) };
}

async function loadPasses(
  files: FrameFiles,
  sources: FrameSources,
  beauty: Picture,
  reader: FileReader,
  warnings: string[],
): Promise<BlurFramePasses> {
  return {
    rgba: beauty.rgba,
    motion: await loadDecodedMotion(files.motion, sources, beauty, reader, warnings),
    depth: isMeasured(files.depth) ? await loadDepth(files.depth, files.depth.encoding, beauty, reader, warnings) : null,
    ids: files.ids === null ? null : await loadIds(files.ids, beauty, reader, warnings),
  };
}

function isMeasured(depth: DepthFile | null): depth is DepthFile & { readonly encoding: DepthEncoding } {
  return Boolean(depth?.encoding);
}

async function loadNeighbour(
  which: 'before' | 'after',
  files: FrameFiles | null,
  sources: FrameSources,
  { width, height }: Picture,
  host: NodeHost,
  warnings: string[],
): Promise<BlurFramePasses | null> {
  if (files === null) return null;
  try {
    const reader = new FileReader(host),
      beauty = await loadElementPicture(files, sources.shape, reader);
    if (beauty.width !== width || beauty.height !== height)
      throw new IvrexError('sizeMismatch', `it is ${beauty.width} x ${beauty.height} instead of ${width} x ${height}`, files.beauty.file);
    // What is odd about a neighbour's size is odd about this frame's too, and was said there.
    return await loadPasses(files, sources, beauty, reader, []);
  } catch (error) {
    if (!(error instanceof IvrexError)) throw error;
    warnings.push(`the frame ${which} is not used: ${error.file === undefined ? '' : `${error.file}: `}${error.message}`);
    return null;
  }
}

async function loadBackground(
  pass: PictureFile,
  { width, height }: Picture,
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
