import type { Encoding } from './encoding';
import { rawPixels } from './encoding';

/** A first reading from channel names and types alone; what the pictures say comes with measuring. */
export interface EncodingProposal {
  readonly encoding: Encoding;
  readonly reason: string;
}

/** Raw float pixels in the channels whose names fit best; null with fewer than two channels. */
export function proposeEncoding(channels: readonly { readonly name: string; readonly type: string }[]): EncodingProposal | null {
  const names = channels.map((c) => c.name);
  const find = (...patterns: RegExp[]) => patterns.map((p) => names.find((n) => p.test(n))).find((n) => n !== undefined);
  const nextX = find(/^(next|forward|fwd).?x$/i),
    nextY = find(/^(next|forward|fwd).?y$/i);
  const previousX = find(/^(prev|previous|backward|back|bwd).?x$/i),
    previousY = find(/^(prev|previous|backward|back|bwd).?y$/i);
  const set = (x: string, y: string, to: number) => ({ x, y, length: null, covers: { from: 0, to, unit: 'frames' as const } });
  if (nextX && nextY) {
    const both = previousX !== undefined && previousY !== undefined;
    const base = rawPixels(nextX, nextY, both ? 'Raw pixels, next and previous' : 'Raw pixels to the next frame');
    const sets = both ? [set(nextX, nextY, 1), set(previousX, previousY, -1)] : base.sets;
    return {
      encoding: { ...base, sets },
      reason: `channel names say ${both ? 'next and previous' : 'next'}, and float values can hold pixels as they are`,
    };
  }
  const x = find(/^(x|u|r|dx|motionx|vx)$/i) ?? names[0],
    y = find(/^(y|v|g|dy|motiony|vy)$/i) ?? names[1];
  if (x === undefined || y === undefined || x === y) return null;
  const type = channels.find((c) => c.name === x)?.type;
  if (type === 'u8' || type === 'u16') {
    const zero = type === 'u8' ? 128 / 255 : 32768 / 65535;
    return {
      encoding: { ...rawPixels(x, y, 'Centred, full scale 64 px'), zero, fullScale: { stored: 1, equals: 64, unit: 'px' } },
      reason: `${type === 'u8' ? 8 : 16}-bit whole numbers hold no signs, so their middle should stand still; how far full scale is must be checked against the picture`,
    };
  }
  return { encoding: rawPixels(x, y), reason: `${x} and ${y} are the first two channels; float values can hold pixels as they are` };
}
