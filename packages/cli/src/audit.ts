import { availableParallelism } from 'node:os';
import { Command } from 'commander';
import { IvrexError, summarizeAudit } from '@ivrex/core';
import { type AuditResult } from '@ivrex/media';
import { parseCount, parseFrameRange, parseNumber, type FrameRange } from './frame-range';
import type { CliHost } from './host';
import { framesToRender, loadEncoding, openInput, passAt } from './inputs';
import { answer } from './output';
import { overFrames } from './over-frames';

interface AuditOptions {
  readonly motion: string;
  readonly encoding: string;
  readonly beauty?: string;
  readonly frames?: FrameRange;
  readonly fps?: number;
  readonly threads: number;
  readonly json?: boolean;
}

export function auditCommand(host: CliHost): Command {
  return new Command('audit')
    .description('speeds, clipping and bad pixels of a motion pass over a whole sequence, and the range to choose')
    .requiredOption('--motion <pattern>')
    .requiredOption('--encoding <file>', 'encoding document (JSON)')
    .option('--beauty <pattern>', 'whose alpha the pass borrows, when its encoding says so')
    .option('--frames <A-B>', 'which frames', parseFrameRange)
    .option('--fps <rate>', 'frames per second, for encodings in seconds', parseNumber('fps'))
    .option('--threads <count>', 'worker threads', parseCount('threads'), availableParallelism())
    .option('--json', 'one JSON object on stdout')
    .action((options: AuditOptions) => audit(host, options));
}

async function audit(host: CliHost, options: AuditOptions): Promise<void> {
  const encoding = await loadEncoding(options.encoding);
  const motion = await openInput(options.motion),
    beauty = options.beauty === undefined ? null : await openInput(options.beauty);
  const frames = framesToRender(motion.sequence, options.frames, options.motion);
  const pool = host.openPool(options.threads);
  const failed: { frame: number | null; message: string }[] = [];
  let audits: ({ frame: number | null; audit: AuditResult } | null)[];
  try {
    audits = await overFrames('audit', frames, options.threads, async (frame) => {
      try {
        const request = { motion: passAt(motion, frame), encoding, fps: options.fps ?? null, beauty: beauty && passAt(beauty, frame) };
        return { frame, audit: await pool.run<'audit'>({ kind: 'audit', request }) };
      } catch (error) {
        // A frame that can't be read must not cost the others; a wrong encoding is wrong for all.
        if (!(error instanceof IvrexError) || !['truncated', 'damaged', 'missingFile', 'notAnImage'].includes(error.code)) throw error;
        failed.push({ frame, message: `${error.file ?? options.motion}: ${error.message}` });
        return null;
      }
    });
  } finally {
    await pool.close();
  }
  for (const { message } of failed) process.stderr.write(`ivrex: ${message}\n`);
  const read = audits.filter((a) => a !== null);
  if (read.length === 0) throw new IvrexError('damaged', 'no frame of the motion pass could be read', options.motion);
  const summary = summarizeAudit(read.map(({ frame, audit: a }) => ({ frame: frame ?? 1, audit: a })));
  const perFrame = read.map(({ frame, audit: a }) => ({ frame, ...a }));
  answer(options.json ?? false, { frames: perFrame, ...summary, failed }, () => [
    ...perFrame.map(
      (f) =>
        `${f.frame ?? ''}  peak ${f.peakPx.toFixed(2)}  99.9 % ${f.p999Px.toFixed(2)}  mean ${f.meanPx.toFixed(2)} px` +
        `${f.clipped > 0 ? `  clipped ${f.clipped}` : ''}${f.nan + f.inf > 0 ? `  NaN ${f.nan}, Inf ${f.inf}` : ''}`,
    ),
    `frame ${summary.widestFrame} needs the largest range: ${summary.rangePx.toFixed(2)} px; choose ${summary.suggestedRangePx} px`,
    `a step is then ${summary.stepPx.u8.toPrecision(3)} px in 8 bits, ${summary.stepPx.u16.toPrecision(3)} in 16, ${summary.stepPx.half.toPrecision(3)} in halves at full speed`,
  ]);
  if (failed.length > 0) process.exitCode = 1;
}
