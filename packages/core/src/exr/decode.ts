import { IvrexError } from '../errors';
import type { Image, Plane } from '../raster/image';
import { heightOf, widthOf } from '../raster/window';
import { SAMPLE_BYTES, type Channel } from './attributes';
import { indexChunks, type ChunkIndex } from './chunks';
import type { ExrHost } from './codecs/codec';
import { codecFor } from './codecs/codec-table';
import { rawChunkBytes, type ExrFile, type ExrPart } from './header';

interface Target {
  readonly plane: Plane;
  /** Writes `rows` rows of this channel from the raw chunk. */
  readonly fill: (raw: Uint8Array, byteInRow: number, rowBytes: number, rows: number, firstRow: number) => void;
}

/**
 * Decodes the named channels (full names; null for all) of one part, over its data window.
 * Only the chunks' wanted channels are converted. Throws as `indexChunks` and the codecs do, and `missingChannel`.
 */
export function decodeExrPart(
  bytes: Uint8Array,
  file: ExrFile,
  partIndex: number,
  names: readonly string[] | null,
  host: ExrHost,
  index?: ChunkIndex,
): Image {
  const part = file.parts[partIndex];
  if (part === undefined) throw new TypeError(`the file has no part ${partIndex}`);
  const chunks = (index ?? indexChunks(bytes, file, partIndex)).chunks;
  const codec = codecFor(part.compression);
  const targets = new Map<string, Target>();
  for (const name of names ?? part.channels.map((channel) => channel.name)) targets.set(name, targetFor(part, name, host));
  const width = widthOf(part.dataWindow);
  const rowBytes = rawChunkBytes(part, 0, 0);
  for (const chunk of chunks) {
    const rows = chunk.yTo - chunk.yFrom + 1;
    const packed = bytes.subarray(chunk.offsetBytes, chunk.offsetBytes + chunk.packedBytes);
    const rawLength = rowBytes * rows;
    // A block that did not shrink is stored as it is (OpenEXR file layout, "Scan Line Blocks").
    let raw = packed;
    if (packed.length !== rawLength) {
      raw = new Uint8Array(rawLength);
      try {
        codec.unpack(packed, raw, host);
      } catch (error) {
        throw error instanceof IvrexError ? new IvrexError(error.code, `${error.message} (lines ${chunk.yFrom} to ${chunk.yTo})`) : error;
      }
    }
    let byteInRow = 0;
    for (const channel of part.channels) {
      targets.get(channel.name)?.fill(raw, byteInRow, rowBytes, rows, chunk.yFrom - part.dataWindow.yMin);
      byteInRow += SAMPLE_BYTES[channel.type] * width;
    }
  }
  return { displayWindow: part.displayWindow, dataWindow: part.dataWindow, planes: [...targets.values()].map((target) => target.plane) };
}

function targetFor(part: ExrPart, name: string, host: ExrHost): Target {
  const channel = part.channels.find((candidate) => candidate.name === name);
  if (channel === undefined)
    throw new IvrexError('missingChannel', `there is no channel "${name}"; there are ${part.channels.map((c) => c.name).join(', ')}`);
  if (part.channels.some((c) => c.xSampling !== 1 || c.ySampling !== 1)) {
    throw new IvrexError(
      'unsupported',
      'this file has subsampled channels, which this version does not read; save it with every channel at full size',
    );
  }
  const width = widthOf(part.dataWindow);
  const count = width * heightOf(part.dataWindow);
  return channel.type === 'half' ? halfTarget(channel, width, count, host) : wordTarget(channel, width, count);
}

function halfTarget(channel: Channel, width: number, count: number, host: ExrHost): Target {
  const data = new Float32Array(count);
  return {
    plane: { name: channel.name, type: 'half', data },
    fill(raw, byteInRow, rowBytes, rows, firstRow) {
      const halves = new Uint16Array(width * rows);
      const bytes = new Uint8Array(halves.buffer);
      for (let row = 0; row < rows; row++) {
        const at = row * rowBytes + byteInRow;
        bytes.set(raw.subarray(at, at + width * 2), row * width * 2);
      }
      host.kernels.halfToFloat(halves, data.subarray(firstRow * width, (firstRow + rows) * width));
    },
  };
}

// Samples are little-endian in the file and in typed arrays on every platform that Node and browsers support.
function wordTarget(channel: Channel, width: number, count: number): Target {
  const data = channel.type === 'uint' ? new Uint32Array(count) : new Float32Array(count);
  const bytes = new Uint8Array(data.buffer);
  return {
    plane: { name: channel.name, type: channel.type, data },
    fill(raw, byteInRow, rowBytes, rows, firstRow) {
      for (let row = 0; row < rows; row++) {
        const at = row * rowBytes + byteInRow;
        bytes.set(raw.subarray(at, at + width * 4), (firstRow + row) * width * 4);
      }
    },
  };
}
