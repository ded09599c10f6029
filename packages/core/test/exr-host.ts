import { deflateSync, inflateSync } from 'node:zlib';
import { referenceKernels } from '../src/reference';
import type { ExrHost } from '../src';

/** EXR through the slow kernels: tests of the format do not depend on WebAssembly. */
export const referenceHost: ExrHost = {
  kernels: referenceKernels,
  inflate: (packed, length) => inflateSync(packed, { maxOutputLength: Math.max(1, length) }),
  deflate: (raw) => deflateSync(raw, { level: 4 }),
};
