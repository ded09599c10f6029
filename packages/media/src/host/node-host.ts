import { readFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { deflateSync, inflateSync } from 'node:zlib';
import { DEFAULT_LIMITS, type ExrHost, type ExrLimits } from '@ivrex/core';
import { instantiateKernels, type Kernels } from '@ivrex/kernels';

/** What Node lends to the core: compiled kernels and zlib. */
export interface NodeHost extends ExrHost {
  readonly kernels: Kernels;
  /** For what can be made again, such as a movie's frames. */
  readonly cacheFolder: string;
  /** What an OpenEXR file may declare. */
  readonly limits: ExrLimits;
}

/** OpenEXR's own default level for ZIP. */
const DEFLATE_LEVEL = 4;

export interface HostOptions {
  readonly cacheFolder?: string;
  readonly limits?: Partial<ExrLimits>;
}

export async function loadNodeHost(kernelsWasm: string, options: HostOptions = {}): Promise<NodeHost> {
  const kernels = await instantiateKernels(await WebAssembly.compile(await readFile(kernelsWasm)));
  return {
    kernels,
    cacheFolder: options.cacheFolder ?? path.join(tmpdir(), 'ivrex-cache'),
    limits: { ...DEFAULT_LIMITS, ...options.limits },
    // Memory is bounded by what the header, already checked, declares. One buffer for the whole output: the default of 16 KiB
    // pieces costs as much as the unpacking.
    inflate: (packed, length) => inflateSync(packed, { maxOutputLength: Math.max(1, length), chunkSize: Math.max(64, length + 16) }),
    deflate: (raw) => deflateSync(raw, { level: DEFLATE_LEVEL, chunkSize: Math.max(64, raw.length + (raw.length >> 8) + 64) }),
  };
}
