import { Command } from 'commander';
import { describeEncoding, IvrexError } from '@ivrex/core';
import { identifyMotion, type FrameRequest } from '@ivrex/media';
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

/** Frames whose passes are compared, and of how many of them the evidence is added up. */
const MOST_COMPARED = 12,
  TAKEN = 5;

async function identify(host: CliHost, options: IdentifyOptions): Promise<void> {
  const kernels = await host.kernels();
  const beauty = await openInput(options.beauty),
    motion = await openInput(options.motion);
  const frames = framesToTry(beauty, motion, options);
  if (frames.length === 0) throw new IvrexError('missingFrame', 'the beauty and the motion pass have no frame in common', options.motion);
  const found = await identifyMotion(
    { frames: frames.map((f) => requestFor(beauty, motion, f)), take: TAKEN, fps: options.fps ?? null, facts: [] },
    kernels,
  );
  const { encoding, confidence, frameOffset, symptoms: findings, evidence } = found;
  answer(options.json ?? false, { encoding, confidence, frame: evidence.frames[0] ?? null, frameOffset, findings, evidence }, () => [
    `${encoding.name} (confidence ${(100 * confidence).toFixed(0)} %)`,
    ...encoding.sets.map((s) => `x in ${s.x}, y in ${s.y}${s.length === null ? '' : `, length in ${s.length}`}`),
    ...(evidence.residual === null
      ? []
      : [`what the pictures differ by drops from ${evidence.residual.before.toFixed(4)} to ${evidence.residual.after.toFixed(4)}`]),
    ...evidence.readings.slice(1).map((r) => `or ${describeEncoding(r.encoding)} (${(100 * r.share).toFixed(0)} %)`),
    ...evidence.wouldTell,
    ...findings.map((f) => `${f.severity}: ${f.message}${f.advice === null ? '' : ` ${f.advice}`}`),
  ]);
}

/** The asked frame, else frames spread over the sequence, of those with files beside them on both sides where there are such. */
function framesToTry(beauty: Input, motion: Input, options: IdentifyOptions): (number | null)[] {
  const { frames } = beauty.sequence;
  if (frames.length === 0) return [null];
  const has = (frame: number) => motion.sequence.frames.length === 0 || [0, 1, -1].some((o) => motion.sequence.frames.includes(frame + o));
  if (options.frame !== undefined) {
    if (!frames.includes(options.frame) || !has(options.frame))
      throw new IvrexError('missingFrame', `frame ${options.frame} is not in both sequences`, options.beauty);
    return [options.frame];
  }
  const shared = frames.filter(has),
    between = shared.filter((f) => frames.includes(f - 1) && frames.includes(f + 1)),
    list = between.length > 0 ? between : shared;
  const every = Math.max(1, list.length / MOST_COMPARED);
  return Array.from({ length: Math.min(list.length, MOST_COMPARED) }, (_, k) => list[Math.floor((k + 0.5) * every)] ?? list[k]);
}

function requestFor(beauty: Input, motion: Input, frame: number | null): FrameRequest {
  const at = (input: Input, offset: number) =>
    frame !== null && input.sequence.frames.includes(frame + offset) ? passAt(input, frame + offset) : null;
  return {
    frame,
    beauty: { previous: at(beauty, -1), now: passAt(beauty, frame), next: at(beauty, 1) },
    // A lone motion file is the frame's own; of a sequence a neighbour may stand in when the frame's number is missing.
    motion: {
      previous: at(motion, -1),
      now: at(motion, 0) ?? at(motion, 1) ?? at(motion, -1) ?? passAt(motion, motion.sequence.frames.length === 0 ? null : frame),
      next: at(motion, 1),
    },
  };
}
