import path from 'node:path';
import { heightOf, IvrexError, widthOf, type Attribute, type ErrorRecord, type ExrFile } from '@ivrex/core';
import { headerRate } from './frame-passes';
import { layersOf, loadExrHeader, tryFindDamage } from './exr-file';
import { frameFile, listSequences, patternName, type Sequence } from './sequence';

/** One layer of a sequence, as found on disk. */
export interface FoundPass {
  readonly part: number;
  readonly layer: string;
  readonly channels: readonly { readonly name: string; readonly type: 'half' | 'float' | 'uint' }[];
}

export interface FoundSequence {
  readonly sequence: Sequence;
  readonly name: string;
  readonly header: ExrFile;
  readonly fps: number | null;
  readonly facts: readonly { readonly name: string; readonly value: string }[];
  readonly passes: readonly FoundPass[];
  readonly broken: readonly { readonly frame: number | null; readonly error: ErrorRecord }[];
}

export interface FoundFolder {
  readonly sequences: readonly FoundSequence[];
  /** Sequences of which not a single frame can be read. */
  readonly unreadable: readonly { readonly name: string; readonly error: ErrorRecord }[];
}

/** Looks at every sequence of a folder: layers from the first readable frame, and which frames are damaged. Decodes no pixels. */
export async function describeFolder(folder: string): Promise<FoundFolder> {
  const sequences: FoundSequence[] = [],
    unreadable: { name: string; error: ErrorRecord }[] = [];
  for (const sequence of await listSequences(folder)) {
    const frames: (number | null)[] = sequence.frames.length === 0 ? [null] : [...sequence.frames];
    const broken: { frame: number | null; error: ErrorRecord }[] = [];
    let good: number | null | undefined;
    for (const frame of frames) {
      const damage = await tryFindDamage(frameFile(sequence.pattern, frame));
      if (damage !== null) broken.push({ frame, error: damage.toRecord() });
      else good ??= frame;
    }
    if (broken.length === frames.length) {
      unreadable.push({ name: patternName(sequence.pattern), error: broken[0].error });
      continue;
    }
    const header = await loadExrHeader(frameFile(sequence.pattern, good ?? null));
    sequences.push(describe(sequence, header, broken));
  }
  return { sequences, unreadable };
}

function describe(sequence: Sequence, header: ExrFile, broken: FoundSequence['broken']): FoundSequence {
  const { attributes } = header.parts[0];
  const passes = layersOf(header)
    .filter(({ part }) => header.parts[part].kind === 'scanline')
    .map(({ part, layer, channels }) => ({
      part,
      layer,
      channels: channels.map((name) => ({
        name,
        type: header.parts[part].channels.find((c) => c.name === (layer === '' ? name : `${layer}.${name}`))?.type ?? ('float' as const),
      })),
    }));
  if (passes.length === 0)
    throw new IvrexError(
      'unsupported',
      'no part of this file has scan lines',
      path.join(sequence.pattern.folder, patternName(sequence.pattern)),
    );
  return {
    sequence,
    name: patternName(sequence.pattern),
    header,
    fps: headerRate(attributes),
    facts: factsOf(header, attributes),
    passes,
    broken,
  };
}

function factsOf(header: ExrFile, attributes: ReadonlyMap<string, Attribute>): { name: string; value: string }[] {
  const part = header.parts[0];
  const facts = [
    { name: 'Size', value: `${widthOf(part.displayWindow)} x ${heightOf(part.displayWindow)}` },
    { name: 'Data window', value: `${part.dataWindow.xMin} ${part.dataWindow.yMin} to ${part.dataWindow.xMax} ${part.dataWindow.yMax}` },
    { name: 'Compression', value: part.compression.toUpperCase() },
    { name: 'Pixel aspect', value: String(part.pixelAspectRatio) },
  ];
  const shown = new Set([
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
  for (const [name, { value }] of attributes) {
    if (shown.has(name) || value instanceof Uint8Array) continue;
    facts.push({
      name,
      value:
        name === 'framesPerSecond'
          ? String(headerRate(attributes) ?? '')
          : typeof value === 'object'
            ? JSON.stringify(value)
            : String(value),
    });
  }
  return facts;
}
