import { availableParallelism } from 'node:os';
import { Command, Option } from 'commander';
import {
  IvrexError,
  shutterAngleDeg,
  shutterAt,
  shutterFromAngle,
  type BlurQuality,
  type ExposureShape,
  type Shutter,
  type ShutterAlign,
  type ShutterPlan,
} from '@ivrex/core';
import { explainIssue, shutterPlanSchema } from '@ivrex/contract';
import { frameFile, parsePattern, type BlurFrame, type BlurredFrame } from '@ivrex/media';
import { openBlurInputs, withBlurInputs, withLights, type BlurInputOptions, type BlurInputs, type LightOptions } from './blur-inputs';
import { UsageError } from './cli-error';
import { parseCount, parseFrameRange, parseNumber, type FrameRange } from './frame-range';
import { abortOn, type CliHost } from './host';
import { framesToRender, loadShutter } from './inputs';
import { answer, warn } from './output';
import { overFrames } from './over-frames';

const FRAMES_UNDER_WAY = 2;

interface BlurOptions extends BlurInputOptions, LightOptions {
  readonly out: string;
  readonly opens?: number;
  readonly closes?: number;
  readonly angle?: number;
  readonly align?: ShutterAlign;
  readonly shutter?: string;
  readonly exposure?: ExposureShape;
  readonly strength?: number;
  readonly floor?: number;
  readonly ceiling?: number;
  readonly samples: 'auto' | number;
  readonly quality: BlurQuality;
  readonly frames?: FrameRange;
  readonly threads: number;
  readonly type: 'half' | 'float';
  readonly json?: boolean;
}

export function blurCommand(host: CliHost): Command {
  return withLights(withBlurInputs(new Command('blur')))
    .description('apply the shutter to a sharp sequence')
    .requiredOption('--out <pattern>')
    .option('--opens <frames>', 'when the shutter opens, relative to the frame', parseNumber('opens'))
    .option('--closes <frames>', 'when it closes', parseNumber('closes'))
    .option('--angle <degrees>', 'shutter angle, with --align', parseNumber('angle'))
    .addOption(new Option('--align <where>').choices(['centre', 'open', 'close']))
    .option('--strength <factor>', '1 is physically right', parseNumber('strength'))
    .option('--shutter <file>', 'a whole shutter with its strength keys (JSON), in place of the options above and the next three')
    .option('--exposure <shape>', 'even, bell, or ramps:OPENING,CLOSING in shares of the exposure', parseExposure)
    .option('--floor <px>', 'what goes slower a frame stays sharp', parseNumber('floor'))
    .option('--ceiling <px>', 'what goes faster a frame is blurred as if it went this fast', parseNumber('ceiling'))
    .option('--samples <count>', 'auto, or slices a pixel', (text) => (text === 'auto' ? 'auto' : parseCount('samples')(text)), 'auto')
    .addOption(new Option('--quality <quality>').choices(['draft', 'final']).default('final'))
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .addOption(new Option('--type <type>').choices(['half', 'float']).default('half'))
    .option('--json', 'one JSON object on stdout')
    .action((options: BlurOptions) => blur(host, options));
}

/** "even", "bell" or "ramps:OPENING,CLOSING". */
export function parseExposure(text: string): ExposureShape {
  const [kind, rest = ''] = text.split(':', 2);
  const shares = rest.split(',').map(Number);
  if (rest === '' && (kind === 'even' || kind === 'bell')) return { kind };
  if (kind === 'ramps' && shares.length === 2 && rest !== '') return { kind, opening: shares[0], closing: shares[1] };
  throw new UsageError(`--exposure must be even, bell or ramps:OPENING,CLOSING such as ramps:0.2,0.2, not "${text}"`);
}

async function shutterOf(options: BlurOptions): Promise<ShutterPlan> {
  const { opens, closes, angle, align, strength, exposure, floor, ceiling } = options;
  if (options.shutter !== undefined) {
    if ([opens, closes, angle, align, strength, exposure, floor, ceiling].some((option) => option !== undefined))
      throw new UsageError('--shutter says all of the shutter: leave out the other options about it');
    return loadShutter(options.shutter);
  }
  let shutter: Shutter;
  if (angle !== undefined && opens === undefined && closes === undefined) {
    if (align === undefined) throw new UsageError('--angle needs --align centre, open or close');
    shutter = shutterFromAngle(angle, align, strength ?? 1);
  } else if (angle === undefined && align === undefined && opens !== undefined && closes !== undefined)
    shutter = { opens, closes, strength: strength ?? 1 };
  else throw new UsageError('give the shutter as --opens and --closes, as --angle and --align, or as --shutter');
  const parsed = shutterPlanSchema.safeParse({
    ...shutter,
    floorPx: floor ?? null,
    ceilingPx: ceiling ?? null,
    ...(exposure === undefined ? {} : { shape: exposure }),
  });
  if (!parsed.success) throw new UsageError(`the shutter is not valid: ${explainIssue(parsed.error)}`);
  return parsed.data;
}

