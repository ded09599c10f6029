import { createHash } from 'node:crypto';
import { mkdir, readFile, stat } from 'node:fs/promises';
import path from 'node:path';
import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { IvrexError, type Attribute } from '@ivrex/core';
import { writeFileAtomic } from '../files/atomic-write';
import type { ImageFormat, ImageHeader } from './image-format';
import { containerOf, fileOnDisk, parseMovieFrame } from '../files/movie-path';
import { checkSize } from './file-parts';
import { inputOf, probeVideo, ratioOf, runFfmpeg, type VideoStream } from './ffmpeg';
import { pick, plainHeader, plainImage } from './plain-image';

/** Frames that are unpacked at once: a movie's frames depend on each other, so a single one costs as much as its neighbours. Fewer of large ones. */
const RUN = 16,
  RUN_BYTES = 1 << 28;

/** No codec shrinks a frame more than this; guards against headers that declare what the file can't hold. */
const MOST_RATIO = 100_000;

function runOf({ width, height }: VideoStream): number {
  return Math.max(1, Math.min(RUN, Math.floor(RUN_BYTES / (width * height * 6))));
}

async function probe(movie: string): Promise<VideoStream> {
  const stream = await probeVideo(movie, false, containerOf(movie));
  await checkSize(movie, stream.width, stream.height, 6, MOST_RATIO);
  return stream;
}

function headerOf(stream: VideoStream): ImageHeader {
  const rate = ratioOf(stream.r_frame_rate, '/'),
    aspect = ratioOf(stream.sample_aspect_ratio, ':');
  const attributes: [string, Attribute][] = [['pixelFormat', { type: 'string', value: stream.pix_fmt }]];
  if (rate !== null) attributes.push(['framesPerSecond', { type: 'rational', value: rate }]);
  return plainHeader({
    format: 'movie',
    compression: stream.codec_name,
    width: stream.width,
    height: stream.height,
    samples: 3,
    hasAlpha: false,
    type: 'u16',
    pixelAspectRatio: aspect === null ? 1 : aspect[0] / aspect[1],
    attributes: new Map(attributes),
  });
}

/** Number of frames in a movie. */
export async function countMovieFrames(movie: string): Promise<number> {
  return Number((await probeVideo(movie, true, containerOf(movie))).nb_read_packets ?? 0);
}

/** Where the frame is kept once it was unpacked: by the movie's path, time and size, so that a new movie gets new frames. */
async function cacheFile(folder: string, movie: string, frame: number): Promise<string> {
  const { mtimeMs, size } = await stat(movie);
  const key = createHash('sha256').update(`${movie}\n${mtimeMs}\n${size}`).digest('hex').slice(0, 24);
  return path.join(folder, 'movies', key, `${frame}.rgb48`);
}

/** Full-range 16-bit RGB, with the matrix that the movie names (Rec.709 for HD, Rec.601 below, when it names none). */
async function unpackRun(movie: string, stream: VideoStream, first: number, folder: string): Promise<void> {
  const named = /bt709|bt601|smpte170m|bt470bg|bt2020/.exec(stream.color_space ?? '')?.[0];
  const matrix = named === undefined ? (stream.height >= 720 ? 'bt709' : 'smpte170m') : named === 'bt2020' ? 'bt2020' : named;
  // RGB needs no matrix; for the rest, range and matrix go in together with the target format, else they are guessed.
  const isRgb = /^(rgb|bgr|gbr|gray)/.test(stream.pix_fmt);
  const convert = isRgb ? '' : `in_color_matrix=${matrix}:out_range=pc:`;
  const filter = `select=between(n\\,${first - 1}\\,${first + runOf(stream) - 2}),scale=${convert}flags=accurate_rnd+full_chroma_int,format=rgb48le`;
  const bytes = await runFfmpeg('ffmpeg', [
    ...['-v', 'error', ...inputOf(movie, containerOf(movie)), '-map', '0:v:0', '-fps_mode', 'passthrough', '-vf', filter],
    ...['-f', 'rawvideo', '-pix_fmt', 'rgb48le', '-'],
  ]);
  const frameBytes = stream.width * stream.height * 6;
  for (let i = 0; (i + 1) * frameBytes <= bytes.length; i++)
    await writeFileAtomic(
      await cacheFile(folder, movie, first + i),
      deflateRawSync(bytes.subarray(i * frameBytes, (i + 1) * frameBytes), { level: 1 }),
    );
}

export const movieFormat: ImageFormat = {
  loadHeader: async (file) => headerOf(await probe(fileOnDisk(file))),

  async checkWhole(file) {
    await probe(fileOnDisk(file));
  },

  async open(file, host) {
    const wanted = parseMovieFrame(file) ?? { movie: file, frame: 1 };
    const stream = await probe(wanted.movie);
    const header = headerOf(stream);
    const cached = await cacheFile(host.cacheFolder, wanted.movie, wanted.frame);
    let packed = await tryRead(cached);
    if (packed === null) {
      await mkdir(path.dirname(cached), { recursive: true });
      await unpackRun(wanted.movie, stream, wanted.frame - ((wanted.frame - 1) % runOf(stream)), host.cacheFolder);
      packed = await tryRead(cached);
    }
    if (packed === null) throw new IvrexError('missingFrame', `the movie has no frame ${wanted.frame}`);
    const bytes = inflateRawSync(packed);
    const data = new Uint16Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
    return plainImage(header, (channel) => pick(data, channel, 3));
  },
};

async function tryRead(file: string): Promise<Buffer | null> {
  return readFile(file).catch(() => null);
}
