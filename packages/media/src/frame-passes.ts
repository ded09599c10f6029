import {
  channelsOf,
  decodeExrPart,
  decodeMotion,
  IvrexError,
  joinChannelName,
  planeOnDisplay,
  resizeMotionField,
  resizePlane,
  rgbaOnDisplay,
  splitChannelName,
  heightOf,
  widthOf,
  type Attribute,
  type Encoding,
  type MotionField,
  type Window,
} from '@ivrex/core';
import { aboutFile, channelsInLayer, loadExr, pictureChannels, type LayerChoice, type LoadedExr } from './exr-file';
import type { NodeHost } from './node-host';

/** One layer of one file on disk. */
export interface PassFile extends LayerChoice {
  readonly file: string;
}

/** Everything that one frame of the blur reads. Plain data. */
export interface FrameSources {
  readonly beauty: PassFile;
  readonly motion: PassFile;
  readonly depth: PassFile | null;
  readonly ids: PassFile | null;
  readonly encoding: Encoding;
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
class FileReader {
  private readonly loaded = new Map<string, Promise<LoadedExr>>();
  constructor(readonly host: NodeHost) {}

  load(file: string): Promise<LoadedExr> {
    const known = this.loaded.get(file) ?? loadExr(file);
    this.loaded.set(file, known);
    return known;
  }

  /** Planes over the display window by full name. `outside` fills what the data window leaves out. */
  async planes(
    pass: PassFile,
    names: readonly string[] | null,
  ): Promise<{ planes: Map<string, Float32Array>; width: number; height: number; loaded: LoadedExr }> {
    const loaded = await this.load(pass.file);
    return aboutFile(pass.file, async () => {
      const image = decodeExrPart(loaded.bytes, loaded.file, pass.part, names ?? channelsInLayer(loaded.file, pass), this.host);
      const planes = new Map(image.planes.map((plane) => [plane.name, planeOnDisplay(image, plane)]));
      return { planes, width: widthOf(image.displayWindow), height: heightOf(image.displayWindow), loaded };
    });
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

/** A picture layer as premultiplied RGBA over its display window. */
export async function loadPicture(pass: PassFile, host: NodeHost, reader = new FileReader(host)): Promise<Picture> {
  const { bytes, file } = await reader.load(pass.file);
  return aboutFile(pass.file, async () => {
    const names = pictureChannels(channelsInLayer(file, pass), pass.layer);
    const wanted = [...new Set(names.filter((name) => name !== null))];
    const image = decodeExrPart(bytes, file, pass.part, wanted, host);
    const { displayWindow } = image;
    return {
      width: widthOf(displayWindow),
      height: heightOf(displayWindow),
      displayWindow,
      rgba: rgbaOnDisplay(image, names),
      attributes: file.parts[pass.part].attributes,
      hasAlpha: names[3] !== null,
    };
  });
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
  const { file } = await reader.load(pass.file);
  const available = file.parts[pass.part].channels.map((c) => c.name);
  const wanted = new Map<string, string>();
  for (const name of channelsOf(encoding)) {
    const full = [joinChannelName(pass.layer, name), name].find((candidate) => available.includes(candidate));
    if (full === undefined) {
      const short = channelsInLayer(file, pass).map((n) => splitChannelName(n).channel);
      throw new IvrexError(
        'missingChannel',
        `the encoding names channel "${name}", but layer "${pass.layer}" has ${short.join(', ')}`,
        pass.file,
      );
    }
    wanted.set(name, full);
  }
  const stored = await reader.planes(pass, [...new Set(wanted.values())]);
  const planes = new Map([...wanted].map(([name, full]) => [name, stored.planes.get(full) ?? new Float32Array(0)]));
  const sameSize = stored.width === beauty.width && stored.height === beauty.height;
  if (!sameSize)
    warnings.push(
      `the motion pass is ${stored.width} x ${stored.height}, the beauty ${beauty.width} x ${beauty.height}: vectors were scaled to the beauty`,
    );
  return aboutFile(pass.file, async () => {
    const beautyAlpha =
      beauty.hasAlpha && encoding.premultiplied
        ? resizePlane(alphaOf(beauty.rgba), beauty.width, beauty.height, stored.width, stored.height, 'linear')
        : null;
    const fps = headerRate(stored.loaded.file.parts[pass.part].attributes) ?? sources.fps;
    const field = decodeMotion({ planes, width: stored.width, height: stored.height, fps: sources.fps ?? fps, beautyAlpha }, encoding);
    return resizeMotionField(field, beauty.width, beauty.height);
  });
}

function alphaOf(rgba: Float32Array): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = rgba[i * 4 + 3];
  return out;
}

/** framesPerSecond from a header; null when it does not say. */
export function headerRate(attributes: ReadonlyMap<string, Attribute>): number | null {
  const value = attributes.get('framesPerSecond')?.value;
  return Array.isArray(value) && typeof value[0] === 'number' && typeof value[1] === 'number' && value[1] > 0 ? value[0] / value[1] : null;
}

async function loadData(
  pass: PassFile,
  preferred: readonly string[],
  beauty: Picture,
  reader: FileReader,
  warnings: string[],
): Promise<Float32Array> {
  const { file } = await reader.load(pass.file);
  const names = channelsInLayer(file, pass);
  const name = names.find((n) => preferred.includes(splitChannelName(n).channel)) ?? names[0];
  const { planes, width, height } = await reader.planes(pass, [name]);
  if (width !== beauty.width || height !== beauty.height)
    warnings.push(`${name} is ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}: its nearest pixels were taken`);
  return resizePlane(planes.get(name) ?? new Float32Array(0), width, height, beauty.width, beauty.height, 'nearest');
}
