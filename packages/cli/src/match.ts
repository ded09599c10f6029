import { availableParallelism } from 'node:os';
import { Command, Option } from 'commander';
import {
  blurMask,
  clamp01,
  decibel,
  gradeLike,
  IvrexError,
  shutterAngleDeg,
  type ExposureShape,
  type GradeFit,
  type ShutterMatch,
} from '@ivrex/core';
import type { BlurPool } from '@ivrex/media';
import { framesToMatch, loadPicture, loadReference, type MatchRequest } from '@ivrex/media';
import { parseExposure } from './blur';
import { openBlurInputs, withBlurInputs, type BlurInputOptions, type BlurInputs } from './blur-inputs';
import { UsageError } from './cli-error';
import { parseCount, parseFrameRange, parseNumber, type FrameRange } from './frame-range';
import { abortOn, type CliHost } from './host';
import { openInput, passAt, type Input } from './inputs';
import { answer, finiteOrNull, warn } from './output';

interface MatchOptions extends BlurInputOptions {
  readonly reference: string;
  readonly opens?: number;
  readonly closes?: number;
  readonly strength?: number | 'fit';
  readonly exposure: ExposureShape | 'fit';
  readonly grade: GradeFit;
  readonly frames?: FrameRange;
  readonly threads: number;
  readonly json?: boolean;
}

export function matchCommand(host: CliHost): Command {
  return withBlurInputs(new Command('match'))
    .description('find the shutter that comes closest to frames with in-render blur')
    .requiredOption('--reference <pattern>', 'frames with in-render blur')
    .option('--opens <frames>', 'it opens then: only the rest is found', parseNumber('opens'))
    .option('--closes <frames>', 'it closes then', parseNumber('closes'))
    .option('--strength <factor>', '1 unless both ends are given; "fit" finds it', (text) =>
      text === 'fit' ? 'fit' : parseNumber('strength')(text),
    )
    .option(
      '--exposure <shape>',
      'even, bell, ramps:OPENING,CLOSING, or "fit" to find it',
      (text) => (text === 'fit' ? 'fit' : parseExposure(text)),
      { kind: 'even' },
    )
    .addOption(
      new Option('--grade <how>', 'how the reference may differ in colour').choices(['auto', 'none', 'gain', 'gainOffset']).default('auto'),
    )
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .option('--json', 'one JSON object on stdout')
    .action((options: MatchOptions) => match(host, options));
}

function locksOf({ opens, closes, strength, exposure }: MatchOptions): MatchRequest['locks'] {
  if (opens !== undefined && closes !== undefined && closes <= opens) throw new UsageError('--closes must lie after --opens');
  if (typeof strength === 'number' && !(strength > 0)) throw new UsageError('--strength must be more than 0, or "fit"');
  const bothEnds = opens !== undefined && closes !== undefined;
  return {
    opens: opens ?? null,
    closes: closes ?? null,
    strength: strength === 'fit' ? null : (strength ?? (bothEnds ? null : 1)),
    shape: exposure === 'fit' ? null : exposure,
  };
}

/** Frames that all of them have; a lone file counts as one. */
function framesOf({ beauty, motion }: BlurInputs, reference: Input, options: MatchOptions): (number | null)[] {
  const { frames } = options;
  if (reference.sequence.frames.length === 0 || beauty.sequence.frames.length === 0) {
    if (beauty.sequence.frames.length > 0)
      throw new UsageError(`--reference is a lone file and --beauty a sequence: give the beauty's file that it belongs to`);
    return [null];
  }
  const shared = reference.sequence.frames.filter(
    (f) =>
      beauty.sequence.frames.includes(f) &&
      motion.sequence.frames.includes(f) &&
      (frames === undefined || (f >= frames.first && f <= frames.last)),
  );
  if (shared.length === 0)
    throw new IvrexError('missingFrame', 'no frame of the reference is also one of the beauty and the motion', options.reference);
  return framesToMatch(shared);
}

