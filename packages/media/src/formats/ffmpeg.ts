import { execFile } from 'node:child_process';
import { IvrexError } from '@ivrex/core';
import { z } from 'zod';
import { codeOf } from '../files/atomic-write';

const MOST_OUTPUT_BYTES = 2 ** 31 - 1;
const TIMEOUT_MS = 10 * 60 * 1000;

/** Runs one of ffmpeg's programs and returns what it prints. @throws IvrexError unsupported when it is missing, damaged when it fails */
export function runFfmpeg(program: 'ffmpeg' | 'ffprobe', args: readonly string[]): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    execFile(program, [...args], { encoding: 'buffer', maxBuffer: MOST_OUTPUT_BYTES, timeout: TIMEOUT_MS }, (error, stdout, stderr) => {
      if (error === null) resolve(stdout);
      else if (codeOf(error) === 'ENOENT')
        reject(
          new IvrexError(
            'unsupported',
            `${program} is needed to read movies and DPX, and is not installed; install Debian's package ffmpeg`,
          ),
        );
      else {
        const said = stderr.toString().trim().split('\n').pop() ?? '';
        reject(new IvrexError('damaged', `it cannot be read (${said.slice(0, 200) || error.message})`));
      }
    });
  });
}

/**
 * How a file is handed to ffmpeg: as the container that its name says, and from this disk alone. Otherwise a playlist that is called a movie could
 * read any file, or the network.
 */
export function inputOf(file: string, container: string): string[] {
  return ['-protocol_whitelist', 'file', '-f', container, '-i', `file:${file}`];
}

const streamSchema = z.object({
  width: z.number(),
  height: z.number(),
  codec_name: z.string().default('unknown'),
  pix_fmt: z.string().default('unknown'),
  r_frame_rate: z.string().default('0/0'),
  sample_aspect_ratio: z.string().optional(),
  color_space: z.string().optional(),
  nb_read_packets: z.string().optional(),
});
export type VideoStream = z.infer<typeof streamSchema>;

/** The first video stream. @throws IvrexError notAnImage without one */
export async function probeVideo(file: string, countFrames: boolean, container: string): Promise<VideoStream> {
  const count = countFrames ? ['-count_packets'] : [];
  const text = await runFfmpeg('ffprobe', [
    '-v',
    'error',
    ...count,
    '-select_streams',
    'v:0',
    '-show_streams',
    '-of',
    'json',
    ...inputOf(file, container),
  ]);
  const parsed = z.object({ streams: z.array(streamSchema) }).safeParse(JSON.parse(text.toString()));
  if (!parsed.success || parsed.data.streams.length === 0) throw new IvrexError('notAnImage', 'there are no pictures in this file');
  return parsed.data.streams[0];
}

/** "24000/1001" as a pair; null when it is not known. */
export function ratioOf(text: string | undefined, separator: string): readonly [number, number] | null {
  const [n, d] = (text ?? '').split(separator).map(Number);
  return n > 0 && d > 0 ? [n, d] : null;
}
