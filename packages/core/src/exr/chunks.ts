import { IvrexError } from '../errors';
import { ROWS_PER_CHUNK } from './attributes';
import { layoutOf, type ChunkArea } from './chunk-layout';
import { Cursor } from './cursor';
import type { ExrFile, ExrPart } from './header';

export interface Chunk extends ChunkArea {
  readonly offsetBytes: number;
  readonly packedBytes: number;
}

export interface ChunkIndex {
  /** Scan lines from the top, tiles row by row. */
  readonly chunks: readonly Chunk[];
  readonly warnings: readonly string[];
}

/**
 * Reads `count` bytes of a file at an offset: the whole file in memory, or a part of it that is fetched. Null when the file ends before.
 */
export type ByteSource = (offsetBytes: number, count: number) => Uint8Array | null;

export function bytesAsSource(bytes: Uint8Array): { read: ByteSource; length: number } {
  return { read: (at, count) => (at + count <= bytes.length ? bytes.subarray(at, at + count) : null), length: bytes.length };
}

/** Chunks of the largest level: what `indexChunks` finds in a whole part. */
export function chunksOfPicture(part: ExrPart): number {
  return part.tiling === null ? part.chunkCount : part.tiling.columns * part.tiling.rows;
}

/**
 * Finds every chunk of a part (of a tiled one, of its largest level) and checks that it lies inside the file.
 * A chunk table with zeroes or wrong offsets (an interrupted writer leaves them) is rebuilt by walking the chunks.
 * @throws IvrexError unsupported for deep parts, truncated when chunks are missing
 */
export function indexChunks(bytes: Uint8Array, file: ExrFile, partIndex: number): ChunkIndex {
  const part = file.parts[partIndex];
  if (part === undefined) throw new TypeError(`the file has no part ${partIndex}`);
  if (part.kind === 'deep')
    throw new IvrexError('unsupported', 'this is a deep image (many samples a pixel); flatten it, or render a flat pass');
  const { read, length } = bytesAsSource(bytes);
  const table = tableOf(read, length, file, partIndex);
  const wanted = chunksOfPicture(part),
    fromTable: Chunk[] = [];
  for (const offset of table.offsets.slice(0, wanted)) {
    const chunk = tryReadChunk(read, length, file, partIndex, offset);
    if (chunk === null || chunk === 'other level') return rebuild(read, length, file, partIndex, table.endBytes);
    fromTable.push(chunk);
  }
  if (!complete(part, fromTable)) return rebuild(read, length, file, partIndex, table.endBytes);
  return { chunks: sorted(fromTable), warnings: [] };
}

export function tableOf(read: ByteSource, fileBytes: number, file: ExrFile, partIndex: number): { offsets: number[]; endBytes: number } {
  const before = file.parts.slice(0, partIndex).reduce((sum, part) => sum + part.chunkCount, 0);
  const all = file.parts.reduce((sum, part) => sum + part.chunkCount, 0);
  const count = file.parts[partIndex]?.chunkCount ?? 0,
    at = file.tablesAtBytes + before * 8;
  // The table itself must be inside the file before an array of its size is made.
  const table = at + count * 8 > fileBytes ? null : read(at, count * 8);
  if (table === null) throw truncated(file.parts[partIndex], 0, count);
  const cursor = new Cursor(table);
  return { offsets: Array.from({ length: count }, () => cursor.readU64()), endBytes: file.tablesAtBytes + all * 8 };
}

/** The head of a chunk: part number in files of several parts, then place and size. Null when it is none, or does not fit. */
export function tryReadChunk(
  read: ByteSource,
  fileBytes: number,
  file: ExrFile,
  partIndex: number,
  offset: number,
): Chunk | 'other level' | null {
  const part = file.parts[partIndex];
  const headBytes = (file.multiPart ? 4 : 0) + (part.tiling === null ? 8 : 20);
  if (offset < file.tablesAtBytes || offset + headBytes > fileBytes) return null;
  const head = read(offset, headBytes);
  if (head === null) return null;
  const cursor = new Cursor(head);
  if (file.multiPart && cursor.readI32() !== partIndex) return null;
  const area = part.tiling === null ? linesAt(part, cursor.readI32()) : tileAt(part, cursor);
  if (area === null || area === 'other level') return area;
  const packedBytes = cursor.readI32(),
    offsetBytes = offset + headBytes;
  if (packedBytes < 0 || packedBytes > layoutOf(part.channels, area).rawBytes || offsetBytes + packedBytes > fileBytes) return null;
  return { ...area, offsetBytes, packedBytes };
}

function linesAt(part: ExrPart, yFrom: number): ChunkArea | null {
  const { dataWindow } = part,
    rows = ROWS_PER_CHUNK[part.compression];
  const inside = yFrom >= dataWindow.yMin && yFrom <= dataWindow.yMax && (yFrom - dataWindow.yMin) % rows === 0;
  return inside ? { xFrom: dataWindow.xMin, xTo: dataWindow.xMax, yFrom, yTo: Math.min(yFrom + rows - 1, dataWindow.yMax) } : null;
}

function tileAt(part: ExrPart, cursor: Cursor): ChunkArea | 'other level' | null {
  const { dataWindow, tiling } = part;
  const column = cursor.readI32(),
    row = cursor.readI32(),
    levelX = cursor.readI32(),
    levelY = cursor.readI32();
  if (levelX !== 0 || levelY !== 0) return 'other level';
  if (tiling === null || column < 0 || row < 0 || column >= tiling.columns || row >= tiling.rows) return null;
  const xFrom = dataWindow.xMin + column * tiling.width,
    yFrom = dataWindow.yMin + row * tiling.height;
  return {
    xFrom,
    yFrom,
    xTo: Math.min(xFrom + tiling.width - 1, dataWindow.xMax),
    yTo: Math.min(yFrom + tiling.height - 1, dataWindow.yMax),
  };
}

/** Walks the chunks of a file with one part. Smaller levels come after the largest, so the walk ends with it. */
function rebuild(read: ByteSource, fileBytes: number, file: ExrFile, partIndex: number, startBytes: number): ChunkIndex {
  const part = file.parts[partIndex],
    wanted = chunksOfPicture(part),
    found: Chunk[] = [];
  if (!file.multiPart) {
    let offset = startBytes;
    for (let i = 0; i < wanted; i++) {
      const chunk = tryReadChunk(read, fileBytes, file, partIndex, offset);
      if (chunk === null || chunk === 'other level') break;
      found.push(chunk);
      offset = chunk.offsetBytes + chunk.packedBytes;
    }
  }
  if (!complete(part, found)) throw truncated(part, found.length, wanted);
  return { chunks: sorted(found), warnings: ['the table of chunks was damaged; it was rebuilt from the chunks themselves'] };
}

export function truncated(part: ExrPart, found: number, expected: number): IvrexError {
  return new IvrexError(
    'truncated',
    `the picture is incomplete: ${found} of ${expected} ${part.tiling === null ? 'blocks of scan lines' : 'tiles'} are there; copy or render this frame again`,
  );
}

function complete(part: ExrPart, chunks: readonly Chunk[]): boolean {
  return chunks.length === chunksOfPicture(part) && new Set(chunks.map((chunk) => `${chunk.xFrom},${chunk.yFrom}`)).size === chunks.length;
}

function sorted(chunks: readonly Chunk[]): Chunk[] {
  return [...chunks].sort((a, b) => a.yFrom - b.yFrom || a.xFrom - b.xFrom);
}
