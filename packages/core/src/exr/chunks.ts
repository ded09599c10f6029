import { IvrexError } from '../errors';
import { ROWS_PER_CHUNK } from './attributes';
import { Cursor } from './cursor';
import type { ExrFile, ExrPart } from './header';
import { rawChunkBytes } from './header';

export interface Chunk {
  readonly yFrom: number;
  readonly yTo: number;
  readonly offsetBytes: number;
  readonly packedBytes: number;
}

export interface ChunkIndex {
  /** Sorted from the top of the picture. */
  readonly chunks: readonly Chunk[];
  readonly warnings: readonly string[];
}

/**
 * Finds every chunk of a scan-line part and checks that it lies inside the file.
 * A chunk table with zeroes or wrong offsets (an interrupted writer leaves them) is rebuilt by walking the chunks.
 * @throws IvrexError unsupported for tiled and deep parts, truncated when chunks are missing
 */
export function indexChunks(bytes: Uint8Array, file: ExrFile, partIndex: number): ChunkIndex {
  const part = file.parts[partIndex];
  if (part === undefined) throw new TypeError(`the file has no part ${partIndex}`);
  if (part.kind === 'deep')
    throw new IvrexError('unsupported', 'this is a deep image (many samples a pixel); flatten it, or render a flat pass');
  if (part.kind === 'tiled')
    throw new IvrexError('unsupported', 'this image is stored in tiles, which this version does not read; save it with scan lines');
  const table = tableOf(bytes, file, partIndex);
  const fromTable: Chunk[] = [];
  for (const offset of table.offsets) {
    const chunk = tryReadChunk(bytes, file, part, partIndex, offset);
    if (chunk === null) return rebuild(bytes, file, part, partIndex, table.endBytes);
    fromTable.push(chunk);
  }
  if (!complete(part, fromTable)) return rebuild(bytes, file, part, partIndex, table.endBytes);
  return { chunks: sorted(fromTable), warnings: [] };
}

function tableOf(bytes: Uint8Array, file: ExrFile, partIndex: number): { offsets: number[]; endBytes: number } {
  const before = file.parts.slice(0, partIndex).reduce((sum, part) => sum + part.chunkCount, 0);
  const all = file.parts.reduce((sum, part) => sum + part.chunkCount, 0);
  const cursor = new Cursor(bytes, file.tablesAtBytes + before * 8);
  const count = file.parts[partIndex]?.chunkCount ?? 0;
  // The table itself must be inside the file before an array of its size is made.
  if (cursor.offsetBytes + count * 8 > bytes.length) throw truncated(0, count);
  const offsets = Array.from({ length: count }, () => cursor.readU64());
  return { offsets, endBytes: file.tablesAtBytes + all * 8 };
}

function tryReadChunk(bytes: Uint8Array, file: ExrFile, part: ExrPart, partIndex: number, offset: number): Chunk | null {
  const headBytes = file.multiPart ? 12 : 8;
  if (offset < file.tablesAtBytes || offset + headBytes > bytes.length) return null;
  const cursor = new Cursor(bytes, offset);
  if (file.multiPart && cursor.readI32() !== partIndex) return null;
  const yFrom = cursor.readI32();
  const packedBytes = cursor.readI32();
  const rows = ROWS_PER_CHUNK[part.compression];
  const inside = yFrom >= part.dataWindow.yMin && yFrom <= part.dataWindow.yMax && (yFrom - part.dataWindow.yMin) % rows === 0;
  const yTo = Math.min(yFrom + rows - 1, part.dataWindow.yMax);
  if (!inside || packedBytes < 0 || packedBytes > rawChunkBytes(part, yFrom, yTo) || cursor.offsetBytes + packedBytes > bytes.length)
    return null;
  return { yFrom, yTo, offsetBytes: cursor.offsetBytes, packedBytes };
}

function rebuild(bytes: Uint8Array, file: ExrFile, part: ExrPart, partIndex: number, startBytes: number): ChunkIndex {
  const found: Chunk[] = [];
  if (!file.multiPart) {
    let offset = startBytes;
    for (let i = 0; i < part.chunkCount; i++) {
      const chunk = tryReadChunk(bytes, file, part, partIndex, offset);
      if (chunk === null) break;
      found.push(chunk);
      offset = chunk.offsetBytes + chunk.packedBytes;
    }
  }
  if (!complete(part, found)) throw truncated(found.length, part.chunkCount);
  return { chunks: sorted(found), warnings: ['the table of chunks was damaged; it was rebuilt from the chunks themselves'] };
}

function truncated(found: number, expected: number): IvrexError {
  return new IvrexError(
    'truncated',
    `the picture is incomplete: ${found} of ${expected} blocks of scan lines are there; copy or render this frame again`,
  );
}

function complete(part: ExrPart, chunks: readonly Chunk[]): boolean {
  return chunks.length === part.chunkCount && new Set(chunks.map((chunk) => chunk.yFrom)).size === chunks.length;
}

function sorted(chunks: readonly Chunk[]): Chunk[] {
  return [...chunks].sort((a, b) => a.yFrom - b.yFrom);
}
