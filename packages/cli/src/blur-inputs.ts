import { Option, type Command } from 'commander';
import { orNull, type Encoding, type PathChoice, type RepairStep } from '@ivrex/core';
import {
  bytesHeld,
  depthSourcesOf,
  detectDepthPass,
  FileReader,
  letGo,
  measuredReading,
  type FrameFiles,
  type FrameSources,
  type PictureFile,
} from '@ivrex/media';
import { UsageError } from './cli-error';
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

/** Light passes that are blurred apart: the n-th of each list belong together. */
export interface LightOptions {
  readonly light: readonly string[];
  readonly lightMotion: readonly string[];
  readonly lightEncoding: readonly string[];
}

const listed = (text: string, before: readonly string[]): string[] => [...before, text];

export function withLights(command: Command): Command {
  return command
    .option(
      '--light <pattern>',
      'a light pass of the beauty (reflection, refraction, specular), blurred apart; may be given again',
      listed,
      [],
    )
    .option('--light-motion <pattern>', 'its motion pass, for each --light in the same order', listed, [])
    .option('--light-encoding <file>', 'how that is stored, in the same order (default: as the motion of the beauty)', listed, []);
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
  besideAt(frame: number | null): Beside;
  /** Light passes that are blurred apart. */
  readonly lights: readonly {
    readonly name: string;
    sourcesAt(frame: number | null): FrameSources;
    besideAt(frame: number | null): Beside;
  }[];
}

interface Beside {
  readonly before: FrameSources | null;
  readonly after: FrameSources | null;
}

/** What is blurred with motion of its own: the beauty's surface, or one of its light passes. */
interface Part {
  readonly light: Input | null;
  readonly motion: Input;
  readonly encoding: Encoding;
  readonly repairs: readonly RepairStep[];
}

/** @throws IvrexError missingFile, damaged, badSetting; UsageError */
async function openLights(
  { light, lightMotion, lightEncoding }: LightOptions,
  encoding: Encoding,
): Promise<{ name: string; part: Part }[]> {
  if (lightMotion.length !== light.length)
    throw new UsageError(
      `give a --light-motion for each --light: there are ${light.length} light passes and ${lightMotion.length} motion passes`,
    );
  if (lightEncoding.length !== 0 && lightEncoding.length !== light.length)
    throw new UsageError(
      `give a --light-encoding for each --light, or none: there are ${light.length} light passes and ${lightEncoding.length} encodings`,
    );
  const opened: { name: string; part: Part }[] = [];
  for (const [n, pattern] of light.entries())
    opened.push({
      name: pattern,
      part: {
        light: await openInput(pattern),
        motion: await openInput(lightMotion[n]),
        encoding: lightEncoding[n] === undefined ? encoding : await loadEncoding(lightEncoding[n]),
        repairs: [],
      },
    });
  return opened;
}

const NO_LIGHTS: LightOptions = { light: [], lightMotion: [], lightEncoding: [] };

/** @throws IvrexError missingFile, damaged, badSetting */
export async function openBlurInputs(host: CliHost, options: BlurInputOptions, lightOptions = NO_LIGHTS): Promise<BlurInputs> {
  const encoding = await loadEncoding(options.encoding),
    repairs = await loadRepairs(options.repairs);
  const beauty = await openInput(options.beauty),
    motion = await openInput(options.motion);
  const lights = await openLights(lightOptions, encoding),
    surface: Part = { light: null, motion, encoding, repairs };
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
  const inputs = [beauty, motion, depth, ids, ...lights.flatMap(({ part }) => [part.light, part.motion])].filter((input) => input !== null);
  let depthEncoding = await loadDepthEncoding(options.depthEncoding),
    isDepth = true;
  const pictureAt = (number: number | null, { light }: Part): PictureFile => {
    const whole = { ...passAt(beauty, number), reading: beautyReading };
    if (light !== null) return { ...passAt(light, number), coverFrom: whole };
    const without = lights.flatMap(({ part }) => (part.light === null ? [] : [passAt(part.light, number)]));
    return without.length === 0 ? whole : { ...whole, without };
  };
  const at = (number: number | null, part: Part): FrameFiles => ({
    beauty: pictureAt(number, part),
    motion: passAt(part.motion, number),
    depth: depth !== null && isDepth ? { ...passAt(depth, number), encoding: depthEncoding } : null,
    ids: ids && { ...passAt(ids, number), channel: options.idChannel ?? null },
  });
  const isThere = (frame: number) => inputs.every(({ sequence }) => sequence.frames.includes(frame));
  const sourcesAt = (frame: number | null, part = surface): FrameSources => {
    const neighbour = (by: number): FrameFiles | null => (frame !== null && isThere(frame + by) ? at(frame + by, part) : null);
    return {
      ...at(frame, part),
      previous: neighbour(-1),
      next: neighbour(1),
      // Of what a light pass hides nothing is known.
      background: background && part.light === null ? { ...passAt(background, frame), reading: backgroundReading } : null,
      encoding: part.encoding,
      repairs: part.repairs,
      fps: options.fps ?? null,
    };
  };
  if (depth !== null && depthEncoding === null) {
    // Measured once, on a frame in the middle, and held for all.
    const { frames } = beauty.sequence;
    const before = bytesHeld(),
      kernels = await host.kernels(),
      middle = sourcesAt(frames[frames.length >> 1] ?? null);
    const found = await orNull(() => detectDepthPass(depthSourcesOf(middle), kernels));
    for (const { severity, message } of found?.issues ?? []) if (severity === 'warning') warn(`${options.depth}: ${message}`);
    depthEncoding = found?.encoding ?? null;
    isDepth = found?.isDepth ?? true;
    // Three frames of depth and motion were read for it.
    letGo(before);
  }
  const besideAt = (frame: number | null, part = surface): Beside => {
    const beside = (by: number) => (frame !== null && isThere(frame + by) ? sourcesAt(frame + by, part) : null);
    return { before: beside(-1), after: beside(1) };
  };
  return {
    beauty,
    motion,
    sourcesAt: (frame) => sourcesAt(frame),
    besideAt: (frame) => besideAt(frame),
    lights: lights.map(({ name, part }) => ({
      name,
      sourcesAt: (frame) => sourcesAt(frame, part),
      besideAt: (frame) => besideAt(frame, part),
    })),
  };
}
