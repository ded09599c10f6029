import { readdir, stat } from 'node:fs/promises';
import path from 'node:path';
import { IvrexError } from '@ivrex/core';
import { reasonOf } from './atomic-write';

/** Where a sequence's files are: text before and after the frame number. A lone file has no number. */
export interface FilePattern {
  readonly folder: string;
  readonly before: string;
  /** Digits that numbers are padded to with zeroes; null for a lone file. */
  readonly padding: number | null;
  readonly after: string;
}

export interface Sequence {
  readonly pattern: FilePattern;
  /** Ascending; empty for a lone file. */
  readonly frames: readonly number[];
  /** Numbers between first and last that have no file. */
  readonly missing: readonly number[];
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
  if (pattern.padding === null) return path.join(pattern.folder, pattern.before + pattern.after);
  if (frame === null) throw new TypeError('a sequence needs a frame number');
  const digits = String(Math.abs(frame)).padStart(pattern.padding, '0');
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
    const there = await stat(frameFile(pattern, null)).catch((error: unknown) => {
      throw new IvrexError('missingFile', reasonOf(error), shown);
    });
    if (!there.isFile())
      throw new IvrexError('missingFile', 'this is not a file; give one file, or a pattern such as name.####.exr', shown);
    return { pattern, frames: [], missing: [] };
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
  return { pattern, frames, missing: gapsIn(frames) };
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

/** All image sequences and lone images in one folder, by name. Files that are being written (".part") and hidden ones are left out. */
export async function listSequences(folder: string, extensions: readonly string[] = ['.exr']): Promise<Sequence[]> {
  const names = await readdir(folder).catch((error: unknown) => {
    throw new IvrexError('missingFile', reasonOf(error), folder);
  });
  const groups = new Map<string, { pattern: FilePattern; frames: number[] }>();
  for (const name of names) {
    const extension = path.extname(name).toLowerCase();
    if (name.startsWith('.') || !extensions.includes(extension)) continue;
    const stem = name.slice(0, name.length - extension.length);
    // The last run of digits is the frame number, unless the whole name has none.
    const digits = /^(.*?)(\d+)$/.exec(stem);
    const pattern: FilePattern =
      digits === null
        ? { folder, before: name, padding: null, after: '' }
        : { folder, before: digits[1], padding: digits[2].length, after: name.slice(stem.length) };
    const key = `${patternName(pattern)}`;
    const group = groups.get(key) ?? { pattern, frames: [] };
    if (digits !== null) group.frames.push(Number(digits[2]));
    groups.set(key, group);
  }
  return [...groups.values()]
    .sort((a, b) => (patternName(a.pattern) < patternName(b.pattern) ? -1 : 1))
    .map(({ pattern, frames }) => {
      frames.sort((a, b) => a - b);
      return { pattern, frames, missing: gapsIn(frames) };
    });
}
