import { createHash } from 'node:crypto';
import { readdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { IvrexError } from '@ivrex/core';
import { reasonOf } from '../files/atomic-write';
import { countMovieFrames } from '../formats/movie-format';
import { isMoviePath, movieFrame, MOVIE_EXTENSIONS } from '../files/movie-path';

/** Where a sequence's files are: text before and after the frame number. A lone file has no number, nor has a movie. */
export interface FilePattern {
  readonly folder: string;
  readonly before: string;
  /** Digits that numbers are padded to with zeroes; null for a lone file. */
  readonly padding: number | null;
  readonly after: string;
  /** Digits of frames that are padded otherwise, by frame. */
  readonly odd?: Readonly<Record<number, string>>;
  /** Frames in a movie, numbered from 1. */
  readonly movieFrames?: number;
}

export const IMAGE_EXTENSIONS = ['.exr', '.tif', '.tiff', '.png', '.jpg', '.jpeg', '.dpx'];

export interface Sequence {
  readonly pattern: FilePattern;
  /** Ascending; empty for a lone file. */
  readonly frames: readonly number[];
  /** Numbers between first and last that have no file. */
  readonly missing: readonly number[];
  /** Names of files that hold a frame which another file holds too. */
  readonly doubles: readonly string[];
}

/** "dir/name.####.exr", "dir/name.%04d.exr", or the path of one file; "::LAYER" may follow. */
export function parsePattern(text: string): { pattern: FilePattern; layer: string | null } {
  const cut = text.lastIndexOf('::');
  const filePart = cut < 0 ? text : text.slice(0, cut);
  const layer = cut < 0 ? null : text.slice(cut + 2);
  const folder = path.dirname(filePart),
    name = path.basename(filePart);
  const mark = /#+|%0?(\d*)d/.exec(name);
  if (mark === null) return { pattern: { folder, before: name, padding: null, after: '' }, layer };
  const padding = mark[0].startsWith('#') ? mark[0].length : Number(mark[1] || 1);
  return { pattern: { folder, before: name.slice(0, mark.index), padding, after: name.slice(mark.index + mark[0].length) }, layer };
}

export function frameFile(pattern: FilePattern, frame: number | null): string {
  if (pattern.padding === null) {
    const file = path.join(pattern.folder, pattern.before + pattern.after);
    return isMoviePath(file) ? movieFrame(file, frame ?? 1) : file;
  }
  if (frame === null) throw new TypeError('a sequence needs a frame number');
  const digits = pattern.odd?.[frame] ?? String(Math.abs(frame)).padStart(pattern.padding, '0');
  return path.join(pattern.folder, `${pattern.before}${frame < 0 ? '-' : ''}${digits}${pattern.after}`);
}

/** "name.####.exr": how a pattern is shown and stored. */
export function patternName(pattern: FilePattern): string {
  return pattern.before + (pattern.padding === null ? '' : '#'.repeat(pattern.padding)) + pattern.after;
}

/** Looks at the disk. @throws IvrexError missingFile when nothing matches */
export async function scanSequence(pattern: FilePattern): Promise<Sequence> {
  const shown = path.join(pattern.folder, patternName(pattern));
  if (pattern.padding === null) {
    const there = await stat(path.join(pattern.folder, pattern.before)).catch((error: unknown) => {
      throw new IvrexError('missingFile', reasonOf(error), shown);
    });
    if (!there.isFile())
      throw new IvrexError('missingFile', 'this is not a file; give one file, or a pattern such as name.####.exr', shown);
    if (!isMoviePath(pattern.before)) return { pattern, frames: [], missing: [], doubles: [] };
    const count = await countMovieFrames(path.join(pattern.folder, pattern.before));
    const frames = Array.from({ length: count }, (_, i) => i + 1);
    return { pattern: { ...pattern, movieFrames: count }, frames, missing: [], doubles: [] };
  }
  const names = await readdir(pattern.folder).catch((error: unknown) => {
    throw new IvrexError('missingFile', reasonOf(error), pattern.folder);
  });
  const frames: number[] = [];
  for (const name of names) {
    const frame = frameNumberIn(name, pattern);
    if (frame !== null) frames.push(frame);
  }
  if (frames.length === 0) throw new IvrexError('missingFile', 'no file matches this pattern', shown);
  frames.sort((a, b) => a - b);
  return { pattern, frames, missing: gapsIn(frames), doubles: [] };
}

function frameNumberIn(name: string, pattern: FilePattern): number | null {
  if (
    pattern.padding === null ||
    !name.startsWith(pattern.before) ||
    !name.endsWith(pattern.after) ||
    name.length <= pattern.before.length + pattern.after.length
  )
    return null;
  const digits = /^(-?)(\d+)$/.exec(name.slice(pattern.before.length, name.length - pattern.after.length));
  if (digits === null || digits[2].length < pattern.padding || (digits[2].length > pattern.padding && digits[2].startsWith('0')))
    return null;
  return Number(digits[0]);
}

const MAX_LISTED_GAP = 100000;

export function gapsIn(frames: readonly number[]): number[] {
  const missing: number[] = [];
  for (let i = 1; i < frames.length; i++) {
    for (let f = frames[i - 1] + 1; f < frames[i] && missing.length < MAX_LISTED_GAP; f++) missing.push(f);
  }
  return missing;
}

const MOST_FILES = 200000,
  DEEPEST = 3,
  MOST_STATS = 5000;

/**
 * All image sequences, lone images and movies of a folder and the folders in it, by name. Files that are being written (".part") and
 * hidden ones are left out. @throws IvrexError missingFile, tooLarge
 */
export async function listSequences(folder: string): Promise<Sequence[]> {
  const found: Sequence[] = [];
  let files = 0;
  const visit = async (relative: string, depth: number): Promise<void> => {
    const here = path.join(folder, relative);
    const entries = await readdir(here, { withFileTypes: true }).catch((error: unknown) => {
      throw new IvrexError('missingFile', reasonOf(error), here);
    });
    const names = entries.filter((e) => !e.isDirectory() && !e.name.startsWith('.')).map((e) => e.name);
    files += names.length;
    if (files > MOST_FILES) throw new IvrexError('tooLarge', `there are more than ${MOST_FILES} files; choose a folder inside it`, folder);
    for (const sequence of groupNames(here, names)) found.push(sequence);
    if (depth >= DEEPEST) return;
    for (const entry of entries)
      if (entry.isDirectory() && !entry.name.startsWith('.')) await visit(path.join(relative, entry.name), depth + 1);
  };
  await visit('', 0);
  return found.sort((a, b) => (nameBelow(folder, a.pattern) < nameBelow(folder, b.pattern) ? -1 : 1));
}

/** "motion/name.####.png": how a sequence is called inside its shot's folder. */
export function nameBelow(folder: string, pattern: FilePattern): string {
  return path.join(path.relative(folder, pattern.folder), patternName(pattern));
}

/** A text that changes when files of the folder come, go, grow or are written anew. Beyond a few thousand files only names and folders count. */
export async function folderSignature(folder: string): Promise<string> {
  const hash = createHash('sha256');
  let files = 0;
  const visit = async (here: string, depth: number): Promise<void> => {
    const entries = await readdir(here, { withFileTypes: true });
    for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
      if (entry.name.startsWith('.')) continue;
      const full = path.join(here, entry.name);
      if (entry.isDirectory()) {
        if (depth < DEEPEST) await visit(full, depth + 1);
        continue;
      }
      const there = ++files <= MOST_STATS ? await stat(full).catch(() => null) : null;
      hash.update(`${full} ${there?.mtimeMs ?? ''} ${there?.size ?? ''};`);
    }
  };
  await visit(folder, 0);
  return hash.digest('hex');
}

