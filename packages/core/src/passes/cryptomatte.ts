import type { Attribute } from '../exr/attributes';
import { encodeText } from '../exr/cursor';

/**
 * Cryptomatte, open specification version 1.2: ids are hashes of names, stored as the bits of a float; layers "name00", "name01" ...
 * hold two (id, coverage) pairs a pixel each, the largest coverage first.
 */
export interface Cryptomatte {
  /** The text before the two digits of its layers. */
  readonly name: string;
  /** Object name to id; null when the file carries no manifest. */
  readonly manifest: ReadonlyMap<string, number> | null;
}

/** Every Cryptomatte that a header declares. A manifest that is not readable counts as missing. */
export function cryptomattesOf(attributes: ReadonlyMap<string, Attribute>): Cryptomatte[] {
  const found: Cryptomatte[] = [];
  for (const [key, { value }] of attributes) {
    const match = /^(cryptomatte\/[^/]+)\/name$/.exec(key);
    if (match === null || typeof value !== 'string') continue;
    const manifest = attributes.get(`${match[1]}/manifest`)?.value;
    found.push({ name: value, manifest: typeof manifest === 'string' ? tryParseManifest(manifest) : null });
  }
  return found;
}

function tryParseManifest(text: string): ReadonlyMap<string, number> | null {
  try {
    const parsed: unknown = JSON.parse(text);
    if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed)) return null;
    const entries = Object.entries(parsed).filter((e): e is [string, string] => typeof e[1] === 'string' && /^[0-9a-f]{1,8}$/i.test(e[1]));
    return new Map(entries.map(([name, hex]) => [name, parseInt(hex, 16) >>> 0]));
  } catch {
    return null;
  }
}

/** "name07" of "name" is rank layer 7; null for every other layer. */
export function rankOf(layer: string, name: string): number | null {
  return layer.length === name.length + 2 && layer.startsWith(name) && /^\d\d$/.test(layer.slice(-2)) ? Number(layer.slice(-2)) : null;
}

/** Id bits and coverage planes in the order of ranks. */
export interface RankPlanes {
  readonly ids: readonly Uint32Array[];
  readonly coverages: readonly Float32Array[];
}

/** Pairs from planes called "00.R" and so on (R, G then B, A in each rank layer; lower case and words are accepted). */
export function rankPlanes(planes: readonly { readonly name: string; readonly data: Float32Array }[]): RankPlanes {
  const find = (rank: string, letter: string): Float32Array | null =>
    planes.find((p) => p.name.startsWith(`${rank}.`) && p.name.slice(rank.length + 1, rank.length + 2).toUpperCase() === letter)?.data ??
    null;
  const ranks = [...new Set(planes.map((p) => p.name.slice(0, 2)))].sort();
  const ids: Uint32Array[] = [],
    coverages: Float32Array[] = [];
  for (const rank of ranks) {
    for (const [idLetter, coverageLetter] of ['RG', 'BA']) {
      const id = find(rank, idLetter),
        coverage = find(rank, coverageLetter);
      if (id === null || coverage === null) continue;
      ids.push(new Uint32Array(id.buffer, id.byteOffset, id.length));
      coverages.push(coverage);
    }
  }
  return { ids, coverages };
}

/** Coverage of the chosen ids, 0 to 1, a value a pixel. */
export function matteOf({ ids, coverages }: RankPlanes, chosen: ReadonlySet<number>): Float32Array {
  const out = new Float32Array(ids[0]?.length ?? 0);
  ids.forEach((plane, rank) => {
    for (let i = 0; i < out.length; i++) if (chosen.has(plane[i])) out[i] += coverages[rank][i];
  });
  for (let i = 0; i < out.length; i++) out[i] = Math.min(1, Math.max(0, out[i]));
  return out;
}

/** What is at a pixel, the largest coverage first; empty entries are left out. */
export function objectsAt({ ids, coverages }: RankPlanes, pixel: number): { readonly id: number; readonly coverage: number }[] {
  return ids
    .map((plane, rank) => ({ id: plane[pixel], coverage: coverages[rank][pixel] }))
    .filter(({ coverage }) => coverage > 0)
    .sort((a, b) => b.coverage - a.coverage);
}

/** The hash of a name (MurmurHash3, x86 32 bit, seed 0), with exponents of 0 and 255 avoided as the specification asks. */
export function cryptomatteId(name: string): number {
  const bytes = [...encodeText(name)];
  const rotate = (v: number, n: number) => (v << n) | (v >>> (32 - n));
  const mix = (k: number) => Math.imul(rotate(Math.imul(k, 0xcc9e2d51), 15), 0x1b873593);
  let h = 0;
  const whole = bytes.length & ~3;
  for (let i = 0; i < whole; i += 4) {
    h ^= mix(bytes[i] | (bytes[i + 1] << 8) | (bytes[i + 2] << 16) | (bytes[i + 3] << 24));
    h = (Math.imul(rotate(h, 13), 5) + 0xe6546b64) | 0;
  }
  let rest = 0;
  for (let i = bytes.length - 1; i >= whole; i--) rest = (rest << 8) | bytes[i];
  if (bytes.length > whole) h ^= mix(rest);
  h ^= bytes.length;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  h ^= h >>> 16;
  const exponent = (h >>> 23) & 255;
  if (exponent === 0 || exponent === 255) h ^= 1 << 23;
  return h >>> 0;
}