async function blur(host: CliHost, options: BlurOptions): Promise<void> {
  const shutter = await shutterOf(options);
  const { lights, ...surface } = await openBlurInputs(host, options, options),
    { beauty } = surface;
  const out = parsePattern(options.out).pattern;
  const frames = framesToRender(beauty.sequence, options.frames, options.beauty);
  if (out.padding === null && frames.length > 1)
    throw new UsageError('--out needs a pattern such as name.####.exr when several frames are rendered');
  const pool = host.openPool(options.threads);
  const stop = abortOn('SIGINT');
  const blurOne = async (frame: number | null, isLast: boolean): Promise<BlurredFrame> => {
    const blurOf = ({ sourcesAt, besideAt }: Pick<BlurInputs, 'sourcesAt' | 'besideAt'>): BlurFrame => ({
      sources: sourcesAt(frame),
      ...besideAt(frame),
      bothFrames: options.bothFrames,
      path: options.path,
      hidden: options.hidden,
      limits: shutter,
      settings: { shutter: shutterAt(shutter, frame ?? 0), quality: options.quality, samples: options.samples },
    });
    const lit = lights.map((light) => ({ name: light.name, opacity: 1, frame: blurOf(light) }));
    const blurred = await pool.blur({ ...blurOf(surface), lights: lit }, stop.signal, isLast);
    await pool.save(blurred, frameFile(out, out.padding === null ? null : frame), options.type, 'zip', stop.signal);
    return blurred;
  };
  const warnings: string[] = [];
  let done = 0,
    failed = 0,
    mostSlices = 0,
    report = {};
  // By frame, as frames may be done out of turn.
  const said: string[][] = frames.map(() => []);
  let fatal: { error: unknown } | null = null;
  try {
    // Two frames are under way: while one is written, or waits for its neighbour's plan, the other keeps the threads busy. Each comes to its end: a
    // thread that is stopped in the middle would leave half a file.
    await overFrames('blur', [...frames.entries()], Math.min(FRAMES_UNDER_WAY, options.threads), async ([n, frame]) => {
      if (fatal !== null) return;
      try {
        const blurred = await blurOne(frame, n === frames.length - 1);
        mostSlices = Math.max(mostSlices, blurred.mostSlices);
        if (n === frames.length - 1 || done === 0) report = blurred.report;
        said[n].push(...blurred.prepared.warnings, ...blurred.report.warnings, ...blurred.report.notes);
        done++;
      } catch (error) {
        // One bad frame must not cost the others; it is named, and the exit code says so.
        if (!(error instanceof IvrexError) || error.code === 'cancelled' || frames.length === 1) {
          fatal ??= { error };
          return;
        }
        failed++;
        process.stderr.write(`ivrex: ${error.file ?? options.beauty}: ${error.message}\n`);
      }
    });
    if (fatal !== null) throw (fatal as { error: unknown }).error;
  } finally {
    stop.release();
    await pool.close();
  }
  for (const text of said.flat()) if (!warnings.includes(text)) warnings.push(text);
  for (const text of warnings) warn(text);
  if (failed > 0)
    throw new IvrexError(
      'damaged',
      `${failed} of ${frames.length} frames could not be blurred (named above); the others are written`,
      options.beauty,
    );
  answer(
    options.json ?? false,
    {
      frames: done,
      shutter: { ...shutter, angle: shutterAngleDeg(shutter) },
      mostSlices,
      report,
      warnings,
      seconds: Object.fromEntries(pool.spent),
    },
    () => [
      `${done} frame${done === 1 ? '' : 's'} written to ${options.out}`,
      `shutter ${shutterAngleDeg(shutter).toFixed(1)} degrees, at most ${mostSlices} slices a pixel`,
    ],
  );
}
