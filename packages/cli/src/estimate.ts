import { availableParallelism } from 'node:os';
import { Command } from 'commander';
import { MADE_ENCODING } from '@ivrex/media';
import { parseCount, parseFrameRange } from './frame-range';
import { openInput } from './inputs';
import { makePasses, mean, type MakeOptions } from './make-passes';
import type { CliHost } from './host';
import { answer } from './output';

interface EstimateOptions extends MakeOptions {
  readonly json?: boolean;
}

export function estimateCommand(host: CliHost): Command {
  return new Command('estimate')
    .description('make a motion pass from the pictures alone, with how far each vector can be trusted')
    .requiredOption('--beauty <pattern>')
    .requiredOption('--out <pattern>', 'OpenEXR: nextX nextY prevX prevY in pixels, and trust')
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .option('--json', 'one JSON object on stdout')
    .action((options: EstimateOptions) => estimate(host, options));
}

async function estimate(host: CliHost, options: EstimateOptions): Promise<void> {
  const beauty = await openInput(options.beauty);
  const { results } = await makePasses(host, 'estimated from the pictures', options, beauty, () => ({ kind: 'pictures' }));
  const answered = {
    frames: results.length,
    encoding: MADE_ENCODING,
    peakPx: Math.max(...results.map((r) => r.peakPx)),
    trusted: mean(results.map((r) => r.trusted ?? 0)),
  };
  answer(options.json ?? false, answered, () => [
    `${answered.frames} frame${answered.frames === 1 ? '' : 's'} written to ${options.out}`,
    `${(100 * answered.trusted).toFixed(0)} % of the vectors were found both ways; the longest is ${answered.peakPx.toFixed(1)} px`,
  ]);
}
