import { Command } from 'commander';
import { IvrexError, type Identification } from '@ivrex/core';
import { identifyMotion, type IdentifyRequest } from '@ivrex/media';
import { parseNumber } from './frame-range';
import type { CliHost } from './host';
import { openInput, passAt, type Input } from './inputs';
import { answer } from './output';

interface IdentifyOptions {
  readonly beauty: string;
  readonly motion: string;
  readonly frame?: number;
  readonly fps?: number;
  readonly json?: boolean;
}

export function identifyCommand(host: CliHost): Command {
  return new Command('identify')
    .description('work out from the pictures how a motion pass is stored')
    .requiredOption('--beauty <pattern>')
    .requiredOption('--motion <pattern>')
    .option('--frame <number>', "the beauty's frame to look at (default: the ones that tell most)", parseNumber('frame'))
    .option('--fps <rate>', 'frames per second, for vectors stored per second', parseNumber('fps'))
    .option('--json', 'one JSON object on stdout')
    .action((options: IdentifyOptions) => identify(host, options));
}

/** Sure enough to look no further. */
const ENOUGH = 0.85,
  MOST_TRIED = 7;

async function identify(host: CliHost, options: IdentifyOptions): Promise<void> {
  const kernels = await host.kernels();
  const beauty = await openInput(options.beauty),
    motion = await openInput(options.motion);
  let best: { frame: number | null; found: Identification } | null = null,
    refused: IvrexError | null = null;
  for (const frame of framesToTry(beauty, motion, options)) {
    let found: Identification;
    try {
      found = await identifyMotion(requestFor(beauty, motion, frame, options.fps ?? null), kernels);
    } catch (error) {
      // A broken frame is passed over when any will do.
      if (!(error instanceof IvrexError) || options.frame !== undefined) throw error;
      refused = error;
      continue;
    }
    if (best === null || found.confidence > best.found.confidence) best = { frame, found };
    if (best.found.confidence >= ENOUGH) break;
  }
  if (best === null)
    throw refused ?? new IvrexError('missingFrame', 'the beauty and the motion pass have no frame in common', options.motion);
  const { encoding, confidence, frameOffset, symptoms: findings, evidence } = best.found;
  answer(options.json ?? false, { encoding, confidence, frame: best.frame, frameOffset, findings, evidence }, () => [
    `${encoding.name} (${(100 * confidence).toFixed(0)} % sure)`,
    ...encoding.sets.map((s) => `x in ${s.x}, y in ${s.y}${s.length === null ? '' : `, length in ${s.length}`}`),
    ...(evidence.residual === null
      ? []
      : [`what the pictures differ by drops from ${evidence.residual.before.toFixed(4)} to ${evidence.residual.after.toFixed(4)}`]),
    ...findings.map((f) => `${f.severity}: ${f.message}${f.advice === null ? '' : ` ${f.advice}`}`),
  ]);
}

/** The asked frame, else the middle one and those at the quarters, with files beside them on both sides where there are such. */
function framesToTry(beauty: Input, motion: Input, options: IdentifyOptions): (number | null)[] {
  const { frames } = beauty.sequence;
  if (frames.length === 0) return [null];
  const has = (frame: number) => motion.sequence.frames.length === 0 || [0, 1, -1].some((o) => motion.sequence.frames.includes(frame + o));
  if (options.frame !== undefined) {
    if (!frames.includes(options.frame) || !has(options.frame))
      throw new IvrexError('missingFrame', `frame ${options.frame} is not in both sequences`, options.beauty);
    return [options.frame];
  }
  const shared = frames.filter(has);
  const between = shared.filter((f) => frames.includes(f - 1) && frames.includes(f + 1));
  const spread = (list: readonly number[]) =>
    list.length === 0 ? [] : [0.5, 0.25, 0.75, 0, 1].map((p) => list[Math.floor((list.length - 1) * p)]);
  return [...new Set([...spread(between), ...spread(shared)])].slice(0, MOST_TRIED);
}

function requestFor(beauty: Input, motion: Input, frame: number | null, fps: number | null): IdentifyRequest {
  const at = (input: Input, offset: number) =>
    frame !== null && input.sequence.frames.includes(frame + offset) ? passAt(input, frame + offset) : null;
  return {
    beauty: { previous: at(beauty, -1), now: passAt(beauty, frame), next: at(beauty, 1) },
    // A lone motion file is the frame's own; of a sequence a neighbour may stand in when the frame's number is missing.
    motion: {
      previous: at(motion, -1),
      now: at(motion, 0) ?? at(motion, 1) ?? at(motion, -1) ?? passAt(motion, motion.sequence.frames.length === 0 ? null : frame),
      next: at(motion, 1),
    },
    fps,
    facts: [],
  };
}
