import { IvrexError } from '../errors';
import type { StoredDepth } from './decode-depth';
import type { DepthEncoding } from './depth-encoding';
import type { DepthChannel } from './depth-frame';
import { cameraOfPositions, distancesOf, type StoredPositions } from './position-depth';

/** The channels that an encoding reads. */
export function depthChannelNames({ channel, position }: Pick<DepthEncoding, 'channel' | 'position'>): readonly string[] {
  return position ?? [channel];
}

/**
 * What `decodeDepth` reads of a pass: its channel; of positions their distances. Null when the pass has not these channels, or when no camera can be
 * found that shows its positions where they are.
 */
export function storedDepth(channels: readonly DepthChannel[], width: number, encoding: DepthEncoding): StoredDepth | null {
  const named = depthChannelNames(encoding).flatMap((name) => channels.find((c) => c.name === name) ?? []);
  if (encoding.position === null) return named.length === 1 ? { ...named[0], width } : null;
  const positions = positionsOf(named, width);
  if (positions === null) return null;
  const camera = cameraOfPositions(positions, encoding.nothing);
  if (camera !== null) return { type: 'float', width, data: distancesOf(positions, camera, encoding.nothing) };
  // A frame in which nothing is to be seen has no camera, and needs none.
  const isEmpty = positions.planes.every(({ data }) => data.every((v) => encoding.nothing.includes(v) || v - v !== 0));
  return isEmpty ? { type: 'float', width, data: new Float32Array(named[0].data.length).fill(NaN) } : null;
}

export function positionsOf(named: readonly DepthChannel[], width: number): StoredPositions | null {
  const [a, b, c] = named;
  return named.length === 3 ? { width, planes: [a, b, c] } : null;
}

/** Said where positions can't be used. */
export const NO_CAMERA = 'no camera shows its positions where they are stored; depth is not used in this frame';

export function noSuchChannel(encoding: DepthEncoding, there: readonly string[], file?: string): IvrexError {
  const wanted = depthChannelNames(encoding).map((name) => `"${name}"`);
  return new IvrexError(
    'missingChannel',
    `depth is read from channel ${wanted.join(', ')}, but the pass has ${there.join(', ')}; choose another channel`,
    file,
  );
}
