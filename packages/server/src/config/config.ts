import path from 'node:path';
import { DEFAULT_LIMITS, type ExrLimits } from '@ivrex/core';
import type { PathMapping } from '@ivrex/media';
import { z } from 'zod';

/** The only reader of the environment. */
const environmentSchema = z.object({
  /** Beyond loopback people have to sign in. */
  IVREX_HOST: z
    .union([z.ipv4(), z.ipv6(), z.literal('localhost')], 'it must be an address of this machine, such as 127.0.0.1')
    .default('127.0.0.1'),
  /** The addresses that browsers use, with http:// or https://, separated by commas; needed when all of the machine's addresses are served. */
  IVREX_PUBLIC: z
    .string()
    .default('')
    .transform((text) =>
      text
        .split(',')
        .map((url) => url.trim().replace(/\/$/, ''))
        .filter((url) => url !== ''),
    )
    .pipe(z.array(z.url({ protocol: /^https?$/, error: 'each must be an address such as https://ivrex.example' }))),
  /** "always": people sign in on this machine too. */
  IVREX_SIGN_IN: z.enum(['beyond', 'always']).default('beyond'),
  /** The largest file that may be uploaded, in GB. */
  IVREX_MAX_UPLOAD_GB: z.coerce.number().positive().default(64),
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
  /** Of a worker: how it is called, and what folders are called here ("FROM=TO", several separated by semicolons). */
  IVREX_WORKER: z.string().min(1).max(100).default('worker'),
  IVREX_MAP: z
    .string()
    .default('')
    .transform((text, context) =>
      text
        .split(';')
        .filter((pair) => pair.trim() !== '')
        .map((pair) => {
          const at = pair.indexOf('=');
          if (at < 1 || at === pair.length - 1) context.addIssue(`"${pair}" is not FROM=TO`);
          return { from: pair.slice(0, at).trim(), to: pair.slice(at + 1).trim() };
        }),
    ),
  IVREX_LOG: z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
});

export interface Config {
  readonly host: string;
  readonly port: number;
  /** Addresses that pages may come from; null: any port of loopback. */
  readonly publicOrigins: readonly string[] | null;
  readonly isPublicHttps: boolean;
  readonly signInRequired: boolean;
  readonly maxUploadBytes: number;
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
  readonly workerName: string;
  readonly mappings: readonly PathMapping[];
  /** What is burnt into movies is set in it. */
  readonly fontFile: string;
}

const LOOPBACK = /^(127\.\d+\.\d+\.\d+|::1|localhost)$/;

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
  const isLoopback = LOOPBACK.test(e.IVREX_HOST);
  if (!isLoopback && e.IVREX_PUBLIC.length === 0 && /^(0\.0\.0\.0|::)$/.test(e.IVREX_HOST))
    throw new Error(
      'the setting IVREX_PUBLIC is missing: all addresses of this machine are served, so say which ones browsers use, such as http://10.1.2.3:4780',
    );
  const own = `http://${e.IVREX_HOST.includes(':') ? `[${e.IVREX_HOST}]` : e.IVREX_HOST}:${e.IVREX_PORT}`;
  return {
    host: e.IVREX_HOST,
    port: e.IVREX_PORT,
    publicOrigins: isLoopback && e.IVREX_PUBLIC.length === 0 ? null : e.IVREX_PUBLIC.length > 0 ? e.IVREX_PUBLIC : [own],
    isPublicHttps: e.IVREX_PUBLIC.length > 0 && e.IVREX_PUBLIC.every((url) => url.startsWith('https:')),
    signInRequired: !isLoopback || e.IVREX_PUBLIC.length > 0 || e.IVREX_SIGN_IN === 'always',
    maxUploadBytes: e.IVREX_MAX_UPLOAD_GB * 1e9,
    databaseUrl: e.IVREX_DATABASE_URL,
    threads: e.IVREX_THREADS,
    limits: {
      ...DEFAULT_LIMITS,
      maxPixels: e.IVREX_MAX_PIXELS ?? DEFAULT_LIMITS.maxPixels,
      maxChannels: e.IVREX_MAX_CHANNELS ?? DEFAULT_LIMITS.maxChannels,
      maxParts: e.IVREX_MAX_PARTS ?? DEFAULT_LIMITS.maxParts,
    },
    logLevel: e.IVREX_LOG,
    workerName: e.IVREX_WORKER,
    mappings: e.IVREX_MAP,
    fontFile: path.join(e.IVREX_ROOT, 'node_modules/@fontsource-variable/inter/files/inter-latin-wght-normal.woff2'),
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
