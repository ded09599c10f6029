import { readFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import path from 'node:path';
import { Command, Option } from 'commander';
import { framesToDeliver, parseDocument, shotDocumentSchema } from '@ivrex/contract';
import { IvrexError, orNull } from '@ivrex/core';
import type { BlurPool } from '@ivrex/media';
import {
  aboutFile,
  absoluteDocument,
  assertDeliverable,
  finishFiles,
  framesThere,
  KnownDigests,
  loadHeader,
  makeOrKeep,
  ShotBook,
  tryFindDamage,
  type DeliveryOrder,
  type MadeFile,
  detectDepthPass,
  withMeasuredDepth,
} from '@ivrex/media';
import { UsageError } from './cli-error';
import { parseCount, parseFrameRange, parseNumber, type FrameRange } from './frame-range';
import { abortOn, type CliHost } from './host';
import { answer, progress, warn } from './output';

interface RenderOptions {
  readonly out?: string;
  readonly frames?: FrameRange;
  readonly from?: number;
  readonly chunk?: number;
  readonly finish?: boolean;
  readonly threads: number;
  readonly log?: 'lines' | 'openjd';
  readonly json?: boolean;
}

export function renderCommand(host: CliHost): Command {
  return new Command('render')
    .description('a whole shot as exported by the application: what a render farm calls')
    .argument('<shot>', 'SHOT.json')
    .option('--out <folder>', "the folder that file names are below (default: the shot file's own)")
    .option('--frames <A-B>', 'only these frames, without the last part', parseFrameRange)
    .option('--from <frame>', 'with --chunk: so many delivered frames from this one on, without the last part', parseNumber('from'))
    .option('--chunk <count>', 'see --from', parseCount('chunk'))
    .option('--finish', 'only the last part: movies, checksums, the document beside them')
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .addOption(
      new Option('--log <kind>', 'a line a frame: "lines" on stderr, "openjd" as Open Job Description has it, on stdout').choices([
        'lines',
        'openjd',
      ]),
    )
    .option('--json', 'one JSON object on stdout')
    .action((file: string, options: RenderOptions) => render(host, file, options));
}

function assertUsage({ frames, from, chunk, finish, log, json }: RenderOptions): void {
  if ((from === undefined) !== (chunk === undefined)) throw new UsageError('--from and --chunk belong together');
  if ([frames, from, finish].filter((option) => option !== undefined).length > 1)
    throw new UsageError('give one of --frames, --from with --chunk, and --finish');
  if (log === 'openjd' && json) throw new UsageError('--log openjd and --json both want stdout; give one of them');
}

async function render(host: CliHost, file: string, options: RenderOptions): Promise<void> {
  assertUsage(options);
  const text = await aboutFile(file, () => readFile(file, 'utf8'));
  const base = path.dirname(path.resolve(file));
  const document = absoluteDocument(parseDocument(text, shotDocumentSchema, 'shot', file), base);
  if (document.deliver === null)
    throw new IvrexError('badSetting', 'it does not say what to deliver; export it from step Deliver, or add "deliver"', file);
  const given = new ShotBook(document);
  assertDeliverable(given, document.deliver);
  const kernels = await host.kernels();
  const { book, notes } = await withMeasuredDepth(given, (sources) => orNull(() => detectDepthPass(sources, kernels)));
  for (const note of notes) warn(note);
  const all = framesToDeliver(document.deliver, framesThere(book, document.deliver));
  const order: DeliveryOrder = {
    options: document.deliver,
    book,
    root: path.resolve(options.out ?? base),
    frames: all,
    digests: new KnownDigests(),
    made: { find: madeAt, save: () => Promise.resolve() },
  };
  const frames = framesOf(all, options);
  if (frames.length === 0 && !options.finish) throw new IvrexError('missingFrame', 'none of these frames is delivered', file);
  const pool = host.openPool(options.threads);
  const stop = abortOn('SIGINT', 'SIGTERM');
  try {
    const told = await renderFrames(pool, order, frames, options, file, stop.signal);
    const isWhole = options.frames === undefined && options.from === undefined;
    const extras = isWhole ? await finishFiles(order, host.fontFile, stop.signal) : [];
    if (options.log !== 'openjd')
      answer(options.json ?? false, { frames: told.made + told.kept, ...told, files: extras }, () => [
        `${told.made} frames made, ${told.kept} kept, below ${order.root}`,
        ...extras,
      ]);
  } finally {
    stop.release();
    await pool.close();
  }
}

function framesOf(all: readonly number[], { frames, from, chunk, finish }: RenderOptions): readonly number[] {
  if (finish) return [];
  if (frames !== undefined) return all.filter((f) => f >= frames.first && f <= frames.last);
  if (from === undefined) return all;
  const at = all.indexOf(from);
  return at < 0 ? [] : all.slice(at, at + (chunk ?? 1));
}

/** One bad frame must not cost the others; all that could not be made are named, and the exit code says so. */
async function renderFrames(
  pool: BlurPool,
  order: DeliveryOrder,
  frames: readonly number[],
  { log }: RenderOptions,
  file: string,
  signal: AbortSignal,
): Promise<{ made: number; kept: number; warnings: string[] }> {
  const warnings: string[] = [];
  let made = 0,
    kept = 0,
    failed = 0;
  for (const [i, frame] of frames.entries()) {
    const started = Date.now();
    let came: string;
    try {
      const result = await makeOrKeep(pool, order, frame, signal);
      if (result.kept) kept++;
      else made++;
      came = result.kept ? 'kept' : `made in ${((Date.now() - started) / 1000).toFixed(1)} s`;
      for (const note of result.notes) if (!warnings.includes(note)) warnings.push(note);
    } catch (error) {
      if (!(error instanceof IvrexError) || error.code === 'cancelled') throw error;
      failed++;
      came = `failed: ${error.message}`;
      process.stderr.write(`ivrex: ${error.file ?? file}: ${error.message}\n`);
    }
    const done = i + 1;
    if (log === 'lines') process.stderr.write(`ivrex: frame ${frame} ${came}, ${done} of ${frames.length}\n`);
    else if (log === 'openjd')
      process.stdout.write(`openjd_progress: ${((100 * done) / frames.length).toFixed(1)}\nopenjd_status: frame ${frame} ${came}\n`);
    else progress(`render: ${done} of ${frames.length} frames`, done === frames.length);
  }
  for (const text of warnings) warn(text);
  if (failed > 0)
    throw new IvrexError('damaged', `${failed} of ${frames.length} frames could not be made (named above); the others are written`, file);
  return { made, kept, warnings };
}

/** OpenEXR files say in their header what they were made of; other files are made anew. */
async function madeAt(file: string): Promise<MadeFile | null> {
  if (!/\.exr$/i.test(file)) return null;
  try {
    const header = await loadHeader(file);
    const key = header.parts[0].attributes.get('ivrexKey')?.value;
    return typeof key === 'string' && (await tryFindDamage(file)) === null ? { key, sha256: null, bytes: 0 } : null;
  } catch (error) {
    if (error instanceof IvrexError) return null;
    throw error;
  }
}
