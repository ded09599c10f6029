import {
  heightOf,
  IvrexError,
  mattePlane,
  PLAIN_SHAPE,
  planeOnDisplay,
  readMotion,
  readPicture,
  resizeMotionField,
  resizePicture,
  resizePlane,
  rgbaOnDisplay,
  shapePicture,
  widthOf,
  type Attribute,
  type BlurFramePasses,
  type ElementShape,
  type Encoding,
  type MatteChoice,
  type MotionField,
  type PictureReading,
  type RepairStep,
  type Window,
} from '@ivrex/core';
import { aboutFile, openImage, type ImageHeader, type OpenedImage } from './image-file';
import { channelsInLayer, cryptomatteOf, pictureChannels, shortName, type LayerChoice } from './layers';
import { loadStoredMotion, planesOf, typesOf } from './motion-pass';
import type { NodeHost } from './node-host';

/** One layer of one file on disk. */
export interface PassFile extends LayerChoice {
  readonly file: string;
}

/** A picture with how it is to be read; null: as its kind of file usually is. */
export interface PictureFile extends PassFile {
  readonly reading?: PictureReading | null;
  /** The pass whose alpha stands in for the picture's own. */
  readonly alphaFrom?: PassFile | null;
}

/** The pass that says what of a picture belongs to an element. */
export interface MatteFile extends PassFile {
  readonly choice: MatteChoice;
}

/** The passes of one frame. */
export interface FrameFiles {
  readonly beauty: PictureFile;
  readonly matte?: MatteFile | null;
  readonly motion: PassFile;
  readonly depth: PassFile | null;
  readonly ids: PassFile | null;
}

/** Everything that one frame of the blur reads. Plain data. */
export interface FrameSources extends FrameFiles {
  /** The frames before and after, where they are. */
  readonly previous?: FrameFiles | null;
  readonly next?: FrameFiles | null;
  /** A picture without the things in front. */
  readonly background?: PictureFile | null;
  readonly encoding: Encoding;
  readonly repairs?: readonly RepairStep[];
  /** How the element is made of its pictures; without it as they are. */
  readonly shape?: ElementShape;
  /** For encodings in seconds, when the motion pass's header does not say. */
  readonly fps: number | null;
}

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

/** Files that several passes share are read once. */
export class FileReader {
  private readonly opened = new Map<string, Promise<OpenedImage>>();
  constructor(readonly host: NodeHost) {}

  open(file: string): Promise<OpenedImage> {
    const known = this.opened.get(file) ?? openImage(file, this.host);
    this.opened.set(file, known);
    return known;
  }

  /** Planes over the display window by full name. `outside` fills what the data window leaves out. */
  async planes(
    pass: PassFile,
    names: readonly string[] | null,
  ): Promise<{ planes: Map<string, Float32Array>; width: number; height: number; header: ImageHeader }> {
    const opened = await this.open(pass.file);
    const image = await opened.decode(pass.part, names ?? channelsInLayer(opened.header, pass));
    const planes = new Map(image.planes.map((plane) => [plane.name, planeOnDisplay(image, plane)]));
    return { planes, width: widthOf(image.displayWindow), height: heightOf(image.displayWindow), header: opened.header };
  }
}

export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  readonly rgba: Float32Array;
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly hasAlpha: boolean;
}

/**
 * What a file of this kind usually holds: OpenEXR and float TIFF scene-linear premultiplied, whole numbers with the sRGB curve, PNG with
 * straight alpha (PNG specification, 12.4).
 */
export function usualReading(header: ImageHeader, part = 0): PictureReading {
  const { channels } = header.parts[part];
  const whole = channels.some((c) => c.type === 'u8' || c.type === 'u16');
  const hasAlpha = channels.some((c) => c.name === 'A');
  return {
    curve: !whole ? 'linear' : header.format === 'movie' ? 'rec709' : 'srgb',
    alpha: { kind: header.format === 'PNG' && hasAlpha ? 'straight' : 'premultiplied' },
  };
}

/** A picture layer as scene-linear premultiplied RGBA over its display window. */
export async function loadPicture(pass: PictureFile, host: NodeHost, reader = new FileReader(host)): Promise<Picture> {
  const opened = await reader.open(pass.file);
  const { header } = opened;
  const names = pictureChannels(channelsInLayer(header, pass), pass.layer);
  const wanted = [...new Set(names.filter((name) => name !== null))];
  const image = await opened.decode(pass.part, wanted);
  const { displayWindow } = image;
  const width = widthOf(displayWindow),
    height = heightOf(displayWindow);
  const rgba = rgbaOnDisplay(image, names);
  if (pass.alphaFrom) await borrowAlpha(rgba, width, height, pass.alphaFrom, reader);
  const reading = pass.reading ?? usualReading(header, pass.part);
  const hasAlpha = reading.alpha.kind !== 'none' && (names[3] !== null || Boolean(pass.alphaFrom));
  // Without any alpha there is nothing to divide by.
  readPicture(rgba, hasAlpha ? reading : { ...reading, alpha: { kind: 'none' } });
  return { width, height, displayWindow, rgba, attributes: header.parts[pass.part].attributes, hasAlpha };
}

/** A picture pass as the element has it: its part of the matte, with its edge, or as a shadow. */
export async function loadElementPicture(
  { beauty, matte }: Pick<FrameFiles, 'beauty' | 'matte'>,
  shape: ElementShape = PLAIN_SHAPE,
  reader: FileReader,
): Promise<Picture> {
  const picture = await loadPicture(beauty, reader.host, reader);
  const { width, height, rgba, hasAlpha } = picture;
  const cut = matte ? { plane: await loadMatte(matte, width, height, reader), invert: matte.choice.invert } : null;
  return { ...picture, rgba: shapePicture(rgba, width, height, hasAlpha, cut, shape), hasAlpha: hasAlpha || cut !== null };
}

async function loadMatte(matte: MatteFile, width: number, height: number, reader: FileReader): Promise<Float32Array> {
  const { header } = await reader.open(matte.file);
  const { planes, width: w, height: h } = await reader.planes(matte, null);
  const named = [...planes].map(([name, data]) => ({ name: shortName(header, matte, name), data }));
  return mattePlane({ width: w, height: h, planes: named }, matte.choice, width, height);
}

/** Takes the alpha channel of another pass, or its only channel, or its red, brought to the picture's size. */
async function borrowAlpha(rgba: Float32Array, width: number, height: number, from: PassFile, reader: FileReader): Promise<void> {
  const { header } = await reader.open(from.file);
  const names = channelsInLayer(header, from);
  const name =
    names.find((n) => /^a(lpha)?$/i.test(shortName(header, from, n))) ??
    names.find((n) => /^r(ed)?$/i.test(shortName(header, from, n))) ??
    names[0];
  const { planes, width: w, height: h } = await reader.planes(from, [name]);
  const alpha = resizePlane(planes.get(name) ?? new Float32Array(w * h), w, h, width, height, 'linear');
  for (let i = 0; i < alpha.length; i++) rgba[i * 4 + 3] = alpha[i];
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

export function alphaOf(rgba: Float32Array): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = rgba[i * 4 + 3];
  return out;
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
