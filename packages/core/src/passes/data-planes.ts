import { rankPlanes } from './cryptomatte';

/** A channel of a data pass under its short name. */
export interface NamedPlane {
  readonly name: string;
  readonly data: Float32Array;
}

/** Whether channels are the ranks of a Cryptomatte ("00.R" ...). */
export function areRanks(names: readonly string[]): boolean {
  return names.some((name) => name.startsWith('00.'));
}

/** The channels that `objectIds` reads: the first pair of a Cryptomatte, else the first channel. */
export function idNames(names: readonly string[]): readonly string[] {
  return areRanks(names) ? names.filter((name) => /^00\.[rg]/i.test(name)) : names.slice(0, 1);
}

/**
 * One object a pixel. Ids as they are stored; of a Cryptomatte the bits of the id that covers most, which are the same number in every frame,
 * and 0 where nothing covers.
 */
export function objectIds(planes: readonly NamedPlane[]): Float32Array | Uint32Array {
  if (!areRanks(planes.map((p) => p.name))) return planes[0].data;
  const { ids, coverages } = rankPlanes(planes);
  return Uint32Array.from(ids[0] ?? [], (id, i) => (coverages[0][i] > 0 ? id : 0));
}
