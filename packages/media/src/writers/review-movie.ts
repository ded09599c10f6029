import { randomBytes } from 'node:crypto';
import { open, readFile, rename, rm, stat, unlink, writeFile } from 'node:fs/promises';
import { spawn } from 'node:child_process';
import path from 'node:path';
import type { MovieCodec } from '@ivrex/contract';
import { IvrexError } from '@ivrex/core';
import { reasonOf } from '../files/atomic-write';

/** Frames of a movie wait in a hidden folder beside it until all are there. */
export function reviewFolder(movie: string): string {
  return path.join(path.dirname(movie), `.${path.basename(movie)}.frames`);
}

export function reviewFrameFile(movie: string, frame: number): string {
  return path.join(reviewFolder(movie), `${frame < 0 ? '-' : ''}${String(Math.abs(frame)).padStart(7, '0')}.png`);
}

export interface ReviewMovie {
  readonly movie: string;
  readonly codec: MovieCodec;
  readonly frames: readonly number[];
  readonly fps: number;
  /** Burnt into the lower edge beside the frame's number; null: nothing is. */
  readonly caption: string | null;
  /** The shipped font's file. */
  readonly fontFile: string;
}

/** Matrix and range go in with the pixel format, else ten-bit files are marked wrongly; the marks themselves are put on the frames. */
function toYuv(format: string, matrix: 'bt709' | 'bt601', range: 'tv' | 'pc', curve: 'iec61966-2-1' | 'unknown'): string {
  const named = matrix === 'bt601' ? 'bt470bg' : matrix;
  return `scale=out_color_matrix=${matrix}:out_range=${range}:flags=accurate_rnd+full_chroma_int,format=${format},setparams=color_primaries=bt709:color_trc=${curve}:colorspace=${named}:range=${range}`;
}
const marked = (curve: string) => ['-color_primaries', 'bt709', '-color_trc', curve, '-colorspace', 'bt709', '-color_range', 'tv'];

const CODECS: Record<MovieCodec, { readonly filter: string; readonly args: readonly string[]; readonly format: string }> = {
  h264: {
    filter: toYuv('yuv420p', 'bt709', 'tv', 'iec61966-2-1'),
    args: ['-c:v', 'libx264', '-preset', 'medium', '-crf', '16', '-movflags', '+faststart', ...marked('iec61966-2-1')],
    format: 'mp4',
  },
  prores: {
    // A ProRes header has no number for the sRGB curve.
    filter: toYuv('yuv422p10le', 'bt709', 'tv', 'unknown'),
    args: ['-c:v', 'prores_aw', '-profile:v', '3', '-vendor', 'apl0', '-movflags', '+write_colr', ...marked('unknown')],
    format: 'mov',
  },
  // JFIF: full range, and the matrix of Rec.601 whatever the size.
  mjpeg: { filter: toYuv('yuvj422p', 'bt601', 'pc', 'iec61966-2-1'), args: ['-c:v', 'mjpeg', '-q:v', '2'], format: 'mov' },
};

/**
 * Makes the movie of its waiting frames, in order, and takes them away. The movie appears whole or not at all, and equal frames make equal
 * bytes. @throws IvrexError missingFile, cannotWrite, cancelled
 */
export async function makeReviewMovie(request: ReviewMovie, signal?: AbortSignal): Promise<void> {
  const { movie, codec, frames, fps } = request;
  const { filter, args, format } = CODECS[codec],
    burn = await burnIn(request);
  const beside = path.join(path.dirname(movie), `.${path.basename(movie)}.${randomBytes(4).toString('hex')}.part`);
  // Widths and heights of subsampled colours are even: an odd picture gets a black row or column.
  const filters = [...burn.filters, 'pad=ceil(iw/2)*2:ceil(ih/2)*2', filter].join(',');
  try {
    await encode(
      frames.map((frame) => reviewFrameFile(movie, frame)),
      [
        ...['-v', 'error', '-nostdin', '-y', '-f', 'image2pipe', '-c:v', 'png', '-framerate', String(fps), '-i', '-'],
        ...['-vf', filters, ...args, '-an', '-map_metadata', '-1', '-fflags', '+bitexact', '-flags:v', '+bitexact', '-f', format, beside],
      ],
      signal,
    );
    const handle = await open(beside, 'r+');
    await handle.sync().finally(() => handle.close());
    await rename(beside, movie);
  } catch (error) {
    if (error instanceof IvrexError) throw error.about(movie);
    throw new IvrexError('cannotWrite', `cannot be written: ${reasonOf(error)}`, movie);
  } finally {
    await unlink(beside).catch(() => undefined);
    for (const file of burn.files) await unlink(file).catch(() => undefined);
  }
  await rm(reviewFolder(movie), { recursive: true, force: true });
}

