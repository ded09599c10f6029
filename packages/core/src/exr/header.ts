import { IvrexError } from '../errors';
import type { Window } from '../raster/window';
import { heightOf, widthOf } from '../raster/window';
import { ATTRIBUTE_CODECS, ROWS_PER_CHUNK, type Attribute, type Channel, type Compression } from './attributes';
import { Cursor } from './cursor';

/** Caps on what a file may declare, checked before memory is taken. */
export interface ExrLimits {
  readonly maxParts: number;
  readonly maxChannels: number;
  readonly maxPixels: number;
  readonly maxAttributeBytes: number;
  /** Longest name of an attribute, type or channel. */
  readonly maxNameBytes: number;
}
export const DEFAULT_LIMITS: ExrLimits = {
  maxParts: 1024,
  maxChannels: 4096,
  maxPixels: 1 << 28,
  maxAttributeBytes: 1 << 26,
  maxNameBytes: 255,
};

export type PartKind = 'scanline' | 'tiled' | 'deep';

/** Tiles of the largest level; the smaller levels that a file may hold too are not read. */
export interface Tiling {
  readonly width: number;
  readonly height: number;
  readonly columns: number;
  readonly rows: number;
}

export interface ExrPart {
  readonly name: string | null;
  readonly kind: PartKind;
  readonly compression: Compression;
  readonly dataWindow: Window;
  readonly displayWindow: Window;
  readonly pixelAspectRatio: number;
  /** In the order of the file, which is the order inside every chunk. */
  readonly channels: readonly Channel[];
  /** All attributes in the order of the file, the required ones too. */
  readonly attributes: ReadonlyMap<string, Attribute>;
  /** Of all levels. */
  readonly chunkCount: number;
  /** Null for scan lines. */
  readonly tiling: Tiling | null;
}

export interface ExrFile {
  readonly multiPart: boolean;
  readonly parts: readonly ExrPart[];
  /** Where the first chunk table starts. */
  readonly tablesAtBytes: number;
}

const MAGIC = 20000630;
const FLAG_TILED = 0x200,
  FLAG_LONG_NAMES = 0x400,
  FLAG_DEEP = 0x800,
  FLAG_MULTI_PART = 0x1000;

/**
 * Parses the header of an OpenEXR file ("OpenEXR File Layout", sections Magic Number to Header).
 * @throws IvrexError notAnImage, truncated, damaged, unsupported, tooLarge
 */
export function parseExrHeader(bytes: Uint8Array, limits: ExrLimits = DEFAULT_LIMITS): ExrFile {
  if (bytes.length === 0) throw new IvrexError('truncated', 'the file is empty');
  const cursor = new Cursor(bytes);
  if (bytes.length < 4 || cursor.readI32() !== MAGIC) {
    throw new IvrexError('notAnImage', 'this is not an OpenEXR file (it does not start with the OpenEXR mark), whatever its name says');
  }
  const version = cursor.readU32();
  if ((version & 0xff) !== 2) throw new IvrexError('unsupported', `OpenEXR version ${version & 0xff} is not known; version 2 is`);
  const multiPart = (version & FLAG_MULTI_PART) !== 0;
  const nameLimit = Math.min(limits.maxNameBytes, version & FLAG_LONG_NAMES ? 255 : 31);
  const parts: ExrPart[] = [];
  do {
    const attributes = readAttributes(cursor, nameLimit, limits);
    if (attributes.size === 0 && multiPart && parts.length > 0) break;
    parts.push(validatePart(attributes, version, multiPart, limits));
    if (parts.length > limits.maxParts) throw new IvrexError('tooLarge', `the file declares more than ${limits.maxParts} parts`);
  } while (multiPart);
  return { multiPart, parts, tablesAtBytes: cursor.offsetBytes };
}

function readAttributes(cursor: Cursor, nameLimit: number, limits: ExrLimits): Map<string, Attribute> {
  const attributes = new Map<string, Attribute>();
  for (;;) {
    const name = cursor.readName(nameLimit);
    if (name === '') return attributes;
    const type = cursor.readName(nameLimit);
    const size = cursor.readI32();
    if (size < 0 || size > limits.maxAttributeBytes) throw new IvrexError('damaged', `attribute "${name}" declares ${size} bytes`);
    const codec = ATTRIBUTE_CODECS[type];
    const end = cursor.offsetBytes + size;
    if (codec === undefined || (codec.size !== null && codec.size !== size)) {
      attributes.set(name, { type, value: cursor.readBytes(size).slice() });
    } else {
      // A sub-cursor, so that a damaged value can't read past its own end.
      attributes.set(name, { type, value: codec.read(new Cursor(cursor.readBytes(size)), size) });
    }
    cursor.offsetBytes = end;
  }
}

function required<T>(attributes: ReadonlyMap<string, Attribute>, name: string, type: string): T {
  const attribute = attributes.get(name);
  if (attribute === undefined) throw new IvrexError('damaged', `the header lacks "${name}", which every OpenEXR file must have`);
  if (attribute.type !== type || attribute.value instanceof Uint8Array)
    throw new IvrexError('damaged', `the header's "${name}" is not of type ${type}`);
  return attribute.value as T;
}

