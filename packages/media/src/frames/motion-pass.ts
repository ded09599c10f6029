import {
  channelsOf,
  heightOf,
  IvrexError,
  joinChannelName,
  planeOnDisplay,
  readMotion,
  resizeMotionField,
  resizePlane,
  widthOf,
  type Attribute,
  type Encoding,
  type MotionField,
  type SampleType,
  type StoredPass,
  type Window,
} from '@ivrex/core';
import { aboutFile } from '../formats/image-file';
import type { FileReader } from './file-reader';
import { alphaOf, type Picture } from './load-picture';
import type { FrameSources, PassFile } from './pass-files';
import type { ImageHeader } from '../formats/image-format';
import { channelsInLayer, headerRate, shortName } from '../formats/layers';

/** One frame of a motion pass as its file holds it, over its display window. */
export interface LoadedMotion extends StoredPass {
  readonly displayWindow: Window;
  readonly attributes: ReadonlyMap<string, Attribute>;
  /** What the header says. */
  readonly fps: number | null;
  readonly pixelAspect: number;
}

/** Full names of the channels that an encoding names (null: of all of the layer's), by their short names. @throws IvrexError missingChannel */
export function motionChannels(header: ImageHeader, pass: PassFile, encoding: Encoding | null): Map<string, string> {
  const { channels } = header.parts[pass.part],
    wanted = new Map<string, string>();
  if (encoding === null) for (const full of channelsInLayer(header, pass)) wanted.set(shortName(header, pass, full), full);
  else
    for (const name of channelsOf(encoding)) {
      const full = [joinChannelName(pass.layer, name), name].find((candidate) => channels.some((c) => c.name === candidate));
      if (full === undefined) {
        const short = channelsInLayer(header, pass).map((n) => shortName(header, pass, n));
        throw new IvrexError(
          'missingChannel',
          `the encoding names channel "${name}", but layer "${pass.layer}" has ${short.join(', ')}`,
          pass.file,
        );
      }
      wanted.set(name, full);
    }
  return wanted;
}

/** @throws IvrexError missingChannel */
export async function loadStoredMotion(pass: PassFile, encoding: Encoding | null, reader: FileReader): Promise<LoadedMotion> {
  const opened = await reader.open(pass.file),
    part = opened.header.parts[pass.part],
    wanted = motionChannels(opened.header, pass, encoding);
  const image = await opened.decode(pass.part, [...new Set(wanted.values())]);
  const channels = [...wanted].map(([name, full]) => {
    const plane = image.planes.find((p) => p.name === full);
    return {
      name,
      type: (plane?.type ?? 'float') as SampleType,
      data: plane === undefined ? new Float32Array(0) : planeOnDisplay(image, plane),
    };
  });
  return {
    width: widthOf(image.displayWindow),
    height: heightOf(image.displayWindow),
    displayWindow: image.displayWindow,
    channels,
    attributes: part.attributes,
    fps: headerRate(part.attributes),
    pixelAspect: part.pixelAspectRatio,
  };
}

export function planesOf(pass: StoredPass): Map<string, Float32Array> {
  return new Map(pass.channels.map((c) => [c.name, c.data]));
}

export function typesOf(pass: StoredPass): Map<string, SampleType> {
  return new Map(pass.channels.map((c) => [c.name, c.type]));
}

/** The motion of a frame at its beauty's size, vectors with it, repairs applied. @throws IvrexError about the pass's file */
export async function loadDecodedMotion(
  pass: PassFile,
  { encoding, repairs = [], fps }: Pick<FrameSources, 'encoding' | 'repairs' | 'fps'>,
  beauty: Picture,
  reader: FileReader,
  warnings: string[] = [],
): Promise<MotionField> {
  const stored = await loadStoredMotion(pass, encoding, reader);
  const { width, height } = stored;
  if (width !== beauty.width || height !== beauty.height)
    warnings.push(
      `the motion pass is ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}: vectors were scaled to the beauty`,
    );
  return aboutFile(pass.file, () => {
    const coverage =
      beauty.hasAlpha && (encoding.premultiplied || repairs.some((r) => r.on))
        ? resizePlane(alphaOf(beauty.rgba), beauty.width, beauty.height, width, height)
        : null;
    const planes = { planes: planesOf(stored), width, height, fps: fps ?? stored.fps, beautyAlpha: coverage };
    const { field } = readMotion(planes, typesOf(stored), encoding, repairs, coverage);
    return Promise.resolve(resizeMotionField(field, beauty.width, beauty.height));
  });
}