async function match(host: CliHost, options: MatchOptions): Promise<void> {
  const locks = locksOf(options);
  const inputs = await openBlurInputs(host, options);
  const reference = await openInput(options.reference);
  const frames = framesOf(inputs, reference, options);
  const pool = host.openPool(options.threads);
  const stop = abortOn('SIGINT');
  try {
    const { path, hidden, grade } = options;
    const found = await pool.run<'match'>(
      {
        kind: 'match',
        request: {
          frames: frames.map((frame) => ({ frame: frame ?? 0, sources: inputs.sourcesAt(frame), reference: passAt(reference, frame) })),
          path,
          hidden,
          limits: null,
          locks,
          grade,
        },
      },
      stop.signal,
    );
    const maskedPsnr = await blurAndCompare(host, pool, inputs, reference, frames, options, found.match, stop.signal);
    for (const text of [...found.warnings, ...found.match.notes]) warn(text);
    report(options, found.match, maskedPsnr, found.warnings);
  } finally {
    stop.release();
    await pool.close();
  }
}

/** Masked PSNR of the whole frames, all together, blurred under what was found and graded as the reference is. */
async function blurAndCompare(
  { kernels }: CliHost,
  pool: BlurPool,
  { sourcesAt, besideAt }: BlurInputs,
  reference: Input,
  frames: readonly (number | null)[],
  { path, hidden, bothFrames }: MatchOptions,
  { opens, closes, strength, shape, grade }: ShutterMatch,
  signal: AbortSignal,
): Promise<number | null> {
  const host = await kernels();
  let squares = 0,
    count = 0;
  for (const frame of frames) {
    const sources = sourcesAt(frame);
    const { rgba, width, height } = await pool.blur(
      {
        sources,
        ...besideAt(frame),
        bothFrames,
        path,
        hidden,
        settings: { shutter: { opens, closes, strength, shape }, quality: 'final', samples: 'auto' },
      },
      signal,
    );
    if (grade !== null) gradeLike(grade, rgba);
    const there = await loadReference(passAt(reference, frame), { width, height }, host),
      sharp = (await loadPicture(sources.beauty, host)).rgba;
    if (grade !== null) gradeLike(grade, sharp);
    const channels = there.hasAlpha ? 4 : 3;
    // Without an alpha of its own a reference does not tell where the blur changed that.
    if (!there.hasAlpha) for (let i = 3; i < sharp.length; i += 4) there.rgba[i] = sharp[i];
    const mask = blurMask(there.rgba, sharp, width, height);
    for (let i = 0; i < mask.length; i++) {
      if (mask[i] === 0) continue;
      count += channels;
      for (let c = i * 4; c < i * 4 + channels; c++) squares += (clamp01(rgba[c]) - clamp01(there.rgba[c])) ** 2;
    }
  }
  return count === 0 ? null : decibel(squares / count);
}

function report({ json }: MatchOptions, m: ShutterMatch, maskedPsnr: number | null, warnings: readonly string[]): void {
  const angle = shutterAngleDeg(m);
  const error = (value: number | null, digits: number) => (value === null ? ' (given)' : ` ± ${value.toFixed(digits)}`);
  answer(json ?? false, { ...m, angle, maskedPsnr: finiteOrNull(maskedPsnr), warnings }, () => [
    `opens ${m.opens.toFixed(4)}${error(m.opensError, 4)}, closes ${m.closes.toFixed(4)}${error(m.closesError, 4)} frames: ${angle.toFixed(1)} degrees ± ${m.angleErrorDeg.toFixed(1)}`,
    `strength ${m.strength.toFixed(3)}${error(m.strengthError, 3)}, exposure ${m.shape.kind}`,
    ...(m.grade === null
      ? []
      : [
          `the reference is graded: gain ${m.grade.gain.map((v) => v.toFixed(3)).join(' ')}, offset ${m.grade.offset.map((v) => v.toFixed(4)).join(' ')}`,
        ]),
    ...(maskedPsnr === null ? [] : [`masked psnr ${maskedPsnr.toFixed(2)} dB`]),
    `left ${m.residual.toPrecision(3)} of ${m.sharpResidual.toPrecision(3)} without blur; confidence ${m.confidence.toFixed(2)}`,
  ]);
}