function validatePart(attributes: ReadonlyMap<string, Attribute>, version: number, multiPart: boolean, limits: ExrLimits): ExrPart {
  const dataWindow = required<Window>(attributes, 'dataWindow', 'box2i');
  const displayWindow = required<Window>(attributes, 'displayWindow', 'box2i');
  const compression = required<Compression>(attributes, 'compression', 'compression');
  const channels = required<readonly Channel[]>(attributes, 'channels', 'chlist');
  checkWindow(dataWindow, 'data window', limits);
  checkWindow(displayWindow, 'display window', limits);
  if (channels.length === 0) throw new IvrexError('damaged', 'the file has no channels');
  if (channels.length > limits.maxChannels)
    throw new IvrexError('tooLarge', `the file declares ${channels.length} channels, more than ${limits.maxChannels}`);
  const seen = new Set<string>();
  for (const channel of channels) {
    if (seen.has(channel.name)) throw new IvrexError('damaged', `channel "${channel.name}" is listed twice`);
    seen.add(channel.name);
    if (channel.xSampling < 1 || channel.ySampling < 1) throw new IvrexError('damaged', `channel "${channel.name}" has a sampling below 1`);
  }
  const kind = kindOf(attributes, version, multiPart);
  const tiled = kind === 'tiled' ? tilingOf(attributes, dataWindow, channels) : null;
  const chunkCount =
    kind === 'scanline'
      ? Math.ceil(heightOf(dataWindow) / ROWS_PER_CHUNK[compression])
      : (tiled?.chunkCount ?? Math.max(0, Number(attributes.get('chunkCount')?.value ?? 0)));
  const aspect = attributes.get('pixelAspectRatio')?.value;
  const name = attributes.get('name')?.value;
  return {
    name: typeof name === 'string' ? name : null,
    kind,
    compression,
    dataWindow,
    displayWindow,
    channels,
    attributes,
    chunkCount,
    tiling: tiled?.tiling ?? null,
    pixelAspectRatio: typeof aspect === 'number' && aspect > 0 ? aspect : 1,
  };
}

function checkWindow(window: Window, what: string, limits: ExrLimits): void {
  const width = widthOf(window),
    height = heightOf(window);
  if (width < 1 || height < 1) throw new IvrexError('damaged', `the ${what} is empty (${width} x ${height})`);
  if (width * height > limits.maxPixels)
    throw new IvrexError('tooLarge', `the ${what} of ${width} x ${height} pixels is larger than the limit of ${limits.maxPixels} pixels`);
}

function kindOf(attributes: ReadonlyMap<string, Attribute>, version: number, multiPart: boolean): PartKind {
  const type = attributes.get('type')?.value;
  if (type === 'deepscanline' || type === 'deeptile') return 'deep';
  if (multiPart || version & FLAG_DEEP) return type === 'tiledimage' ? 'tiled' : type === 'scanlineimage' ? 'scanline' : 'deep';
  return version & FLAG_TILED ? 'tiled' : 'scanline';
}

const LEVEL_MODES = ['one', 'mipmap', 'ripmap'] as const;

/** Tile sizes and the number of tiles of all levels ("OpenEXR File Layout", "Tile Description"). */
function tilingOf(
  attributes: ReadonlyMap<string, Attribute>,
  dataWindow: Window,
  channels: readonly Channel[],
): { tiling: Tiling; chunkCount: number } {
  const [width, height, modes] = required<readonly number[]>(attributes, 'tiles', 'tiledesc');
  const mode = LEVEL_MODES[modes & 15],
    roundsUp = modes >> 4 === 1;
  if (width < 1 || height < 1 || width > 1 << 20 || height > 1 << 20 || mode === undefined)
    throw new IvrexError('damaged', `the header declares tiles of ${width} x ${height} pixels in a way that the format does not define`);
  if (channels.some((c) => c.xSampling !== 1 || c.ySampling !== 1))
    throw new IvrexError('damaged', 'the file is stored in tiles and has subsampled channels, which the format does not allow');
  const tiling = {
    width,
    height,
    columns: Math.ceil(widthOf(dataWindow) / width),
    rows: Math.ceil(heightOf(dataWindow) / height),
  };
  const columns = levelSizes(widthOf(dataWindow), roundsUp).map((w) => Math.ceil(w / width)),
    rows = levelSizes(heightOf(dataWindow), roundsUp).map((h) => Math.ceil(h / height));
  if (mode === 'one') return { tiling, chunkCount: tiling.columns * tiling.rows };
  if (mode === 'ripmap') return { tiling, chunkCount: columns.reduce((a, b) => a + b, 0) * rows.reduce((a, b) => a + b, 0) };
  // A mipmap goes on until the longer side is one pixel.
  const levels = Math.max(columns.length, rows.length);
  let chunkCount = 0;
  for (let l = 0; l < levels; l++) chunkCount += (columns[l] ?? 1) * (rows[l] ?? 1);
  return { tiling, chunkCount };
}

/** Sizes from the largest level down to one pixel. */
function levelSizes(size: number, roundsUp: boolean): number[] {
  const count = (roundsUp ? Math.ceil(Math.log2(size)) : Math.floor(Math.log2(size))) + 1;
  return Array.from({ length: count }, (_, l) => Math.max(1, roundsUp ? Math.ceil(size / 2 ** l) : Math.floor(size / 2 ** l)));
}
