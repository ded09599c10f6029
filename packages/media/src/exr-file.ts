import { open, readFile, stat } from 'node:fs/promises';
import {
  decodeExrPart,
  indexChunks,
  IvrexError,
  joinChannelName,
  parseExrHeader,
  splitChannelName,
  type ExrFile,
  type Image,
} from '@ivrex/core';
import { codeOf, reasonOf } from './atomic-write';
import type { NodeHost } from './node-host';

const HEADER_GUESS_BYTES = 64 * 1024;

/** Runs `work` and says which file an error is about. File system errors become sentences. */
export async function aboutFile<T>(file: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof IvrexError) throw error.about(file);
    if (codeOf(error) !== null) throw new IvrexError('missingFile', reasonOf(error), file);
    throw error;
  }
}

/** The header alone, from the file's start; more is read only when the header is longer. */
export async function loadExrHeader(file: string): Promise<ExrFile> {
  return aboutFile(file, async () => {
    const handle = await open(file, 'r');
    try {
      const { size } = await handle.stat();
      for (let bytes = HEADER_GUESS_BYTES; ; bytes *= 8) {
        const buffer = new Uint8Array(Math.min(bytes, size));
        const { bytesRead } = await handle.read(buffer, 0, buffer.length, 0);
        try {
          return parseExrHeader(buffer.subarray(0, bytesRead));
        } catch (error) {
          if (!(error instanceof IvrexError && error.code === 'truncated') || buffer.length >= size) throw error;
        }
      }
    } finally {
      await handle.close();
    }
  });
}

export interface LoadedExr {
  readonly bytes: Uint8Array;
  readonly file: ExrFile;
}

export async function loadExr(path: string): Promise<LoadedExr> {
  return aboutFile(path, async () => {
    const there = await stat(path);
    if (!there.isFile()) throw new IvrexError('missingFile', 'this is not a file');
    const bytes = await readFile(path);
    return { bytes, file: parseExrHeader(bytes) };
  });
}

/** Is every block of every part there? Reads the file, decodes nothing. Null when whole, else the error. */
export async function tryFindDamage(path: string): Promise<IvrexError | null> {
  try {
    const { bytes, file } = await loadExr(path);
    await aboutFile(path, async () => file.parts.forEach((part, index) => part.kind === 'scanline' && indexChunks(bytes, file, index)));
    return null;
  } catch (error) {
    if (error instanceof IvrexError) return error;
    throw error;
  }
}

/** The named channels of one part, or all of them. */
export async function loadExrImage(path: string, partIndex: number, names: readonly string[] | null, host: NodeHost): Promise<Image> {
  const { bytes, file } = await loadExr(path);
  return aboutFile(path, async () => decodeExrPart(bytes, file, partIndex, names, host));
}

/** One layer of one part. */
export interface LayerChoice {
  readonly part: number;
  readonly layer: string;
}

/** Every layer of a file with its channels (short names), in the order of the file. */
export function layersOf(file: ExrFile): { readonly part: number; readonly layer: string; readonly channels: readonly string[] }[] {
  return file.parts.flatMap((part, index) => {
    const layers = new Map<string, string[]>();
    for (const { name } of part.channels) {
      const { layer, channel } = splitChannelName(name);
      layers.set(layer, [...(layers.get(layer) ?? []), channel]);
    }
    return [...layers].map(([layer, channels]) => ({ part: index, layer, channels }));
  });
}

/** Finds what "::NAME" means: a layer of any part, or a part of that name (its plain layer, else its first). @throws IvrexError missingLayer */
export function chooseLayer(file: ExrFile, name: string | null): LayerChoice {
  const all = layersOf(file);
  if (name === null) return { part: 0, layer: all.find((l) => l.part === 0 && l.layer === '')?.layer ?? all[0].layer };
  const byLayer = all.find((l) => l.layer === name);
  if (byLayer) return { part: byLayer.part, layer: byLayer.layer };
  const part = file.parts.findIndex((p) => p.name === name);
  if (part >= 0)
    return { part, layer: all.find((l) => l.part === part && l.layer === '')?.layer ?? all.find((l) => l.part === part)?.layer ?? '' };
  const known = [...new Set([...all.map((l) => l.layer), ...file.parts.flatMap((p) => (p.name === null ? [] : [p.name]))])].map((n) =>
    n === '' ? '(plain)' : n,
  );
  throw new IvrexError('missingLayer', `there is no layer or part "${name}"; there are ${known.join(', ')}`);
}

/** Full names of the layer's channels. */
export function channelsInLayer(file: ExrFile, choice: LayerChoice): string[] {
  return file.parts[choice.part].channels.map((c) => c.name).filter((name) => splitChannelName(name).layer === choice.layer);
}

/** R, G, B, A of a picture layer by name; a lone channel stands for all three colours. */
export function pictureChannels(names: readonly string[], layer: string): [string | null, string | null, string | null, string | null] {
  const find = (...candidates: string[]) => candidates.map((c) => joinChannelName(layer, c)).find((name) => names.includes(name)) ?? null;
  const alpha = find('A', 'a', 'alpha');
  const red = find('R', 'r', 'red'),
    green = find('G', 'g', 'green'),
    blue = find('B', 'b', 'blue');
  if (red !== null || green !== null || blue !== null) return [red, green, blue, alpha];
  const grey = find('Y', 'y') ?? names.find((name) => name !== alpha) ?? alpha;
  return [grey, grey, grey, alpha];
}
