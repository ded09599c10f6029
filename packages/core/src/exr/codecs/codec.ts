import type { ChunkMemory, Kernels } from '@ivrex/kernels/interface';
import type { ChunkLayout } from '../chunk-layout';

/** What a host lends to the EXR pipelines: kernels, and zlib's inflate and deflate. */
export interface ExrHost {
  readonly kernels: Pick<Kernels, 'predictBytes' | 'halfToFloat' | 'floatToHalf' | 'openChunk'>;
  /** zlib stream to exactly `length` bytes; throws any error when the stream is bad or its length differs. */
  inflate(packed: Uint8Array, length: number): Uint8Array;
  deflate(raw: Uint8Array): Uint8Array;
}

/**
 * How a chunk lies in its memory once it is unpacked: rows of all channels line by line as in the file, the same with even and odd bytes
 * apart, or channel by channel.
 */
export type ChunkForm = 'lines' | 'splitLines' | 'planes';

/** One compression: packed chunk to its rows and back. */
export interface ChunkCodec {
  /**
   * Unpacks into `memory`, which has the layout's size. Channels that are not `wanted` (by name; null: all) may be left undefined.
   * Throws IvrexError damaged.
   */
  unpack(packed: Uint8Array, memory: ChunkMemory, layout: ChunkLayout, wanted: ReadonlySet<string> | null, host: ExrHost): ChunkForm;
  /** Null where this version reads the compression but does not write it. `raw` is in lines. */
  readonly pack: ((raw: Uint8Array, layout: ChunkLayout, host: ExrHost) => Uint8Array) | null;
}