/** The caption is one text, the number changes with every picture. Both come from files, so that no sign in them means anything to the filter. */
async function burnIn({ movie, frames, fps, caption, fontFile }: ReviewMovie): Promise<{ filters: string[]; files: string[] }> {
  if (caption === null) return { filters: [], files: [] };
  const folder = reviewFolder(movie),
    words = path.join(folder, 'caption.txt'),
    numbers = path.join(folder, 'numbers.txt');
  await writeFile(words, caption.replaceAll(/[\r\n]+/g, ' '));
  await writeFile(
    numbers,
    frames
      .map((frame, i) => `${((i - 0.5) / fps).toFixed(6)} drawtext@number reinit text=${frame};`)
      .join('\n')
      .replace(/^-[\d.]+/, '0'),
  );
  const look = `fontfile=${escaped(fontFile)}:fontsize=max(12\\,h/36):fontcolor=white:box=1:boxcolor=black@0.55:boxborderw=6:y=h-16-ascent:expansion=none`;
  return {
    filters: [
      `drawtext=${look}:textfile=${escaped(words)}:x=10`,
      `sendcmd=f=${escaped(numbers)}`,
      `drawtext@number=${look}:text=${frames[0]}:x=w-tw-10`,
    ],
    files: [words, numbers],
  };
}

/** A path inside a filter description: two levels of quoting (ffmpeg-filters, "Notes on filtergraph escaping"). */
function escaped(file: string): string {
  return file.replaceAll(/[\\':]/g, '\\$&').replaceAll(/[\\'[\],;]/g, '\\$&');
}

/** Pictures go in one after the other as they are; ffmpeg's own words become the error. */
async function encode(pictures: readonly string[], args: readonly string[], signal?: AbortSignal): Promise<void> {
  for (const file of pictures)
    await stat(file).catch((error: unknown) => {
      throw new IvrexError('missingFile', `a frame of the movie is gone: ${reasonOf(error)}`, file);
    });
  const child = spawn('ffmpeg', [...args], { stdio: ['pipe', 'ignore', 'pipe'] });
  let said = '';
  child.stderr.on('data', (chunk: Buffer) => {
    said = (said + chunk.toString()).slice(-2000);
  });
  const ended = new Promise<number | null>((resolve, reject) => {
    child.once('error', reject);
    child.once('close', resolve);
  });
  const stop = () => child.kill('SIGKILL');
  signal?.addEventListener('abort', stop);
  // An ffmpeg that ended closes the pipe: what it said is told below.
  child.stdin.on('error', () => undefined);
  try {
    for (const file of pictures) {
      if (child.exitCode !== null || signal?.aborted) break;
      if (!child.stdin.write(await readFile(file)))
        await Promise.race([new Promise((resolve) => child.stdin.once('drain', resolve)), ended.catch(() => null)]);
    }
    child.stdin.end();
    const code = await ended;
    if (signal?.aborted) throw new IvrexError('cancelled', 'it was cancelled');
    if (code !== 0) {
      const full = /No space left/i.test(said);
      throw new IvrexError(
        'cannotWrite',
        full ? 'cannot be written: the disk is full' : `the movie could not be made: ${said.trim().split('\n').pop() ?? ''}`,
      );
    }
  } finally {
    signal?.removeEventListener('abort', stop);
    if (child.exitCode === null) child.kill('SIGKILL');
  }
}
