import { IvrexError } from '../errors';
import type { Image, Plane } from '../raster/image';
import { heightOf, widthOf } from '../raster/window';
import { ATTRIBUTE_CODECS, ROWS_PER_CHUNK, SAMPLE_BYTES, type Attribute, type Channel, type Compression } from './attributes';
import { layoutOf } from './chunk-layout';
import type { ExrHost } from './codecs/codec';
import { codecFor, WRITABLE_COMPRESSIONS } from './codecs/codec-table';
import { ByteWriter } from './cursor';

export interface ExrWriteOptions {
  readonly compression: Compression;
  /** Extra attributes; the required ones are made from the image and win. */
  readonly attributes?: ReadonlyMap<string, Attribute>;
}

/**
 * One scan-line part with the image's planes, each written in its own type. Channels are sorted by name, as the format asks.
 * @throws IvrexError unsupported for a compression that is only read; TypeError when a plane does not fill the data window
 */
export function encodeExr(image: Image, options: ExrWriteOptions, host: ExrHost): Uint8Array {
  const planes = [...image.planes].sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
  const width = widthOf(image.dataWindow),
    height = heightOf(image.dataWindow);
  for (const plane of planes) {
    if (plane.data.length !== width * height)
      throw new TypeError(`plane "${plane.name}" has ${plane.data.length} samples instead of ${width * height}`);
  }
  const { pack } = codecFor(options.compression);
  if (pack === null)
    throw new IvrexError(
      'unsupported',
      `files are not written with ${options.compression.toUpperCase()}; use ${WRITABLE_COMPRESSIONS.join(', ')}`,
    );
  const channels = planes.map(channelOf);
  const writer = new ByteWriter();
  writeHeader(writer, image, channels, options);
  const rowsPerChunk = ROWS_PER_CHUNK[options.compression];
  const chunkCount = Math.ceil(height / rowsPerChunk);
  let offset = writer.length + chunkCount * 8;
  const { xMin, xMax, yMin } = image.dataWindow;
  const chunks: Uint8Array[] = [];
  for (let i = 0; i < chunkCount; i++) {
    const firstRow = i * rowsPerChunk;
    const rows = Math.min(rowsPerChunk, height - firstRow);
    const raw = rawRows(planes, width, firstRow, rows, host);
    const layout = layoutOf(channels, { xFrom: xMin, xTo: xMax, yFrom: yMin + firstRow, yTo: yMin + firstRow + rows - 1 });
    const packed = pack(raw, layout, host);
    const chunk = packed.length < raw.length ? packed : raw;
    chunks.push(chunk);
    writer.writeU64(offset);
    offset += 8 + chunk.length;
  }
  chunks.forEach((chunk, i) => {
    writer.writeI32(image.dataWindow.yMin + i * rowsPerChunk);
    writer.writeI32(chunk.length);
    writer.writeBytes(chunk);
  });
  return writer.toBytes();
}

function writeHeader(writer: ByteWriter, image: Image, channels: readonly Channel[], options: ExrWriteOptions): void {
  const attributes = new Map<string, Attribute>([
    ['pixelAspectRatio', { type: 'float', value: 1 }],
    ['screenWindowCenter', { type: 'v2f', value: [0, 0] }],
    ['screenWindowWidth', { type: 'float', value: 1 }],
    ...(options.attributes ?? []),
    ['channels', { type: 'chlist', value: channels }],
    ['compression', { type: 'compression', value: options.compression }],
    ['dataWindow', { type: 'box2i', value: image.dataWindow }],
    ['displayWindow', { type: 'box2i', value: image.displayWindow }],
    ['lineOrder', { type: 'lineOrder', value: 'increasingY' }],
  ]);
  // What only a multi-part or tiled file may carry.
  for (const name of ['type', 'chunkCount', 'tiles', 'version', 'maxSamplesPerPixel']) attributes.delete(name);
  const names = [...attributes.keys(), ...channels.map((channel) => channel.name)];
  const longNames = names.some((name) => name.length > 31) || [...attributes.values()].some((attribute) => attribute.type.length > 31);
  writer.writeI32(20000630);
  writer.writeU32(2 | (longNames ? 0x400 : 0));
  for (const [name, attribute] of [...attributes].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const body = new ByteWriter();
    const codec = ATTRIBUTE_CODECS[attribute.type];
    if (attribute.value instanceof Uint8Array || codec === undefined) body.writeBytes(attribute.value as Uint8Array);
    else codec.write(body, attribute.value);
    writer.writeName(name);
    writer.writeName(attribute.type);
    writer.writeI32(body.length);
    writer.writeBytes(body.toBytes());
  }
  writer.writeU8(0);
}

/** 8 and 16-bit samples are fractions of their range here; halves hold them to 11 bits, so they are written as float. */
function channelOf({ name, type }: Plane): Channel {
  return { name, type: type === 'u8' || type === 'u16' ? 'float' : type, linear: false, xSampling: 1, ySampling: 1 };
}

function rawRows(planes: readonly Plane[], width: number, firstRow: number, rows: number, host: ExrHost): Uint8Array {
  const strides = planes.map((plane) => SAMPLE_BYTES[channelOf(plane).type] * width);
  const rowBytes = strides.reduce((sum, stride) => sum + stride, 0);
  const raw = new Uint8Array(rowBytes * rows);
  let byteInRow = 0;
  planes.forEach((plane, c) => {
    const samples = plane.data.subarray(firstRow * width, (firstRow + rows) * width);
    const bytes = sampleBytes(plane, samples, host);
    const stride = strides[c];
    for (let row = 0; row < rows; row++) raw.set(bytes.subarray(row * stride, (row + 1) * stride), row * rowBytes + byteInRow);
    byteInRow += stride;
  });
  return raw;
}

function sampleBytes(plane: Plane, samples: Float32Array | Uint32Array, host: ExrHost): Uint8Array {
  const asFloats = samples instanceof Float32Array ? samples : Float32Array.from(samples);
  if (plane.type === 'half') {
    const halves = new Uint16Array(samples.length);
    host.kernels.floatToHalf(asFloats, halves);
    return new Uint8Array(halves.buffer);
  }
  const words = plane.type === 'uint' ? Uint32Array.from(samples) : asFloats;
  return new Uint8Array(words.buffer, words.byteOffset, words.byteLength);
}
