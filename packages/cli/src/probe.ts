import { Command } from 'commander';
import {
  IvrexError,
  splitChannelName,
  statisticsOf,
  widthOf,
  heightOf,
  type AttributeValue,
  type SampleStatistics,
  type SampleType,
  type Window,
} from '@ivrex/core';
import { frameFile, loadHeader, openImage, parsePattern, scanSequence, type ImagePart, type NodeHost } from '@ivrex/media';
import { parseFrameRange, type FrameRange } from './frame-range';
import type { CliHost } from './host';
import { answer, warn } from './output';

interface ChannelFacts extends Partial<SampleStatistics> {
  readonly name: string;
  readonly type: SampleType;
}
interface PartFacts {
  readonly name: string | null;
  readonly width: number;
  readonly height: number;
  readonly dataWindow: readonly number[];
  readonly displayWindow: readonly number[];
  readonly compression: string;
  readonly layers: { readonly name: string; readonly channels: ChannelFacts[] }[];
  readonly attributes: Record<string, { type: string; value: unknown }>;
}

export function probeCommand(host: CliHost): Command {
  return new Command('probe')
    .description('what is in a file or sequence: parts, layers, channels, windows, attributes')
    .argument('<pattern>', 'a file, or name.####.exr')
    .option('--stats', 'min, max, mean, NaN and Inf of every channel')
    .option('--frames <A-B>', 'frames that the statistics cover (default: the first)', parseFrameRange)
    .option('--json', 'one JSON object on stdout')
    .action(async (pattern: string, options: { stats?: boolean; json?: boolean; frames?: FrameRange }) =>
      probe(host, pattern, options.stats ?? false, options.frames ?? null, options.json ?? false),
    );
}

async function probe(host: CliHost, text: string, stats: boolean, range: FrameRange | null, json: boolean): Promise<void> {
  const sequence = await scanSequence(parsePattern(text).pattern);
  const inRange = sequence.frames.filter((f) => range === null || (f >= range.first && f <= range.last));
  if (sequence.frames.length > 0 && inRange.length === 0) throw new IvrexError('missingFrame', 'no frame of this range exists', text);
  const frames: (number | null)[] = sequence.frames.length === 0 ? [null] : range === null ? inRange.slice(0, 1) : inRange;
  const warnings: string[] = [];
  const first = frameFile(sequence.pattern, frames[0]);
  const header = await loadHeader(first);
  if (header.parts.every((part) => part.kind === 'deep'))
    throw new IvrexError('unsupported', 'the file has only deep parts (many samples a pixel); flatten it, or render a flat pass', first);
  const statistics = stats
    ? await gatherStatistics(
        frames.map((f) => frameFile(sequence.pattern, f)),
        await host.kernels(),
        warnings,
      )
    : null;
  const parts = header.parts.map((part, index) => describePart(part, statistics?.[index] ?? null));
  const result = {
    files: sequence.pattern.padding === null ? 1 : sequence.frames.length,
    frames: sequence.frames.length === 0 ? null : [sequence.frames[0], sequence.frames[sequence.frames.length - 1]],
    missing: sequence.missing,
    parts,
    warnings,
  };
  for (const text of warnings) warn(text);
  answer(json, result, () => [
    result.frames === null
      ? 'one file'
      : `${result.files} files, frames ${result.frames[0]} to ${result.frames[1]}${result.missing.length > 0 ? `, missing ${result.missing.join(' ')}` : ''}`,
    ...parts.flatMap(partLines),
  ]);
}

/** Per part and channel over all files, merged. */
async function gatherStatistics(files: readonly string[], host: NodeHost, warnings: string[]): Promise<Map<string, SampleStatistics>[]> {
  const merged: Map<string, { all: SampleStatistics; weight: number }>[] = [];
  for (const path of files) {
    const opened = await openImage(path, host);
    for (const [index, part] of opened.header.parts.entries()) {
      merged[index] ??= new Map();
      if (part.kind === 'deep') {
        warnings.push(`${path}: statistics of part ${part.name ?? index} are left out: it is deep`);
        continue;
      }
      for (const plane of (await opened.decode(index, null)).planes) {
        const add = statisticsOf(plane.data),
          weight = plane.data.length - add.nan - add.inf;
        const before = merged[index].get(plane.name);
        merged[index].set(
          plane.name,
          before ? { all: mergeStatistics(before.all, before.weight, add, weight), weight: before.weight + weight } : { all: add, weight },
        );
      }
    }
    warnings.push(...opened.warnings.map((w) => `${path}: ${w}`));
  }
  return merged.map((part) => new Map([...part].map(([name, { all }]) => [name, all])));
}

function mergeStatistics(a: SampleStatistics, aWeight: number, b: SampleStatistics, bWeight: number): SampleStatistics {
  const counts = { nan: a.nan + b.nan, inf: a.inf + b.inf };
  if (a.min === null || a.max === null || a.mean === null) return { ...b, ...counts };
  if (b.min === null || b.max === null || b.mean === null) return { ...a, ...counts };
  return {
    min: Math.min(a.min, b.min),
    max: Math.max(a.max, b.max),
    mean: (a.mean * aWeight + b.mean * bWeight) / (aWeight + bWeight),
    ...counts,
  };
}

function describePart(part: ImagePart, statistics: Map<string, SampleStatistics> | null): PartFacts {
  const layers = new Map<string, ChannelFacts[]>();
  for (const { name, type } of part.channels) {
    const { layer, channel } = splitChannelName(name);
    layers.set(layer, [...(layers.get(layer) ?? []), { name: channel, type, ...statistics?.get(name) }]);
  }
  return {
    name: part.name,
    width: widthOf(part.displayWindow),
    height: heightOf(part.displayWindow),
    dataWindow: windowList(part.dataWindow),
    displayWindow: windowList(part.displayWindow),
    compression: part.compression,
    layers: [...layers].map(([name, channels]) => ({ name, channels })),
    attributes: Object.fromEntries(
      [...part.attributes]
        .filter(([name]) => name !== 'channels')
        .map(([name, { type, value }]) => [name, { type, value: jsonValue(value) }]),
    ),
  };
}

function windowList(w: Window): number[] {
  return [w.xMin, w.yMin, w.xMax, w.yMax];
}

function jsonValue(value: AttributeValue): unknown {
  if (value instanceof Uint8Array) return Buffer.from(value).toString('base64');
  return typeof value === 'object' && 'xMin' in value ? windowList(value) : value;
}

function partLines(part: PartFacts): string[] {
  const number = (v: number | null | undefined) => (v === null || v === undefined ? '-' : String(Number(v.toPrecision(5))));
  return [
    `part ${part.name ?? '(plain)'}: ${part.width} x ${part.height}, ${part.compression}, data window ${part.dataWindow.join(' ')}`,
    ...part.layers.flatMap((layer) => [
      `  layer ${layer.name === '' ? '(plain)' : layer.name}`,
      ...layer.channels.map(
        (c) =>
          `    ${c.name} ${c.type}${c.nan === undefined ? '' : `  min ${number(c.min)}  max ${number(c.max)}  mean ${number(c.mean)}  nan ${c.nan}  inf ${c.inf}`}`,
      ),
    ]),
    ...Object.entries(part.attributes).map(([name, { type, value }]) => `  ${name} (${type}) = ${JSON.stringify(value)?.slice(0, 120)}`),
  ];
}
