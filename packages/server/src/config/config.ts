import path from 'node:path';
import { DEFAULT_LIMITS, type ExrLimits } from '@ivrex/core';
import { z } from 'zod';

/** The only reader of the environment. */
const environmentSchema = z.object({
  IVREX_HOST: z.enum(['127.0.0.1', '::1', 'localhost'], 'only loopback addresses are served by this version').default('127.0.0.1'),
  IVREX_PORT: z.coerce.number().int().min(0).max(65535).default(4780),
  IVREX_DATABASE_URL: z.url({ protocol: /^postgres(ql)?$/ }),
  IVREX_ROOT: z.string().min(1),
  IVREX_DATA: z.string().min(1),
  /** Folders below which shots may lie, separated by colons. */
  IVREX_MEDIA: z.string().default(''),
  IVREX_DEMO: z.enum(['0', '1']).default('0'),
  /** What an OpenEXR file may declare before it is refused. */
  IVREX_MAX_PIXELS: z.coerce.number().int().positive().optional(),
  IVREX_MAX_CHANNELS: z.coerce.number().int().positive().optional(),
  IVREX_MAX_PARTS: z.coerce.number().int().positive().optional(),
  IVREX_THREADS: z.coerce.number().int().min(1).max(256),
  IVREX_LOG: z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
});

export interface Config {
  readonly host: string;
  readonly port: number;
  readonly databaseUrl: string;
  readonly clientFolder: string;
  readonly kernelsWasm: string;
  readonly migrationsFolder: string;
  readonly mediaFolders: readonly string[];
  readonly demoFolder: string;
  readonly deliveriesFolder: string;
  /** Managed store: what artists upload, and what can be made again. */
  readonly uploadsFolder: string;
  readonly cacheFolder: string;
  /** Motion passes that were made for shots, a folder a shot. */
  readonly madeFolder: string;
  readonly makeDemo: boolean;
  readonly threads: number;
  readonly limits: ExrLimits;
  readonly logLevel: string;
}

/** @throws Error with one sentence that names the variable */
export function readConfig(environment: Record<string, string | undefined>): Config {
  const parsed = environmentSchema.safeParse(environment);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    throw new Error(`the setting ${String(issue.path[0])} is not usable: ${issue.message}`);
  }
  const e = parsed.data;
  const media = path.join(e.IVREX_DATA, 'media'),
    uploads = path.join(e.IVREX_DATA, 'uploads');
  return {
    host: e.IVREX_HOST,
    port: e.IVREX_PORT,
    databaseUrl: e.IVREX_DATABASE_URL,
    threads: e.IVREX_THREADS,
    limits: {
      ...DEFAULT_LIMITS,
      maxPixels: e.IVREX_MAX_PIXELS ?? DEFAULT_LIMITS.maxPixels,
      maxChannels: e.IVREX_MAX_CHANNELS ?? DEFAULT_LIMITS.maxChannels,
      maxParts: e.IVREX_MAX_PARTS ?? DEFAULT_LIMITS.maxParts,
    },
    logLevel: e.IVREX_LOG,
    makeDemo: e.IVREX_DEMO === '1',
    clientFolder: path.join(e.IVREX_ROOT, 'packages/client/dist'),
    kernelsWasm: path.join(e.IVREX_ROOT, 'packages/kernels/build/kernels.wasm'),
    migrationsFolder: path.join(e.IVREX_ROOT, 'packages/server/migrations'),
    mediaFolders: [media, uploads, ...e.IVREX_MEDIA.split(':').filter((f) => f !== '')].map((f) => path.resolve(f)),
    demoFolder: path.join(media, 'tidal-clock'),
    deliveriesFolder: path.join(e.IVREX_DATA, 'deliveries'),
    uploadsFolder: path.resolve(uploads),
    cacheFolder: path.join(e.IVREX_DATA, 'cache'),
    madeFolder: path.resolve(e.IVREX_DATA, 'made'),
  };
}
