import path from 'node:path';
import { frameFile, parsePattern, type MadeMotion, type MakeMotionRequest, type MotionSource } from '@ivrex/media';
import { UsageError } from './cli-error';
import type { FrameRange } from './frame-range';
import type { CliHost } from './host';
import { framesToRender, passAt, type Input } from './inputs';
import { overFrames } from './over-frames';

export interface MakeOptions {
  readonly beauty: string;
  readonly out: string;
  readonly frames?: FrameRange;
  readonly threads: number;
}

/** A frame of the beauty with those beside it, where there are such. */
export function aroundFrame(beauty: Input, frame: number | null): MakeMotionRequest['beauty'] {
  const at = (by: 1 | -1) => (frame !== null && beauty.sequence.frames.includes(frame + by) ? passAt(beauty, frame + by) : null);
  return { previous: at(-1), now: passAt(beauty, frame), next: at(1) };
}

/** Writes one made motion file for each frame of the beauty, in order of frames, each whole or not at all. */
export async function makePasses(
  host: CliHost,
  verb: string,
  options: MakeOptions,
  beauty: Input,
  sourceAt: (frame: number | null) => MotionSource,
): Promise<{ frames: (number | null)[]; results: MadeMotion[] }> {
  const out = parsePattern(options.out).pattern;
  const frames = framesToRender(beauty.sequence, options.frames, options.beauty);
  if (!/\.exr$/i.test(options.out)) throw new UsageError('--out must end with .exr: made motion is written as OpenEXR');
  if (out.padding === null && frames.length > 1)
    throw new UsageError('--out needs a pattern such as name.####.exr when several frames are written');
  const pool = host.openPool(options.threads);
  try {
    const results = await overFrames(verb, frames, options.threads, async (frame) => {
      const file = frameFile(out, out.padding === null ? null : frame);
      if (path.resolve(file) === path.resolve(passAt(beauty, frame).file))
        throw new UsageError('--out would overwrite the beauty itself; give it another name');
      const request: MakeMotionRequest = {
        beauty: aroundFrame(beauty, frame),
        source: sourceAt(frame),
        out: file,
        comment: `motion, ${verb}`,
      };
      const result = await pool.run<'make'>({ kind: 'make', request });
      return result;
    });
    return { frames, results };
  } finally {
    await pool.close();
  }
}

export function mean(values: readonly number[]): number {
  return values.reduce((sum, v) => sum + v, 0) / Math.max(1, values.length);
}
