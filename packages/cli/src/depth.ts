import { Command } from 'commander';
import { describeDepth, IvrexError } from '@ivrex/core';
import { detectDepthPass } from '@ivrex/media';
import { UsageError } from './cli-error';
import { parseNumber } from './frame-range';
import type { CliHost } from './host';
import { loadEncoding, openInput, passAt } from './inputs';
import { answer } from './output';

interface DepthOptions {
  readonly beauty: string;
  readonly depth: string;
  readonly motion?: string;
  readonly encoding?: string;
  readonly channel?: string;
  readonly frame?: number;
  readonly fps?: number;
  readonly json?: boolean;
}

export function depthCommand(host: CliHost): Command {
  return new Command('depth')
    .description('work out from the pictures how a depth pass is stored')
    .requiredOption('--beauty <pattern>')
    .requiredOption('--depth <pattern>')
    .option('--channel <name>', 'the channel of the pass (default: the one that holds depth)')
    .option('--motion <pattern>', 'what covers what when it moves tells nearer from farther')
    .option('--encoding <file>', 'how the motion is stored (JSON)')
    .option('--frame <number>', "the beauty's frame to look at (default: the middle one)", parseNumber('frame'))
    .option('--fps <rate>', 'frames per second, for vectors stored per second', parseNumber('fps'))
    .option('--json', 'one JSON object on stdout')
    .action((options: DepthOptions) => detect(host, options));
}

async function detect(host: CliHost, options: DepthOptions): Promise<void> {
  if ((options.motion === undefined) !== (options.encoding === undefined)) throw new UsageError('--motion and --encoding belong together');
  const beauty = await openInput(options.beauty),
    depth = await openInput(options.depth),
    motion = options.motion === undefined ? null : await openInput(options.motion),
    encoding = options.encoding === undefined ? null : await loadEncoding(options.encoding);
  const inputs = [beauty, depth, ...(motion === null ? [] : [motion])].filter((input) => input.sequence.frames.length > 0);
  const there = (frame: number) => inputs.every(({ sequence }) => sequence.frames.includes(frame));
  const { frames } = beauty.sequence;
  const common = frames.filter(there);
  const middle = options.frame ?? common[common.length >> 1];
  if (frames.length > 0 && (middle === undefined || !there(middle)))
    throw new IvrexError('missingFrame', 'the beauty and the depth pass have no such frame in common', options.depth);
  const numbers = frames.length === 0 ? [null] : [middle - 1, middle, middle + 1].filter(there);
  const found = await detectDepthPass(
    {
      frames: numbers.map((n) => ({ beauty: passAt(beauty, n), depth: passAt(depth, n), motion: motion && passAt(motion, n) })),
      encoding,
      fps: options.fps ?? null,
      channel: options.channel ?? null,
    },
    await host.kernels(),
  );
  if (found === null) throw new IvrexError('missingFile', 'there is no depth pass', options.depth);
  const { encoding: stored, alternatives, isDepth, confidence, evidence, issues } = found;
  answer(options.json ?? false, { encoding: stored, isDepth, confidence, alternatives, evidence, issues }, () => [
    isDepth ? `${describeDepth(stored)}; confidence ${(100 * confidence).toFixed(0)} %` : 'not a depth pass',
    ...evidence,
    ...issues.map((f) => `${f.severity}: ${f.message}`),
  ]);
}
