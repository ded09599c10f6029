import { Option, type Command } from 'commander';
import { orNull, type PathChoice } from '@ivrex/core';
import { depthSourcesOf, detectDepthPass, FileReader, measuredReading, type FrameFiles, type FrameSources } from '@ivrex/media';
import { parseNumber } from './frame-range';
import type { CliHost } from './host';
import { loadDepthEncoding, loadEncoding, loadRepairs, openInput, passAt, type Input } from './inputs';
import { warn } from './output';

/** What a blur reads, whichever command asks for it. */
export interface BlurInputOptions {
  readonly beauty: string;
  readonly motion: string;
  readonly encoding: string;
  readonly repairs?: string;
  readonly path: PathChoice;
  readonly depth?: string;
  readonly depthEncoding: string;
  readonly ids?: string;
  readonly idChannel?: string;
  readonly hidden: 'auto' | 'off';
  readonly bothFrames: 'auto' | 'off';
  readonly background?: string;
  readonly fps?: number;
}

export function withBlurInputs(command: Command): Command {
  return command
    .requiredOption('--beauty <pattern>')
    .requiredOption('--motion <pattern>')
    .requiredOption('--encoding <file>', 'encoding document (JSON)')
    .option('--repairs <file>', 'what is mended in the motion on the way (list of repairs, JSON)')
    .addOption(new Option('--path <path>').choices(['auto', 'straight', 'bent', 'arc']).default('auto'))
    .option('--depth <pattern>')
    .option('--depth-encoding <file>', 'how depth is stored (JSON), or auto: it is measured', 'auto')
    .option('--ids <pattern>')
    .option('--id-channel <name>', 'the channel of the ids (default: by its name, else what varies)')
    .addOption(
      new Option('--hidden <how>', 'off: what is hidden is made up from its surroundings alone').choices(['auto', 'off']).default('auto'),
    )
    .addOption(
      new Option('--both-frames <how>', "off: the neighbouring frames' blur is not mixed in").choices(['auto', 'off']).default('auto'),
    )
    .option('--background <pattern>', 'the picture without the things in front')
    .option('--fps <rate>', 'frames per second, for encodings in seconds', parseNumber('fps'));
}

export interface BlurInputs {
  readonly beauty: Input;
  readonly motion: Input;
  /** What a frame reads, its neighbours where all of their passes are there. */
  sourcesAt(frame: number | null): FrameSources;
  /** The frames before and after as frames of their own; null where they are not. */
  besideAt(frame: number | null): { readonly before: FrameSources | null; readonly after: FrameSources | null };
}

/** @throws IvrexError missingFile, damaged, badSetting */
export async function openBlurInputs(host: CliHost, options: BlurInputOptions): Promise<BlurInputs> {
  const encoding = await loadEncoding(options.encoding),
    repairs = await loadRepairs(options.repairs);
  const beauty = await openInput(options.beauty),
    motion = await openInput(options.motion);
  const depth = options.depth === undefined ? null : await openInput(options.depth);
  const ids = options.ids === undefined ? null : await openInput(options.ids);
  const background = options.background === undefined ? null : await openInput(options.background);
  // Where a file does not say what its alpha means it is measured, once for the whole sequence.
  const readingOf = async (input: Input | null) => {
    if (input === null) return null;
    const { frames } = input.sequence;
    const reader = new FileReader(await host.kernels());
    // A frame that can't be read is said when it is rendered.
    return orNull(() => measuredReading(passAt(input, frames[frames.length >> 1] ?? null), reader));
  };
  const beautyReading = await readingOf(beauty),
    backgroundReading = await readingOf(background);
  const inputs = [beauty, motion, depth, ids].filter((input) => input !== null);
  let depthEncoding = await loadDepthEncoding(options.depthEncoding),
    isDepth = true;
  const at = (number: number | null): FrameFiles => ({
    beauty: { ...passAt(beauty, number), reading: beautyReading },
    motion: passAt(motion, number),
    depth: depth !== null && isDepth ? { ...passAt(depth, number), encoding: depthEncoding } : null,
    ids: ids && { ...passAt(ids, number), channel: options.idChannel ?? null },
  });
  const isThere = (frame: number) => inputs.every(({ sequence }) => sequence.frames.includes(frame));
  const sourcesAt = (frame: number | null): FrameSources => {
    const neighbour = (by: number): FrameFiles | null => (frame !== null && isThere(frame + by) ? at(frame + by) : null);
    return {
      ...at(frame),
      previous: neighbour(-1),
      next: neighbour(1),
      background: background && { ...passAt(background, frame), reading: backgroundReading },
      encoding,
      repairs,
      fps: options.fps ?? null,
    };
  };
  if (depth !== null && depthEncoding === null) {
    // Measured once, on a frame in the middle, and held for all.
    const { frames } = beauty.sequence;
    const kernels = await host.kernels(),
      middle = sourcesAt(frames[frames.length >> 1] ?? null);
    const found = await orNull(() => detectDepthPass(depthSourcesOf(middle), kernels));
    for (const { severity, message } of found?.issues ?? []) if (severity === 'warning') warn(`${options.depth}: ${message}`);
    depthEncoding = found?.encoding ?? null;
    isDepth = found?.isDepth ?? true;
  }
  const besideAt = (frame: number | null) => {
    const beside = (by: number) => (frame !== null && isThere(frame + by) ? sourcesAt(frame + by) : null);
    return { before: beside(-1), after: beside(1) };
  };
  return { beauty, motion, sourcesAt, besideAt };
}
