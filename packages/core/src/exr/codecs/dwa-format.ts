import type { SampleType } from '../attributes';
import { splitChannelName } from '../../raster/image';
import { narrow, widen } from '../../raster/half';
import { IvrexError } from '../../errors';
import { Cursor } from '../cursor';
import type { ChunkChannel, ChunkLayout } from '../chunk-layout';

/** How DWA stores a channel: as plain bytes, as lossy cosine blocks, or as run lengths (alpha). */
export type Scheme = 'plain' | 'blocks' | 'runs';
const SCHEMES: readonly Scheme[] = ['plain', 'blocks', 'runs'];
const TYPES: readonly SampleType[] = ['uint', 'half', 'float'];

/** A channel whose last name part is `suffix` and whose type is `type`. `colour`: 0 red, 1 green, 2 blue of a set that is coded together. */
export interface ChannelRule {
  readonly suffix: string;
  readonly scheme: Scheme;
  readonly type: SampleType;
  readonly colour: number;
  readonly anyCase: boolean;
}

function rulesFor(
  suffixes: readonly string[],
  scheme: Scheme,
  types: readonly SampleType[],
  colour: number,
  anyCase: boolean,
): ChannelRule[] {
  return suffixes.flatMap((suffix) => types.map((type) => ({ suffix, scheme, type, colour, anyCase })));
}

const PICTURE_TYPES: readonly SampleType[] = ['half', 'float'];

/** What current writers, and we, put into every block. */
export const CURRENT_RULES: readonly ChannelRule[] = [
  ...rulesFor(['R'], 'blocks', PICTURE_TYPES, 0, false),
  ...rulesFor(['G'], 'blocks', PICTURE_TYPES, 1, false),
  ...rulesFor(['B'], 'blocks', PICTURE_TYPES, 2, false),
  ...rulesFor(['Y', 'BY', 'RY'], 'blocks', PICTURE_TYPES, -1, false),
  ...rulesFor(['A'], 'runs', TYPES, -1, false),
];

/** What blocks before version 2 mean, which carry no rules. */
export const FIRST_RULES: readonly ChannelRule[] = [
  ...rulesFor(['r', 'red'], 'blocks', PICTURE_TYPES, 0, true),
  ...rulesFor(['g', 'grn', 'green'], 'blocks', PICTURE_TYPES, 1, true),
  ...rulesFor(['b', 'blu', 'blue'], 'blocks', PICTURE_TYPES, 2, true),
  ...rulesFor(['y', 'by', 'ry'], 'blocks', PICTURE_TYPES, -1, true),
  ...rulesFor(['a'], 'runs', TYPES, -1, true),
];

/** A rule as bytes: the suffix with its zero, one byte of flags, one byte of type. */
export function readRules(bytes: Uint8Array): ChannelRule[] {
  const cursor = new Cursor(bytes),
    rules: ChannelRule[] = [];
  while (cursor.offsetBytes < bytes.length) {
    const suffix = cursor.readName(255),
      flags = cursor.readU8(),
      type = TYPES[cursor.readU8()],
      scheme = SCHEMES[(flags >> 2) & 3],
      colour = (flags >> 4) - 1;
    if (scheme === undefined || type === undefined || colour > 2)
      throw new IvrexError('damaged', 'a DWA block has a rule that means nothing');
    rules.push({ suffix, scheme, type, colour, anyCase: (flags & 1) === 1 });
  }
  return rules;
}

export function ruleBytes(rules: readonly ChannelRule[]): Uint8Array {
  return Uint8Array.from(
    rules.flatMap((rule) => [
      ...Array.from(rule.suffix, (c) => c.charCodeAt(0)),
      0,
      ((rule.colour + 1) << 4) | (SCHEMES.indexOf(rule.scheme) << 2) | (rule.anyCase ? 1 : 0),
      TYPES.indexOf(rule.type),
    ]),
  );
}

/** Channels by how they are stored. `triples` are red, green, blue of one layer, coded together. */
export interface ChannelPlan {
  readonly triples: readonly (readonly [ChunkChannel, ChunkChannel, ChunkChannel])[];
  readonly singles: readonly ChunkChannel[];
  readonly runs: readonly ChunkChannel[];
  readonly plain: readonly ChunkChannel[];
}

export function planChannels(layout: ChunkLayout, rules: readonly ChannelRule[]): ChannelPlan {
  const schemes = new Map<ChunkChannel, Scheme>(),
    sets = new Map<string, ChunkChannel[]>();
  for (const entry of layout.channels) {
    const { layer, channel } = splitChannelName(entry.channel.name);
    const rule = rules.find(
      (r) => r.type === entry.channel.type && (r.anyCase ? r.suffix.toLowerCase() === channel.toLowerCase() : r.suffix === channel),
    );
    schemes.set(entry, rule?.scheme ?? 'plain');
    if (rule === undefined || rule.colour < 0) continue;
    const set = sets.get(layer) ?? [];
    set[rule.colour] = entry;
    sets.set(layer, set);
  }
  const triples = [...sets]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .flatMap(([, [r, g, b]]): [ChunkChannel, ChunkChannel, ChunkChannel][] =>
      r !== undefined && g !== undefined && b !== undefined && sameSampling(r, g) && sameSampling(r, b) ? [[r, g, b]] : [],
    );
  const inTriple = new Set(triples.flat());
  const ofScheme = (scheme: Scheme) => layout.channels.filter((entry) => schemes.get(entry) === scheme && !inTriple.has(entry));
  return { triples, singles: ofScheme('blocks'), runs: ofScheme('runs'), plain: ofScheme('plain') };
}

function sameSampling(a: ChunkChannel, b: ChunkChannel): boolean {
  return a.channel.xSampling === b.channel.xSampling && a.channel.ySampling === b.channel.ySampling;
}

/** The eleven numbers at the start of a block, in their order. */
export const SIZE_FIELDS = [
  'version',
  'plainBytes',
  'plainPackedBytes',
  'acPackedBytes',
  'dcPackedBytes',
  'runsPackedBytes',
  'runsBytes',
  'runsRawBytes',
  'acCount',
  'dcCount',
  'acPacking',
] as const;
export type DwaSizes = Record<(typeof SIZE_FIELDS)[number], number>;

/** The perceptual curve: a power of 2.2 up to 1, logarithmic above, odd. */
const BASE = Math.exp(2.2);

function tableOf(curve: (magnitude: number) => number): Uint16Array {
  return Uint16Array.from({ length: 65536 }, (_, h) => {
    const value = widen(h);
    return !Number.isFinite(value) ? 0 : narrow(Math.sign(value) * curve(Math.abs(value)));
  });
}

let linear: Uint16Array | null = null,
  perceptual: Uint16Array | null = null;

/** Half to half: out of the perceptual curve. */
export function toLinearTable(): Uint16Array {
  return (linear ??= tableOf((v) => (v <= 1 ? v ** 2.2 : BASE ** (v - 1))));
}

/** Half to half: into the perceptual curve. */
export function toPerceptualTable(): Uint16Array {
  return (perceptual ??= tableOf((v) => (v <= 1 ? v ** (1 / 2.2) : Math.log(v) / 2.2 + 1)));
}
