import { stat } from 'node:fs/promises';
import path from 'node:path';
import {
  cryptomattesOf,
  DEFAULT_LIMITS,
  heightOf,
  IvrexError,
  widthOf,
  type Attribute,
  type ErrorRecord,
  type ExrLimits,
  type SampleType,
} from '@ivrex/core';
import { countMovieFrames } from '../formats/movie-format';
import { loadHeader, tryFindDamage } from '../formats/image-file';
import type { ImageHeader } from '../formats/image-format';
import { headerRate, layersOf } from '../formats/layers';
import { isMoviePath } from '../files/movie-path';
import { frameFile, listSequences, nameBelow, type Sequence } from './sequence';

/** One layer of a sequence, as found on disk. */
export interface FoundPass {
  readonly part: number;
  readonly layer: string;
  readonly channels: readonly { readonly name: string; readonly type: SampleType }[];
  readonly cryptomatte: boolean;
}

export interface FoundSequence {
  readonly sequence: Sequence;
  /** Inside the shot's folder. */
  readonly name: string;
  readonly header: ImageHeader;
  readonly fps: number | null;
  readonly facts: readonly { readonly name: string; readonly value: string }[];
  readonly passes: readonly FoundPass[];
  readonly broken: readonly { readonly frame: number | null; readonly error: ErrorRecord }[];
  /** A frame that is whole; null for a lone file. */
  readonly goodFrame: number | null;
  /** Frames whose size, parts or channels differ from the first good frame's. */
  readonly different: readonly number[];
}

export interface FoundFolder {
  readonly sequences: FoundSequence[];
  /** Sequences of which not a single frame can be read. */
  readonly unreadable: readonly { readonly name: string; readonly error: ErrorRecord }[];
}

/** Files that are looked at side by side. */
const AT_ONCE = 16,
  /** Looks that are remembered, so that a folder which grows is not read again and again. */
  REMEMBERED = 100000;

/** What was found out about a file, as long as its time and size stay. */
export class FileMemory {
  private readonly known = new Map<string, { readonly stamp: string; readonly look: Promise<FileLook> }>();

  constructor(readonly limits: ExrLimits = DEFAULT_LIMITS) {}

  async look(file: string, disk: string): Promise<FileLook> {
    const there = await stat(disk).catch(() => null);
    const stamp = there === null ? 'gone' : `${there.mtimeMs} ${there.size}`;
    const known = this.known.get(file);
    if (known?.stamp === stamp) return known.look;
    if (this.known.size >= REMEMBERED) this.known.clear();
    const look = lookAt(file, this.limits);
    this.known.set(file, { stamp, look });
    return look;
  }
}

interface FileLook {
  readonly damage: ErrorRecord | null;
  /** Size, parts and channels as one text; null when the header can't be read. */
  readonly shape: string | null;
}

async function lookAt(file: string, limits: ExrLimits): Promise<FileLook> {
  const damage = await tryFindDamage(file, limits);
  const header = await loadHeader(file, limits).catch((error: unknown) => {
    if (error instanceof IvrexError) return null;
    throw error;
  });
  return { damage: damage?.toRecord() ?? null, shape: header === null ? null : shapeOf(header) };
}

function shapeOf(header: ImageHeader): string {
  return header.parts
    .map((p) => `${widthOf(p.displayWindow)}x${heightOf(p.displayWindow)} ${p.channels.map((c) => `${c.name}:${c.type}`).join(' ')}`)
    .join('; ');
}

/**
 * Looks at every sequence of a folder and the folders in it: layers from the first whole frame, which frames are damaged, which differ.
 * Decodes no pixels; a file that was looked at before and has not changed is not opened again.
 */
export async function describeFolder(folder: string, memory = new FileMemory()): Promise<FoundFolder> {
  const sequences: FoundSequence[] = [],
    unreadable: { name: string; error: ErrorRecord }[] = [];
  for (const listed of await listSequences(folder)) {
    const name = nameBelow(folder, listed.pattern);
    const found = await describeSequence(listed, name, memory);
    if ('error' in found) unreadable.push(found);
    else sequences.push(found);
  }
  return { sequences, unreadable };
}

async function describeSequence(
  listed: Sequence,
  name: string,
  memory: FileMemory,
): Promise<FoundSequence | { name: string; error: ErrorRecord }> {
  const { pattern } = listed;
  const disk = path.join(pattern.folder, pattern.before + pattern.after);
  if (isMoviePath(disk)) return describeMovie(listed, disk, name);
  const frames: (number | null)[] = listed.frames.length === 0 ? [null] : [...listed.frames];
  const looks = await inBatches(frames, (frame) => memory.look(frameFile(pattern, frame), frameFile(pattern, frame)));
  const broken = frames.flatMap((frame, i) => {
    const { damage } = looks[i];
    return damage === null ? [] : [{ frame, error: damage }];
  });
  const good = looks.findIndex((look) => look.damage === null);
  if (good < 0) return { name, error: broken[0].error };
  const different = frames.filter(
    (frame, i): frame is number => frame !== null && looks[i].damage === null && looks[i].shape !== looks[good].shape,
  );
  return described(listed, name, await loadHeader(frameFile(pattern, frames[good]), memory.limits), broken, frames[good], different);
}