interface Numbered {
  readonly name: string;
  /** Text between the numbers, one more than there are numbers. */
  readonly texts: readonly string[];
  /** Digits, with their sign where a number is below 0. */
  readonly digits: readonly string[];
}

/** A number of a name; a minus belongs to it at the start or after a separator ("name.-0005.exr"), else it is a dash ("take-5.exr"). */
const NUMBER = /(?<=^|[._ ])-\d+|\d+/g;

/** Sequences among the file names of one folder. The frame number may stand anywhere: it is the number that changes most. */
export function groupNames(folder: string, names: readonly string[]): Sequence[] {
  const sequences: Sequence[] = [];
  const alike = new Map<string, Numbered[]>();
  for (const name of [...names].sort()) {
    const extension = path.extname(name).toLowerCase();
    const lone = { pattern: { folder, before: name, padding: null, after: '' }, frames: [], missing: [], doubles: [] };
    if (MOVIE_EXTENSIONS.includes(extension)) {
      sequences.push(lone);
      continue;
    }
    if (!IMAGE_EXTENSIONS.includes(extension)) continue;
    const stem = name.slice(0, name.length - extension.length);
    const digits = stem.match(NUMBER) ?? [];
    if (digits.length === 0) sequences.push(lone);
    else {
      const key = `${stem.replace(NUMBER, '\u0000')}${name.slice(stem.length)}`;
      listOf(alike, key).push({ name, texts: key.split('\u0000'), digits });
    }
  }
  for (const group of alike.values()) for (const sequence of sequencesOf(folder, group)) sequences.push(sequence);
  return sequences;
}

