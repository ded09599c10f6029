import path from 'node:path';
import {
  coverLight,
  multiplyLight,
  heightOf,
  IvrexError,
  mattePlane,
  measurePass,
  PLAIN_SHAPE,
  readPicture,
  resizePlane,
  rgbaOnDisplay,
  shapePicture,
  takeLights,
  widthOf,
  type AlphaMeasure,
  type Attribute,
  type ElementShape,
  type LightPicture,
  type PictureReading,
  type Window,
} from '@ivrex/core';
import type { ImageHeader } from '../formats/image-format';
import { channelsInLayer, pictureChannels, shortName } from '../formats/layers';
import type { NodeHost } from '../host/node-host';
import { FileReader } from './file-reader';
import type { FrameFiles, MatteFile, PassFile, PictureFile } from './pass-files';

export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly displayWindow: Window;
  readonly rgba: Float32Array;
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly hasAlpha: boolean;
  /** Its colours were stored without their alpha. */
  readonly isStraight: boolean;
  /** What is odd about it, in sentences. */
  readonly warnings: readonly string[];
}

/** From this share of bright soft edges on alpha is straight: a premultiplied edge is no brighter than its alpha. */
const STRAIGHT_SHARE = 0.25,
  /** Fewer partly covered pixels tell nothing. */
  LEAST_PARTIAL = 0.0003;

/**
 * What a file of this kind usually holds: OpenEXR and float TIFF scene-linear, whole numbers with the sRGB curve. Alpha as the file says; PNG straight
 * (PNG specification, 12.4), OpenEXR premultiplied; where a TIFF does not say, as it was measured, else premultiplied.
 */
export function usualReading(
  header: ImageHeader,
  part = 0,
  measured: Pick<AlphaMeasure, 'aboveShare' | 'partialShare'> | null = null,
): PictureReading {
  const { channels, alpha } = header.parts[part];
  const whole = channels.some((c) => c.type === 'u8' || c.type === 'u16');
  const hasAlpha = channels.some((c) => c.name === 'A');
  const looksStraight = measured !== null && measured.partialShare >= LEAST_PARTIAL && measured.aboveShare > STRAIGHT_SHARE;
  const isStraight = hasAlpha && (header.format === 'PNG' || alpha === 'straight' || (alpha === 'unsaid' && looksStraight));
  return {
    curve: !whole ? 'linear' : header.format === 'movie' ? 'rec709' : 'srgb',
    alpha: { kind: isStraight ? 'straight' : 'premultiplied' },
  };
}

/** The same of one file, measured where it does not say. */
export async function measuredReading(pass: PassFile, reader: FileReader): Promise<PictureReading> {
  const opened = await reader.open(pass.file),
    { header } = opened;
  if (header.parts[pass.part].alpha !== 'unsaid') return usualReading(header, pass.part);
  const image = await opened.decode(pass.part, channelsInLayer(header, pass));
  const planes = image.planes.map((p) => ({ ...p, name: shortName(header, pass, p.name) }));
  return usualReading(header, pass.part, measurePass(planes).alpha);
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
  const reading = pass.reading ?? (await measuredReading(pass, reader));
  const hasAlpha = reading.alpha.kind !== 'none' && (names[3] !== null || Boolean(pass.alphaFrom));
  // Without any alpha there is nothing to divide by.
  readPicture(rgba, hasAlpha ? reading : { ...reading, alpha: { kind: 'none' } });
  const isStraight = hasAlpha && reading.alpha.kind === 'straight',
    { attributes } = header.parts[pass.part];
  const picture: Picture = { width, height, displayWindow, rgba, attributes, hasAlpha, isStraight, warnings: [] };
  if (pass.coverFrom) {
    const surface = await loadPicture(pass.coverFrom, host, reader);
    assertPartOf(surface, picture, pass);
    if (surface.isStraight && !hasAlpha) multiplyLight(rgba, surface.rgba);
    coverLight(rgba, surface.hasAlpha ? surface.rgba : null, width);
    return { ...picture, hasAlpha: true };
  }
  const lights: LightPicture[] = [];
  for (const light of pass.without ?? []) {
    const lit = await loadPicture(light, host, reader);
    assertPartOf(picture, lit, light);
    if (isStraight && !lit.hasAlpha) multiplyLight(lit.rgba, rgba);
    lights.push({ name: light.layer === '' ? path.basename(light.file) : light.layer, rgba: lit.rgba });
  }
  return { ...picture, warnings: takeLights(rgba, lights) };
}

/** @throws IvrexError sizeMismatch */
function assertPartOf(whole: Picture, light: Picture, { file }: PassFile): void {
  if (light.width !== whole.width || light.height !== whole.height)
    throw new IvrexError(
      'sizeMismatch',
      `this light pass is ${light.width} x ${light.height}, the beauty that it is part of ${whole.width} x ${whole.height}`,
      file,
    );
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
  const alpha = resizePlane(planes.get(name) ?? new Float32Array(w * h), w, h, width, height);
  for (let i = 0; i < alpha.length; i++) rgba[i * 4 + 3] = alpha[i];
}

export function alphaOf(rgba: Float32Array): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = rgba[i * 4 + 3];
  return out;
}
