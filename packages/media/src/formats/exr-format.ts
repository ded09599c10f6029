import { open, readFile, stat, type FileHandle } from 'node:fs/promises';
import {
  chunksOfPicture,
  decodeExrPart,
  indexChunks,
  IvrexError,
  parseExrHeader,
  tableOf,
  truncated,
  tryReadChunk,
  type ChunkIndex,
  type ExrFile,
  type ExrLimits,
} from '@ivrex/core';
import type { ImageFormat, ImageHeader } from './image-format';

const HEADER_GUESS_BYTES = 64 * 1024;

/** The header alone, from the file's start; more is read only when the header is longer. */
async function readHeader(handle: FileHandle, limits: ExrLimits): Promise<ExrFile> {
  const { size } = await handle.stat();
  for (let bytes = HEADER_GUESS_BYTES; ; bytes *= 8) {
    const buffer = new Uint8Array(Math.min(bytes, size));
    const { bytesRead } = await handle.read(buffer, 0, buffer.length, 0);
    try {
      return parseExrHeader(buffer.subarray(0, bytesRead), limits);
    } catch (error) {
      if (!(error instanceof IvrexError && error.code === 'truncated') || buffer.length >= size) throw error;
    }
  }
}

async function read(handle: FileHandle, at: number, count: number): Promise<Uint8Array | null> {
  const bytes = new Uint8Array(count);
  const { bytesRead } = await handle.read(bytes, 0, count, at);
  return bytesRead === count ? bytes : null;
}

/** The table of chunks names places inside the file, and the chunk that lies last is whole: a cut file fails one of these. */
async function tableIsWhole(handle: FileHandle, file: ExrFile, partIndex: number): Promise<boolean> {
  const { size } = await handle.stat(),
    part = file.parts[partIndex];
  const before = file.parts.slice(0, partIndex).reduce((sum, p) => sum + p.chunkCount, 0),
    at = file.tablesAtBytes + before * 8;
  if (at + part.chunkCount * 8 > size) throw truncated(part, 0, chunksOfPicture(part));
  const table = await read(handle, at, part.chunkCount * 8);
  const { offsets } = tableOf(() => table, size, file, partIndex);
  const wanted = offsets.slice(0, chunksOfPicture(part));
  if (new Set(wanted).size !== wanted.length) return false;
  // No list of arguments: a picture of 8K in tiles of 16 pixels has more chunks than a call can take.
  const last = wanted.reduce((a, b) => Math.max(a, b)),
    first = wanted.reduce((a, b) => Math.min(a, b)),
    head = await read(handle, last, Math.min(24, Math.max(0, size - last)));
  const chunk =
    head === null ? null : tryReadChunk((from, count) => head.subarray(from - last, from - last + count), size, file, partIndex, last);
  return chunk !== null && chunk !== 'other level' && first >= file.tablesAtBytes;
}

export const exrFormat: ImageFormat = {
  async loadHeader(file, limits): Promise<ImageHeader> {
    const handle = await open(file, 'r');
    try {
      return { format: 'OpenEXR', parts: (await readHeader(handle, limits)).parts };
    } finally {
      await handle.close();
    }
  },

  async checkWhole(file, limits) {
    const handle = await open(file, 'r');
    try {
      const header = await readHeader(handle, limits);
      for (let part = 0; part < header.parts.length; part++) {
        if (header.parts[part].kind === 'deep' || (await tableIsWhole(handle, header, part))) continue;
        // Slow, and rare: say exactly what is there.
        const bytes = await readFile(file);
        indexChunks(bytes, header, part);
      }
    } finally {
      await handle.close();
    }
  },

  async open(file, host) {
    if (!(await stat(file)).isFile()) throw new IvrexError('missingFile', 'this is not a file');
    const bytes = await readFile(file);
    const header = parseExrHeader(bytes, host.limits);
    const indices = new Map<number, ChunkIndex>();
    const warnings: string[] = [];
    return {
      header: { format: 'OpenEXR', parts: header.parts },
      warnings,
      async decode(part, names) {
        const index = indices.get(part) ?? indexChunks(bytes, header, part);
        if (!indices.has(part)) warnings.push(...index.warnings);
        indices.set(part, index);
        return decodeExrPart(bytes, header, part, names, host, index);
      },
    };
  },
};
