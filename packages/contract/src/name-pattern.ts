import { z } from 'zod';

/** Words that stand for something in file names. */
export const NAME_TOKENS = ['shot', 'name', 'what', 'version', 'frame'] as const;

const SEGMENT = /^(?:[A-Za-z0-9_-]|\{(?:shot|name|what|version|frame)\})(?:[A-Za-z0-9_.-]|\{(?:shot|name|what|version|frame)\})*$/;

/** A path below the folder of deliveries, without extension: folders and a name of letters, digits, . _ - and words in braces. */
export const namePatternSchema = z
  .string()
  .min(1)
  .max(300)
  .refine((p) => p.split('/').every((segment) => SEGMENT.test(segment) && !segment.includes('..')), {
    message: `use letters, digits, dot, dash, underscore and ${NAME_TOKENS.map((t) => `{${t}}`).join(' ')}; folders are parted by /`,
  });

/** Null when the pattern tells all files apart, else what it lacks. */
export function checkNamePattern(
  pattern: string,
  needs: { readonly frame: boolean; readonly what: boolean; readonly version: boolean },
): string | null {
  const folders = pattern.split('/'),
    name = folders[folders.length - 1];
  if (needs.frame && name.split('{frame}').length !== 2) return 'the file name needs {frame} once, or every frame would have the same name';
  if (folders.slice(0, -1).some((f) => f.includes('{frame}'))) return '{frame} belongs in the file name, not in a folder';
  if (needs.what && !pattern.includes('{what}')) return 'several files are made of a frame: the name needs {what} to tell them apart';
  if (needs.version && !pattern.includes('{version}')) return 'to count versions up the name needs {version}';
  return null;
}
