import type { Kernels } from '@ivrex/kernels/interface';

/** What a host lends to the EXR pipelines: kernels, and zlib's inflate and deflate. */
export interface ExrHost {
  readonly kernels: Pick<Kernels, 'reconstructBytes' | 'predictBytes' | 'halfToFloat' | 'floatToHalf'>;
  /** zlib stream to exactly `length` bytes; throws any error when the stream is bad or its length differs. */
  inflate(packed: Uint8Array, length: number): Uint8Array;
  deflate(raw: Uint8Array): Uint8Array;
}

/** One compression: packed chunk to raw scan lines and back. */
export interface ChunkCodec {
  /** `out` is filled whole. Throws IvrexError damaged. */
  unpack(packed: Uint8Array, out: Uint8Array, host: ExrHost): void;
  pack(raw: Uint8Array, host: ExrHost): Uint8Array;
}
