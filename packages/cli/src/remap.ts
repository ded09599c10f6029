import { availableParallelism } from 'node:os';
import path from 'node:path';
import { Command, Option } from 'commander';
import type { StoredType } from '@ivrex/core';
import { frameFile, parsePattern, type RemapResult } from '@ivrex/media';
import { UsageError } from './cli-error';
import { parseCount, parseFrameRange, parseNumber, type FrameRange } from './frame-range';
import type { CliHost } from './host';
import { framesToRender, loadEncoding, loadRepairs, openInput, passAt } from './inputs';
import { overFrames } from './over-frames';
import { answer, warn } from './output';

interface RemapOptions {
  readonly motion: string;
  readonly from: string;
  readonly to: string;
  readonly out: string;
  readonly type?: StoredType;
  readonly beauty?: string;
  readonly layer: string;
  readonly frames?: FrameRange;
  readonly fps?: number;
  readonly repairs?: string;
  readonly threads: number;
  readonly json?: boolean;
}

export function remapCommand(host: CliHost): Command {
  return new Command('remap')
    .description('write a motion pass in another encoding; the original is only read')
    .requiredOption('--motion <pattern>')
    .requiredOption('--from <file>', 'how it is stored (encoding JSON)')
    .requiredOption('--to <file>', 'how to write it (encoding JSON)')
    .requiredOption('--out <pattern>')
    .addOption(new Option('--type <type>').choices(['half', 'float', 'u8', 'u16']))
    .option('--beauty <pattern>', 'whose alpha the pass borrows, when an encoding says so')
    .option('--repairs <file>', 'what is mended in the motion on the way (list of repairs, JSON)')
    .option('--layer <name>', 'layer of the written channels', '')
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--fps <rate>', 'frames per second, for encodings in seconds', parseNumber('fps'))
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .option('--json', 'one JSON object on stdout')
    .action((options: RemapOptions) => remap(host, options));
}

async function remap(host: CliHost, options: RemapOptions): Promise<void> {
  const from = await loadEncoding(options.from),
    to = await loadEncoding(options.to),
    repairs = await loadRepairs(options.repairs);
  const motion = await openInput(options.motion),
    beauty = options.beauty === undefined ? null : await openInput(options.beauty);
  const out = parsePattern(options.out).pattern;
  const frames = framesToRender(motion.sequence, options.frames, options.motion);
  if (out.padding === null && frames.length > 1)
    throw new UsageError('--out needs a pattern such as name.####.exr when several frames are written');
  for (const frame of frames) {
    if (path.resolve(frameFile(out, out.padding === null ? null : frame)) === path.resolve(passAt(motion, frame).file))
      throw new UsageError('--out would overwrite the motion pass itself; give it another name');
  }
  const pool = host.openPool(options.threads);
  let results: RemapResult[];
  try {
    results = await overFrames('remap', frames, options.threads, async (frame) => {
      const request = {
        motion: passAt(motion, frame),
        beauty: beauty && passAt(beauty, frame),
        from,
        repairs,
        to,
        type: options.type ?? null,
        fps: options.fps ?? null,
        out: frameFile(out, out.padding === null ? null : frame),
        layer: options.layer,
      };
      const result = await pool.run<'remap'>({ kind: 'remap', request });
      return result;
    });
  } finally {
    await pool.close();
  }
  const most = (value: (r: RemapResult) => number) => Math.max(...results.map(value)),
    sum = (value: (r: RemapResult) => number) => results.reduce((n, r) => n + value(r), 0);
  const clippedPixels = sum((r) => r.clippedPixels);
  const warnings =
    clippedPixels > 0 ? [`${clippedPixels} pixels are outside the target's range and were clipped; choose a larger range`] : [];
  for (const text of warnings) warn(text);
  const answered = {
    frames: results.length,
    type: results[0].type,
    predictedErrorPx: most((r) => r.predictedErrorPx),
    maxErrorPx: most((r) => r.maxErrorPx),
    clippedPixels,
    invalidPixels: sum((r) => r.invalidPixels),
    warnings,
  };
  answer(options.json ?? false, answered, () => [
    `${answered.frames} frame${answered.frames === 1 ? '' : 's'} written to ${options.out} (${answered.type})`,
    `largest error ${answered.maxErrorPx.toPrecision(3)} px, at most ${answered.predictedErrorPx.toPrecision(3)} px was to be expected`,
    `${clippedPixels} pixels clipped, ${answered.invalidPixels} without a vector`,
  ]);
}