function listOf<T>(lists: Map<string, T[]>, key: string): T[] {
  const list = lists.get(key) ?? [];
  lists.set(key, list);
  return list;
}

/** Names with the same text: which of their numbers is the frame? The others tell sequences apart. */
function sequencesOf(folder: string, group: readonly Numbered[]): Sequence[] {
  const [{ digits, texts }] = group,
    last = digits.length - 1;
  const variety = digits.map((_, i) => new Set(group.map((n) => Number(n.digits[i]))).size);
  const most = Math.max(...variety);
  // With one file, or equal variety, the last number is the frame, if it ends the name.
  const varied = variety.lastIndexOf(most);
  const at = most === 1 || (isPartOfWord(group, varied) && endsAsFrame(group)) ? last : varied;
  if (most === 1 && !texts[texts.length - 1].startsWith('.'))
    return group.map(({ name }) => ({ pattern: { folder, before: name, padding: null, after: '' }, frames: [], missing: [], doubles: [] }));
  const apart = new Map<string, Numbered[]>();
  for (const numbered of group) listOf(apart, numbered.digits.filter((_, i) => i !== at).join('/')).push(numbered);
  return [...apart.values()].map((members) => sequenceOf(folder, members, at));
}

/** "cam1", "v02": a number of one or two digits behind a letter. */
function isPartOfWord(group: readonly Numbered[], at: number): boolean {
  return /[a-z]$/i.test(group[0].texts[at]) && group.every(({ digits }) => digits[at].length <= 2);
}

/** "name.0001.exr": the last number stands alone behind a dot, with three digits or more. */
function endsAsFrame([first]: readonly Numbered[]): boolean {
  const { texts, digits } = first,
    last = digits.length - 1;
  return texts[last].endsWith('.') && texts[last + 1].startsWith('.') && digits[last].replace('-', '').length >= 3;
}

function sequenceOf(folder: string, members: readonly Numbered[], at: number): Sequence {
  const [{ texts, digits }] = members;
  const join = (from: number, to: number) =>
    texts.slice(from, to + 1).reduce((all, text, i) => all + text + (i < to - from ? digits[from + i] : ''), '');
  const before = join(0, at),
    after = join(at + 1, texts.length - 1);
  // Numbers without leading zeroes and of different lengths are not padded at all.
  const unsigned = (m: Numbered) => m.digits[at].replace('-', '');
  const padding = members.reduce((least, m) => Math.min(least, unsigned(m).length), Infinity);
  const odd: Record<number, string> = {},
    doubles: string[] = [],
    frames = new Set<number>();
  // Files that follow the common padding come first: they win where a frame is there twice.
  const regular = (m: Numbered) => unsigned(m) === String(Math.abs(Number(m.digits[at]))).padStart(padding, '0');
  for (const m of [...members].sort((a, b) => Number(regular(b)) - Number(regular(a)))) {
    // Minus nothing is nothing.
    const frame = Number(m.digits[at]) + 0;
    if (frames.has(frame)) doubles.push(m.name);
    else {
      frames.add(frame);
      if (!regular(m)) odd[frame] = unsigned(m);
    }
  }
  const sorted = [...frames].sort((a, b) => a - b);
  return {
    pattern: { folder, before, padding, after, ...(Object.keys(odd).length > 0 ? { odd } : {}) },
    frames: sorted,
    missing: gapsIn(sorted),
    doubles,
  };
}
