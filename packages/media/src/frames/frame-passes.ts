import {
  IvrexError,
  readMotion,
  resizeMotionField,
  resizePicture,
  resizePlane,
  type Attribute,
  type BlurFramePasses,
  type MotionField,
  type Window,
} from '@ivrex/core';
import { aboutFile } from '../formats/image-file';
import { channelsInLayer, cryptomatteOf, shortName } from '../formats/layers';
import type { NodeHost } from '../host/node-host';
import { FileReader } from './file-reader';
import { alphaOf, loadElementPicture, loadPicture, type Picture } from './load-picture';
import { loadStoredMotion, planesOf, typesOf } from './motion-pass';
import type { FrameFiles, FrameSources, PassFile, PictureFile } from './pass-files';

export interface FramePasses extends BlurFramePasses {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  readonly previous: BlurFramePasses | null;
  readonly next: BlurFramePasses | null;
  readonly background: Float32Array | null;
  /** The beauty's header, to be carried through. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

/**
 * Loads and decodes one frame with its neighbours. Motion, depth and ids of another size are brought to the beauty's, vectors with it, and a
 * warning says so. A neighbour that can't be read is left out with a warning: this frame can be blurred without it.
 * @throws IvrexError about the file that is at fault
 */
export async function loadFramePasses(sources: FrameSources, host: NodeHost): Promise<FramePasses> {
  const reader = new FileReader(host),
    warnings: string[] = [];
  const beauty = await loadElementPicture(sources, sources.shape, reader);
  const now = await loadPasses(sources, sources, beauty, reader, warnings);
  return {
    ...now,
    width: beauty.width,
    height: beauty.height,
    displayWindow: beauty.displayWindow,
    previous: await loadNeighbour('before', sources.previous ?? null, sources, beauty, host, warnings),
    next: await loadNeighbour('after', sources.next ?? null, sources, beauty, host, warnings),
    background: sources.background ? await loadBackground(sources.background, beauty, host, reader, warnings) : null,
    attributes: beauty.attributes,
    warnings,
  };
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
    motion: await loadMotion(files.motion, sources, beauty, reader, warnings),
    depth: files.depth === null ? null : await loadDepthAt(files.depth, beauty, reader, warnings),
    ids: files.ids === null ? null : await loadIds(files.ids, beauty, reader, warnings),
  };
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

async function loadMotion(
  pass: PassFile,
  sources: FrameSources,
  beauty: Picture,
  reader: FileReader,
  warnings: string[],
): Promise<MotionField> {
  const { encoding } = sources;
  const stored = await loadStoredMotion(pass, encoding, reader);
  const sameSize = stored.width === beauty.width && stored.height === beauty.height;
  if (!sameSize)
    warnings.push(
      `the motion pass is ${stored.width} x ${stored.height}, the beauty ${beauty.width} x ${beauty.height}: vectors were scaled to the beauty`,
    );
  return aboutFile(pass.file, () => {
    const { width, height } = stored,
      repairs = sources.repairs ?? [];
    const coverage =
      beauty.hasAlpha && (encoding.premultiplied || repairs.some((r) => r.on))
        ? resizePlane(alphaOf(beauty.rgba), beauty.width, beauty.height, width, height, 'linear')
        : null;
    const planes = { planes: planesOf(stored), width, height, fps: sources.fps ?? stored.fps, beautyAlpha: coverage };
    const { field } = readMotion(planes, typesOf(stored), encoding, repairs, coverage);
    return Promise.resolve(resizeMotionField(field, beauty.width, beauty.height));
  });
}

export async function loadDepthAt(pass: PassFile, beauty: Picture, reader: FileReader, warnings: string[]): Promise<Float32Array> {
  const { header } = await reader.open(pass.file);
  const names = channelsInLayer(header, pass);
  return loadPlane(pass, names.find((n) => ['Z', 'z', 'depth'].includes(shortName(header, pass, n))) ?? names[0], beauty, reader, warnings);
}

/** Ids as they are stored; of a Cryptomatte the bits of the id that covers most of each pixel, the same in every frame. */
async function loadIds(pass: PassFile, beauty: Picture, reader: FileReader, warnings: string[]): Promise<Float32Array | Uint32Array> {
  const { header } = await reader.open(pass.file);
  const names = channelsInLayer(header, pass);
  if (cryptomatteOf(header, pass) === null) return loadPlane(pass, names[0], beauty, reader, warnings);
  const first = names.find((n) => /^00\.r/i.test(shortName(header, pass, n))) ?? names[0];
  const ids = await loadPlane(pass, first, beauty, reader, warnings);
  return new Uint32Array(ids.buffer, ids.byteOffset, ids.length);
}

/** One data channel at the beauty's size, nearest pixels. */
async function loadPlane(pass: PassFile, name: string, beauty: Picture, reader: FileReader, warnings: string[]): Promise<Float32Array> {
  const { planes, width, height } = await reader.planes(pass, [name]);
  if (width !== beauty.width || height !== beauty.height)
    warnings.push(`${name} is ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}: its nearest pixels were taken`);
  return resizePlane(planes.get(name) ?? new Float32Array(0), width, height, beauty.width, beauty.height, 'nearest');
}
