import { createHash } from 'node:crypto';
import {
  encodeExr,
  heightOf,
  IvrexError,
  joinChannelName,
  parseCubeLut,
  TRUST_CAUSES,
  viewColours,
  widthOf,
  type Attribute,
  type Compression,
  type DisplayTransform,
  type Plane,
  type ViewTransform,
  type Window,
} from '@ivrex/core';
import { encode as encodePng } from 'fast-png';
import { writeFileAtomic } from '../files/atomic-write';
import { encodeMotionAnew, type RemapRequest } from './motion-tasks';
import type { NodeHost } from '../host/node-host';
import { encodeTiff, toCodes, type FlatPicture } from '../writers/tiff-writer';
import type { BlurFrame } from './blur-frame';
import { trustMapOf } from './trust-task';
import { interleaved } from '../writers/write-motion';

/** What one layer of a delivered file holds. Pictures and mattes were made before, data are made where they are written. */
export type LayerContent =
  | { readonly kind: 'picture'; readonly rgba: Float32Array; readonly displayWindow: Window; readonly opaque: boolean }
  /** The alpha of a picture. */
  | { readonly kind: 'matte'; readonly rgba: Float32Array; readonly displayWindow: Window }
  | { readonly kind: 'motion'; readonly request: Omit<RemapRequest, 'out' | 'layer' | 'type'> }
  | { readonly kind: 'trust'; readonly request: BlurFrame };

/** A display transform as data: a curve of our own, or a .cube table's text. */
export type TransformText = DisplayTransform | { readonly cube: string; readonly input: 'linear' | 'srgb' };

export interface ExrForm {
  readonly kind: 'exr';
  readonly type: 'half' | 'float';
  readonly compression: Compression;
  readonly window: 'full' | 'trimmed';
}

/** Whole numbers go through the transform, floats stay scene-linear. */
export interface FlatForm {
  readonly kind: 'tiff' | 'png';
  readonly depth: 'u8' | 'u16' | 'float';
  readonly transform: TransformText;
  /** "black": pictures are laid over black and have no alpha, as movies want them. */
  readonly alpha: 'keep' | 'black';
}

export interface SaveFrameRequest {
  readonly file: string;
  /** The first one's window is the file's. The name "" writes plain channels. */
  readonly layers: readonly { readonly name: string; readonly content: LayerContent }[];
  readonly form: ExrForm | FlatForm;
  readonly attributes: ReadonlyMap<string, Attribute>;
}

export interface SavedFrame {
  readonly bytes: number;
  /** Of the file, hexadecimal. */
  readonly sha256: string;
  readonly warnings: readonly string[];
}

/** Writes one file of a delivered frame. @throws IvrexError sizeMismatch, unsupported, cannotWrite, or about the file that is at fault */
export async function saveFrame(request: SaveFrameRequest, host: NodeHost): Promise<SavedFrame> {
  const { form, file } = request,
    warnings: string[] = [];
  const bytes = form.kind === 'exr' ? await exrBytes(request, form, host, warnings) : await flatBytes(request, form, host, warnings);
  await writeFileAtomic(file, bytes);
  return { bytes: bytes.length, sha256: createHash('sha256').update(bytes).digest('hex'), warnings: [...new Set(warnings)] };
}

interface DataPlanes {
  readonly planes: ReadonlyMap<string, Float32Array>;
  readonly displayWindow: Window;
}

async function planesOfLayer(
  content: LayerContent,
  type: 'half' | 'float' | 'u8' | 'u16',
  host: NodeHost,
  warnings: string[],
): Promise<DataPlanes> {
  switch (content.kind) {
    case 'picture':
      return {
        planes: new Map(['R', 'G', 'B', 'A'].map((name, c) => [name, channelOf(content.rgba, c)])),
        displayWindow: content.displayWindow,
      };
    case 'matte':
      return { planes: new Map([['A', channelOf(content.rgba, 3)]]), displayWindow: content.displayWindow };
    case 'motion': {
      const made = await encodeMotionAnew({ ...content.request, type }, () => type, host);
      if (made.clippedPixels > 0)
        warnings.push(`${made.clippedPixels} pixels are beyond the range of the motion's encoding and were clipped`);
      return made;
    }
    case 'trust': {
      const { map, passes } = await trustMapOf(content.request, host);
      warnings.push(...passes.warnings);
      const causes = TRUST_CAUSES.map((cause): [string, Float32Array] => [cause, map.causes[cause]]);
      return { planes: new Map([['expected', map.expected], ...causes]), displayWindow: passes.displayWindow };
    }
  }
}

function channelOf(rgba: Float32Array, channel: number): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = rgba[i * 4 + channel];
  return out;
}

async function exrBytes(
  { file, layers, attributes }: SaveFrameRequest,
  form: ExrForm,
  host: NodeHost,
  warnings: string[],
): Promise<Uint8Array> {
  const planes: Plane[] = [];
  let displayWindow: Window | null = null,
    first = '';
  for (const { name, content } of layers) {
    const made = await planesOfLayer(content, form.type, host, warnings);
    if (displayWindow === null) {
      displayWindow = made.displayWindow;
      first = name;
    } else if (widthOf(displayWindow) !== widthOf(made.displayWindow) || heightOf(displayWindow) !== heightOf(made.displayWindow))
      throw new IvrexError(
        'sizeMismatch',
        `layer ${name} is ${sizeOf(made.displayWindow)}, ${first} is ${sizeOf(displayWindow)}: one file holds one size, so deliver them as separate files`,
        file,
      );
    for (const [channel, data] of made.planes) planes.push({ name: joinChannelName(name, channel), type: form.type, data });
  }
  if (displayWindow === null) throw new TypeError('a file needs a layer');
  const image = { displayWindow, dataWindow: displayWindow, planes };
  return encodeExr(form.window === 'trimmed' ? trimmed(image) : image, { compression: form.compression, attributes }, host);
}

