import { open } from 'node:fs/promises';
import { DEFAULT_LIMITS, IvrexError, type ExrLimits } from '@ivrex/core';
import { codeOf, reasonOf } from '../files/atomic-write';
import { dpxFormat } from './dpx-format';
import { exrFormat } from './exr-format';
import type { ImageFormat, ImageHeader, OpenedImage } from './image-format';
import { jpegFormat } from './jpeg-format';
import { movieFormat } from './movie-format';
import { pngFormat } from './png-format';
import { tiffFormat } from './tiff-format';
import { isMoviePath, parseMovieFrame } from '../files/movie-path';
import type { NodeHost } from '../host/node-host';

/** How each format starts. */
const MARKS: readonly { readonly format: ImageFormat; readonly mark: readonly number[] }[] = [
  { format: exrFormat, mark: [0x76, 0x2f, 0x31, 0x01] },
  { format: pngFormat, mark: [0x89, 0x50, 0x4e, 0x47] },
  { format: jpegFormat, mark: [0xff, 0xd8, 0xff] },
  { format: tiffFormat, mark: [0x49, 0x49, 0x2a, 0x00] },
  { format: tiffFormat, mark: [0x4d, 0x4d, 0x00, 0x2a] },
  { format: tiffFormat, mark: [0x49, 0x49, 0x2b, 0x00] },
  { format: tiffFormat, mark: [0x4d, 0x4d, 0x00, 0x2b] },
  { format: dpxFormat, mark: [0x53, 0x44, 0x50, 0x58] },
  { format: dpxFormat, mark: [0x58, 0x50, 0x44, 0x53] },
];

/** By what the file holds, whatever its name says. @throws IvrexError truncated, notAnImage */
async function formatOf(file: string): Promise<ImageFormat> {
  const movie = parseMovieFrame(file);
  if (movie !== null || isMoviePath(file)) return movieFormat;
  const handle = await open(file, 'r');
  try {
    const start = new Uint8Array(4);
    const { bytesRead } = await handle.read(start, 0, 4, 0);
    if (bytesRead === 0) throw new IvrexError('truncated', 'the file is empty');
    const found = MARKS.find(({ mark }) => mark.every((b, i) => start[i] === b));
    if (found === undefined)
      throw new IvrexError('notAnImage', 'this is not an OpenEXR, TIFF, PNG, JPEG or DPX picture, whatever its name says');
    return found.format;
  } finally {
    await handle.close();
  }
}

/** Runs `work` and says which file an error is about. File system errors become sentences. */
export async function aboutFile<T>(file: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const named = shownFile(file);
    if (error instanceof IvrexError) throw error.about(named);
    if (codeOf(error) !== null) throw new IvrexError('missingFile', reasonOf(error), named);
    throw error;
  }
}

/** The path that an artist knows: a movie's frame is called by the movie. */
function shownFile(file: string): string {
  const movie = parseMovieFrame(file);
  return movie === null ? file : `${movie.movie}, frame ${movie.frame}`;
}

export async function loadHeader(file: string, limits: ExrLimits = DEFAULT_LIMITS): Promise<ImageHeader> {
  return aboutFile(file, async () => (await formatOf(file)).loadHeader(file, limits));
}

/** Null when the file is whole, else what is wrong. Reads no pixels. */
export async function tryFindDamage(file: string, limits: ExrLimits = DEFAULT_LIMITS): Promise<IvrexError | null> {
  try {
    await aboutFile(file, async () => (await formatOf(file)).checkWhole(file, limits));
    return null;
  } catch (error) {
    if (error instanceof IvrexError) return error;
    throw error;
  }
}

export async function openImage(file: string, host: NodeHost): Promise<OpenedImage> {
  return aboutFile(file, async () => {
    const opened = await (await formatOf(file)).open(file, host);
    return { ...opened, decode: (part, names) => aboutFile(file, () => opened.decode(part, names)) };
  });
}
