import type { ChunkMemory } from '@ivrex/kernels/interface';
import { IvrexError } from '../errors';
import type { Image, Plane } from '../raster/image';
import { MOST_RATIO, type Channel } from './attributes';
import { layoutOf, sampleCount, type ChunkArea, type ChunkLayout } from './chunk-layout';
import { indexChunks, type Chunk, type ChunkIndex } from './chunks';
import type { ChunkForm, ExrHost } from './codecs/codec';
import { codecFor, storedCodec } from './codecs/codec-table';
import type { ExrFile, ExrPart } from './header';

interface Target {
  /** What was filled. */
  plane(): Plane;
  /** Writes this channel's samples of one chunk. */
  readonly fill: (memory: ChunkMemory, form: ChunkForm, layout: ChunkLayout, channelIndex: number) => void;
}

/**
 * Decodes the named channels (full names; null for all) of one part, over its data window. Subsampled channels keep their stored samples.
 * Only the wanted channels are converted. Throws as `indexChunks` and the codecs do, and `missingChannel`.
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
  const { chunks } = index ?? indexChunks(bytes, file, partIndex);
  const wanted = names === null ? null : new Set(names);
  const targets = new Map<number, Target>();
  for (const name of new Set(names ?? part.channels.map((channel) => channel.name))) {
    const c = part.channels.findIndex((candidate) => candidate.name === name);
    if (c < 0)
      throw new IvrexError('missingChannel', `there is no channel "${name}"; there are ${part.channels.map((ch) => ch.name).join(', ')}`);
    targets.set(c, targetFor(part, part.channels[c]));
  }
  const layouts = new LayoutCache(part.channels);
  for (const chunk of chunks) {
    const layout = layouts.at(chunk);
    if (layout.rawBytes > chunk.packedBytes * MOST_RATIO[part.compression] + SLACK_BYTES) throw implausible(chunk, layout);
    const memory = host.kernels.openChunk(layout.rawBytes);
    try {
      const form = unpackChunk(bytes, part, chunk, memory, layout, wanted, host);
      for (const [c, target] of targets) target.fill(memory, form, layout, c);
    } finally {
      memory.close();
    }
  }
  return { displayWindow: part.displayWindow, dataWindow: part.dataWindow, planes: [...targets.values()].map((target) => target.plane()) };
}

/** Heads that compressions put into small chunks. */
const SLACK_BYTES = 4096;

function implausible(chunk: Chunk, layout: ChunkLayout): IvrexError {
  return new IvrexError(
    'damaged',
    `the header declares more pixels than its blocks can hold: ${layout.rawBytes} bytes from ${chunk.packedBytes} (lines ${chunk.yFrom} to ${chunk.yTo})`,
  );
}

/** Most chunks of a part have the same shape; only without subsampling does the shape alone decide. */
class LayoutCache {
  private readonly known = new Map<string, ChunkLayout>();
  private readonly movable: boolean;
  constructor(private readonly channels: readonly Channel[]) {
    this.movable = channels.every((c) => c.xSampling === 1 && c.ySampling === 1);
  }
  at(area: ChunkArea): ChunkLayout {
    if (!this.movable) return layoutOf(this.channels, area);
    const key = `${area.xTo - area.xFrom},${area.yTo - area.yFrom}`;
    const known = this.known.get(key) ?? layoutOf(this.channels, area);
    this.known.set(key, known);
    return known.area === area ? known : { ...known, area };
  }
}

function unpackChunk(
  bytes: Uint8Array,
  part: ExrPart,
  chunk: Chunk,
  memory: ChunkMemory,
  layout: ChunkLayout,
  wanted: ReadonlySet<string> | null,
  host: ExrHost,
): ChunkForm {
  const packed = bytes.subarray(chunk.offsetBytes, chunk.offsetBytes + chunk.packedBytes);
  // A block that did not shrink is stored as it is (OpenEXR file layout, "Scan Line Blocks").
  const codec = packed.length === layout.rawBytes ? storedCodec : codecFor(part.compression);
  try {
    return codec.unpack(packed, memory, layout, wanted, host);
  } catch (error) {
    if (!(error instanceof IvrexError)) throw error;
    const code = error.code === 'truncated' ? 'damaged' : error.code;
    throw new IvrexError(code, `${error.message} (lines ${chunk.yFrom} to ${chunk.yTo})`);
  }
}

function targetFor(part: ExrPart, channel: Channel): Target {
  const { dataWindow: window } = part,
    { xSampling, ySampling } = channel;
  const width = sampleCount(window.xMin, window.xMax, xSampling),
    height = sampleCount(window.yMin, window.yMax, ySampling);
  const sampling = xSampling === 1 && ySampling === 1 ? {} : { sampling: { x: xSampling, y: ySampling, width, height } };
  const left = Math.ceil(window.xMin / xSampling),
    top = Math.ceil(window.yMin / ySampling);
  const count = width * height;
  // Memory is taken when the first chunk has proved to be one.
  let made: Float32Array | Uint32Array | null = null;
  const samplesOf = () => (made ??= channel.type === 'uint' ? new Uint32Array(count) : new Float32Array(count));
  return {
    plane: () => ({ name: channel.name, type: channel.type, data: samplesOf(), ...sampling }),
    fill(memory, form, layout, c) {
      const { rowOffsets, planeOffsets, width: samples } = layout.channels[c];
      if (samples === 0 || rowOffsets.length === 0) return;
      const { area } = layout;
      const start = (Math.ceil(area.yFrom / ySampling) - top) * width + Math.ceil(area.xFrom / xSampling) - left;
      const out = samplesOf().subarray(start, start + (rowOffsets.length - 1) * width + samples);
      const rows = { offsets: form === 'planes' ? planeOffsets : rowOffsets, samples, split: form === 'splitLines' };
      // Samples are little-endian in the file and in typed arrays on every platform that Node and browsers support.
      if (channel.type === 'half') memory.readHalves(rows, out as Float32Array, width);
      else memory.readWords(rows, out, width);
    },
  };
}