function sizeOf(window: Window): string {
  return `${widthOf(window)} x ${heightOf(window)}`;
}

/** Without the rows and columns at the borders where every plane is 0, which is what readers take what is outside for. One pixel is left of nothing. */
export function trimmed<T extends { readonly displayWindow: Window; readonly dataWindow: Window; readonly planes: readonly Plane[] }>(
  image: T,
): T {
  const { dataWindow, planes } = image;
  const width = widthOf(dataWindow),
    height = heightOf(dataWindow);
  let xMin = width,
    xMax = -1,
    yMin = height,
    yMax = -1;
  for (const { data } of planes)
    for (let y = 0, i = 0; y < height; y++)
      for (let x = 0; x < width; x++, i++)
        if (data[i] !== 0) {
          if (x < xMin) xMin = x;
          if (x > xMax) xMax = x;
          if (y < yMin) yMin = y;
          if (y > yMax) yMax = y;
        }
  if (xMax < 0) xMin = xMax = yMin = yMax = 0;
  const w = xMax - xMin + 1,
    h = yMax - yMin + 1;
  const cropped = planes.map((plane) => {
    const data = new Float32Array(w * h);
    for (let y = 0; y < h; y++) data.set(plane.data.subarray((yMin + y) * width + xMin, (yMin + y) * width + xMin + w), y * w);
    return { ...plane, data };
  });
  const at = { x: dataWindow.xMin, y: dataWindow.yMin };
  return { ...image, planes: cropped, dataWindow: { xMin: at.x + xMin, yMin: at.y + yMin, xMax: at.x + xMax, yMax: at.y + yMax } };
}

async function flatBytes({ file, layers }: SaveFrameRequest, form: FlatForm, host: NodeHost, warnings: string[]): Promise<Uint8Array> {
  const [{ content }] = layers;
  const { depth } = form;
  if (content.kind === 'picture') {
    const seen = form.alpha === 'black' ? { ...content, opaque: true } : content;
    const alpha = depth === 'float' ? 'premultiplied' : 'straight';
    return packed(depth === 'float' ? linearPicture(seen) : shownPicture(seen, transformOf(form.transform)), form, alpha);
  }
  const { planes, displayWindow } = await planesOfLayer(content, depth, host, warnings);
  if (content.kind === 'matte') {
    const values = Float32Array.from(planes.get('A') ?? [], (v) => (depth === 'float' ? v : clamped(v)));
    return packed({ values, channels: 1, width: widthOf(displayWindow), height: heightOf(displayWindow) }, form, 'data');
  }
  return packed(interleaved(file, { planes, displayWindow }), form, 'data');
}

function packed(picture: FlatPicture, { kind, depth }: FlatForm, alpha: 'data' | 'premultiplied' | 'straight'): Uint8Array {
  if (kind === 'tiff') return encodeTiff(picture, depth, alpha);
  if (depth === 'float') throw new IvrexError('unsupported', 'PNG holds whole numbers of 8 or 16 bits');
  const { values, ...size } = picture;
  return encodePng({ ...size, depth: depth === 'u8' ? 8 : 16, data: toCodes(values, depth) });
}

type PictureContent = Extract<LayerContent, { kind: 'picture' }>;

function linearPicture({ rgba, displayWindow, opaque }: PictureContent): FlatPicture {
  const channels = opaque ? 3 : 4,
    values = new Float32Array((rgba.length / 4) * channels);
  for (let i = 0, o = 0; i < rgba.length; i += 4, o += channels) for (let c = 0; c < channels; c++) values[o + c] = rgba[i + c];
  return { values, channels, width: widthOf(displayWindow), height: heightOf(displayWindow) };
}

/** As it is looked at: colours without their alpha through the transform, alpha straight beside them. */
function shownPicture({ rgba, displayWindow, opaque }: PictureContent, transform: ViewTransform): FlatPicture {
  const width = widthOf(displayWindow),
    height = heightOf(displayWindow);
  if (opaque) return { values: viewColours(rgba, transform).map(clamped), channels: 3, width, height };
  const straight = new Float32Array(rgba.length);
  for (let i = 0; i < rgba.length; i += 4) {
    const a = rgba[i + 3],
      by = a > 0 ? 1 / a : 0;
    for (let c = 0; c < 3; c++) straight[i + c] = rgba[i + c] * by;
    straight[i + 3] = a;
  }
  const seen = viewColours(straight, transform),
    values = new Float32Array(rgba.length);
  for (let i = 0, o = 0; i < rgba.length; i += 4, o += 3) {
    for (let c = 0; c < 3; c++) values[i + c] = clamped(seen[o + c]);
    values[i + 3] = clamped(rgba[i + 3]);
  }
  return { values, channels: 4, width, height };
}

/** 0 to 1; what is no number is 0. */
function clamped(v: number): number {
  return v > 0 ? Math.min(1, v) : 0;
}

function transformOf(text: TransformText): ViewTransform {
  return typeof text === 'string' ? text : { lut: parseCubeLut(text.cube), input: text.input };
}
