import {
  heightOf,
  planeOnDisplay,
  readMotion,
  readPicture,
  resizeMotionField,
  resizePlane,
  rgbaOnDisplay,
  widthOf,
  type Attribute,
  type Encoding,
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

/** Everything that one frame of the blur reads. Plain data. */
export interface FrameSources {
  readonly beauty: PictureFile;
  readonly motion: PassFile;
  readonly depth: PassFile | null;
  readonly ids: PassFile | null;
  readonly encoding: Encoding;
  readonly repairs?: readonly RepairStep[];
  /** For encodings in seconds, when the motion pass's header does not say. */
  readonly fps: number | null;
}

export interface FramePasses {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  readonly rgba: Float32Array;
  readonly motion: MotionField;
  readonly depth: Float32Array | null;
  readonly ids: Float32Array | null;
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
 * Loads and decodes one frame. Motion, depth and ids of another size are brought to the beauty's, vectors with it, and a warning says so.
 * @throws IvrexError about the file that is at fault
 */
export async function loadFramePasses(sources: FrameSources, host: NodeHost): Promise<FramePasses> {
  const reader = new FileReader(host),
    warnings: string[] = [];
  const beauty = await loadPicture(sources.beauty, host, reader);
  const { width, height } = beauty;
  const motion = await loadMotion(sources, beauty, reader, warnings);
  const depth = sources.depth === null ? null : await loadData(sources.depth, ['Z', 'z', 'depth'], beauty, reader, warnings);
  const ids = sources.ids === null ? null : await loadData(sources.ids, [], beauty, reader, warnings);
  return {
    width,
    height,
    displayWindow: beauty.displayWindow,
    rgba: beauty.rgba,
    motion,
    depth,
    ids,
    attributes: beauty.attributes,
    warnings,
  };
}

async function loadMotion(sources: FrameSources, beauty: Picture, reader: FileReader, warnings: string[]): Promise<MotionField> {
  const { encoding, motion: pass } = sources;
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

/** One data channel. Of a Cryptomatte it is the id that covers most of each pixel, as a small number of its own. */
async function loadData(
  pass: PassFile,
  preferred: readonly string[],
  beauty: Picture,
  reader: FileReader,
  warnings: string[],
): Promise<Float32Array> {
  const { header } = await reader.open(pass.file);
  const names = channelsInLayer(header, pass);
  const isCrypto = cryptomatteOf(header, pass) !== null;
  const name =
    (isCrypto
      ? names.find((n) => /^00\.r/i.test(shortName(header, pass, n)))
      : names.find((n) => preferred.includes(shortName(header, pass, n)))) ?? names[0];
  const { planes, width, height } = await reader.planes(pass, [name]);
  if (width !== beauty.width || height !== beauty.height)
    warnings.push(`${name} is ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}: its nearest pixels were taken`);
  const data = planes.get(name) ?? new Float32Array(0);
  return resizePlane(isCrypto ? numbered(data) : data, width, height, beauty.width, beauty.height, 'nearest');
}

/** Ids of a Cryptomatte are any bits, some of them tiny floats: counted through from 1, nothing stays 0. */
function numbered(ids: Float32Array): Float32Array {
  const bits = new Uint32Array(ids.buffer, ids.byteOffset, ids.length),
    numbers = new Map<number, number>([[0, 0]]);
  return Float32Array.from(bits, (id) => {
    const known = numbers.get(id) ?? numbers.size;
    numbers.set(id, known);
    return known;
  });
}
