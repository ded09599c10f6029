import path from 'node:path';

/** A movie's frame travels as one text, so that everything that handles files handles it. Frames count from 1. */
const MARK = '::frame::';
/** By extension: what ffmpeg calls the container. */
const CONTAINERS: Readonly<Record<string, string>> = {
  '.mov': 'mov',
  '.mp4': 'mov',
  '.m4v': 'mov',
  '.mxf': 'mxf',
  '.mkv': 'matroska',
  '.webm': 'matroska',
  '.avi': 'avi',
  '.mpg': 'mpeg',
};
export const MOVIE_EXTENSIONS = Object.keys(CONTAINERS);

export function containerOf(movie: string): string {
  return CONTAINERS[path.extname(movie).toLowerCase()] ?? 'mov';
}

export function isMoviePath(file: string): boolean {
  return MOVIE_EXTENSIONS.includes(path.extname(file).toLowerCase());
}

export function movieFrame(movie: string, frame: number): string {
  return `${movie}${MARK}${frame}`;
}

/** Null for everything that is not a movie's frame. */
export function parseMovieFrame(file: string): { readonly movie: string; readonly frame: number } | null {
  const at = file.lastIndexOf(MARK);
  if (at < 0) return null;
  const frame = Number(file.slice(at + MARK.length));
  return Number.isInteger(frame) && frame >= 1 && isMoviePath(file.slice(0, at)) ? { movie: file.slice(0, at), frame } : null;
}

/** The file on disk that holds it. */
export function fileOnDisk(file: string): string {
  return parseMovieFrame(file)?.movie ?? file;
}
