import { stat } from 'node:fs/promises';
import { fileOnDisk } from './movie-path';

/** A text that changes when the file is written anew; null when it is not there. */
export async function stampOf(file: string): Promise<string | null> {
  const there = await stat(file, { bigint: true }).catch(() => null);
  return there === null ? null : `${there.size}-${there.mtimeNs}-${there.ino}`;
}

/** All files that plain data names, each once. */
export function filesRead(data: unknown): string[] {
  const files = new Set<string>();
  replaceFiles(data, (file) => files.add(fileOnDisk(file)));
  return [...files];
}

/** The same data with every "file" replaced by what `name` says of it. */
export function replaceFiles(value: unknown, name: (file: string) => unknown): unknown {
  if (Array.isArray(value)) return value.map((v) => replaceFiles(v, name));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, v]) => [key, key === 'file' && typeof v === 'string' ? name(v) : replaceFiles(v, name)]),
  );
}