async function describeMovie(listed: Sequence, file: string, name: string): Promise<FoundSequence | { name: string; error: ErrorRecord }> {
  try {
    const header = await loadHeader(file),
      count = await countMovieFrames(file);
    const frames = Array.from({ length: count }, (_, i) => i + 1);
    const sequence = { ...listed, pattern: { ...listed.pattern, movieFrames: count }, frames };
    return described(sequence, name, header, [], 1, []);
  } catch (error) {
    if (error instanceof IvrexError) return { name, error: error.toRecord() };
    throw error;
  }
}

async function inBatches<T, R>(items: readonly T[], work: (item: T) => Promise<R>): Promise<R[]> {
  const out: R[] = [];
  for (let i = 0; i < items.length; i += AT_ONCE) out.push(...(await Promise.all(items.slice(i, i + AT_ONCE).map(work))));
  return out;
}

function described(
  sequence: Sequence,
  name: string,
  header: ImageHeader,
  broken: FoundSequence['broken'],
  goodFrame: number | null,
  different: readonly number[],
): FoundSequence | { name: string; error: ErrorRecord } {
  const passes = layersOf(header)
    .filter(({ part }) => header.parts[part].kind !== 'deep')
    .map(({ part, layer, channels }): FoundPass => {
      const types = new Map(header.parts[part].channels.map((c) => [c.name, c.type]));
      const crypto = cryptomattesOf(header.parts[part].attributes).some((c) => c.name === layer);
      const full = (short: string) => (layer === '' ? short : crypto ? `${layer}${short}` : `${layer}.${short}`);
      return {
        part,
        layer,
        cryptomatte: crypto,
        channels: channels.map((short) => ({ name: short, type: types.get(full(short)) ?? 'float' })),
      };
    });
  if (passes.length === 0)
    return {
      name,
      error: { code: 'unsupported', message: 'this is a deep image (many samples a pixel); flatten it, or render a flat pass' },
    };
  const { attributes } = header.parts[0];
  return { sequence, name, header, fps: headerRate(attributes), facts: factsOf(header), passes, broken, goodFrame, different };
}

const SHOWN_OTHERWISE = new Set([
  'channels',
  'compression',
  'dataWindow',
  'displayWindow',
  'lineOrder',
  'pixelAspectRatio',
  'screenWindowCenter',
  'screenWindowWidth',
  'type',
  'chunkCount',
  'name',
]);
const MOST_SHOWN = 400;

/** Header facts in words, those of the first part. */
function factsOf(header: ImageHeader): { name: string; value: string }[] {
  const part = header.parts[0],
    { dataWindow: data, displayWindow: display, attributes } = part;
  const facts = [
    { name: 'Format', value: header.format },
    { name: 'Size', value: `${widthOf(display)} x ${heightOf(display)}` },
    { name: 'Data window', value: `${data.xMin} ${data.yMin} to ${data.xMax} ${data.yMax}` },
    { name: 'Compression', value: part.compression.toUpperCase() },
    { name: 'Pixel aspect', value: String(part.pixelAspectRatio) },
    { name: 'Samples', value: [...new Set(header.parts.flatMap((p) => p.channels.map((c) => TYPE_NAMES[c.type])))].join(', ') },
  ];
  if (header.parts.length > 1) facts.push({ name: 'Parts', value: header.parts.map((p) => p.name ?? '(plain)').join(', ') });
  for (const [name, attribute] of attributes) {
    if (SHOWN_OTHERWISE.has(name) || attribute.value instanceof Uint8Array) continue;
    const text = name === 'framesPerSecond' ? String(headerRate(attributes) ?? '') : valueText(attribute);
    facts.push({ name, value: text.length > MOST_SHOWN ? `${text.slice(0, MOST_SHOWN)} ...` : text });
  }
  return facts;
}

const TYPE_NAMES: Record<SampleType, string> = {
  half: 'half float',
  float: '32-bit float',
  uint: '32-bit whole numbers',
  u8: '8-bit',
  u16: '16-bit',
};

function valueText({ value }: Attribute): string {
  if (typeof value !== 'object') return String(value);
  return Array.isArray(value) && value.every((v) => typeof v === 'number')
    ? value.map((v) => Number(v.toPrecision(6))).join(' ')
    : JSON.stringify(value);
}
