import { rankPlanes } from './cryptomatte';
import { wholeIds } from './whole-ids';

/** A channel of a data pass under its short name. */
export interface NamedPlane {
  readonly name: string;
  readonly data: Float32Array;
}

/** Alpha says what is covered: it is data only when there is nothing else. */
export const ALPHA_NAME = /^a(lpha)?$/i;

const ID_NAME = /^(id|ids|index|(object|obj|material|mat)_?(id|ids|index)?)$/i;

/** Whether channels are the ranks of a Cryptomatte ("00.R" ...). */
export function areRanks(names: readonly string[]): boolean {
  return names.some((name) => name.startsWith('00.'));
}

/** The channels that `objectIds` reads: the first pair of a Cryptomatte, else all but alpha. */
export function idNames(names: readonly string[]): readonly string[] {
  if (areRanks(names)) return names.filter((name) => /^00\.[rg]/i.test(name));
  const data = names.filter((name) => !ALPHA_NAME.test(name));
  return data.length === 0 ? names : data;
}

/** The channels that hold ids, and in words why these. */
export interface IdChannels {
  readonly names: readonly string[];
  readonly why: string;
}

/**
 * A channel by its name, else what varies: one of equal channels, or several together where every object has a colour of its own.
 * @param chosen the channel, when somebody knows
 */
export function idChannelsOf(planes: readonly NamedPlane[], chosen: string | null = null): IdChannels {
  const names = planes.map((p) => p.name);
  if (areRanks(names)) return { names: idNames(names), why: 'a Cryptomatte' };
  if (chosen !== null && names.includes(chosen)) return { names: [chosen], why: 'it was chosen' };
  const readable = idNames(names),
    candidates = planes.filter((p) => readable.includes(p.name)),
    telling = candidates.filter(({ data }) => varies(data));
  const named = telling.find((p) => ID_NAME.test(p.name));
  if (named !== undefined) return { names: [named.name], why: 'it is named for ids' };
  if (telling.length === 0) return { names: [candidates[0].name], why: 'no channel varies' };
  const [first, ...others] = telling;
  const different = others.filter(({ data }) => !areEqual(data, first.data));
  if (different.length === 0)
    return {
      names: [first.name],
      why:
        candidates.length === 1
          ? 'it is the only channel'
          : telling.length === 1
            ? 'it is the only one that varies'
            : 'all that vary are equal',
    };
  // Channels such as "position.x" are no colours: only a picture's own make one id together.
  const colours = telling.filter((p) => /^(r|g|b|red|green|blue)$/i.test(p.name));
  return colours.length < 2
    ? { names: [first.name], why: 'it is the first that varies' }
    : { names: colours.map((p) => p.name), why: 'every object has a colour of its own' };
}

function varies(data: Float32Array): boolean {
  for (let i = 1; i < data.length; i++) if (data[i] !== data[0] && !(Number.isNaN(data[i]) && Number.isNaN(data[0]))) return true;
  return false;
}

function areEqual(a: Float32Array, b: Float32Array): boolean {
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i] && !(Number.isNaN(a[i]) && Number.isNaN(b[i]))) return false;
  return true;
}

/**
 * One object a pixel: as it is stored, edges that a filter mixed given back to their objects; of several channels one number for each colour; of a
 * Cryptomatte the bits of the id that covers most. The same number is the same object in every frame; 0 where nothing is.
 * @param width of the planes, pixels
 */
export function objectIds(planes: readonly NamedPlane[], width: number, chosen: string | null = null): Float32Array | Uint32Array {
  const { names } = idChannelsOf(planes, chosen);
  if (areRanks(names)) {
    const { ids, coverages } = rankPlanes(planes);
    return Uint32Array.from(ids[0] ?? [], (id, i) => (coverages[0][i] > 0 ? id : 0));
  }
  const used = names.flatMap((name) => planes.find((p) => p.name === name)?.data ?? []);
  const whole = used.map((data) => wholeIds(data, width));
  return whole.length === 1 ? whole[0] : colourIds(whole);
}

/** The bits of all channels in one number (FNV-1a, 32 bits); 0 where all are 0. Ids beyond 2^24 colours may rarely meet. */
function colourIds(channels: readonly Float32Array[]): Uint32Array {
  const bits = channels.map((c) => new Uint32Array(c.buffer, c.byteOffset, c.length));
  return Uint32Array.from(bits[0], (_, i) => {
    if (channels.every((c) => c[i] === 0)) return 0;
    let hash = 0x811c9dc5;
    for (const plane of bits) for (let shift = 0; shift < 32; shift += 8) hash = Math.imul(hash ^ ((plane[i] >>> shift) & 255), 0x01000193);
    return hash >>> 0;
  });
}
