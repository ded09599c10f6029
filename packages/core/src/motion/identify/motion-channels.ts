import { resizePlane } from '../../raster/resize';
import type { BeautyPictures } from './beauty-pictures';
import type { ChannelShape, StoredPass } from './stored-pass';

/** The beauty's alpha at a pass's size. */
export function alphaAt({ alpha }: BeautyPictures, pass: StoredPass): Float32Array {
  return resizePlane(alpha.data, alpha.width, alpha.height, pass.width, pass.height);
}

function isNamedAlpha(name: string): boolean {
  return /^(a|alpha)$/i.test(name.slice(name.lastIndexOf('.') + 1));
}

/** The pass's own alpha, when it is one: a channel of that name within 0 to 1 that covers something and not everything, mostly one of both. */
export function ownAlpha(pass: StoredPass): StoredPass['channels'][number] | null {
  const channel = pass.channels.find((c) => isNamedAlpha(c.name));
  if (channel === undefined) return null;
  let full = 0,
    none = 0,
    looked = 0;
  for (let i = 0; i < channel.data.length; i += 7) {
    const v = channel.data[i];
    if (!(v >= -1e-3 && v <= 1.001)) return null;
    looked++;
    if (v > 0.999) full++;
    else if (v < 1e-3) none++;
  }
  return full > 0.002 * looked && full + none > 0.6 * looked && full < looked ? channel : null;
}

/** Channels that may hold motion, and those that are 0 or 1 everywhere. `shapes`: of each frame, each channel. */
export function motionChannels(
  pass: StoredPass,
  shapes: readonly (readonly ChannelShape[])[],
  pictures: BeautyPictures,
): { readonly channels: number[]; readonly constants: number[] } {
  const alpha = ownAlpha(pass);
  const beauty = alpha === null ? null : alphaAt(pictures, pass);
  // The pass's alpha is the beauty's; where the beauty has none, one that is 0 or 1 is coverage all the same.
  const isCoverage = (c: StoredPass['channels'][number]) =>
    c === alpha && beauty !== null && (meanOff(c.data, beauty) < 0.02 || beauty.every((v) => v >= 0.999));
  const channels: number[] = [],
    constants: number[] = [];
  pass.channels.forEach((channel, k) => {
    const low = Math.min(...shapes.map((s) => s[k].min)),
      high = Math.max(...shapes.map((s) => s[k].max));
    if (shapes.some((s) => s[k].notFinite === channel.data.length) || isCoverage(channel)) return;
    if (high - low < 1e-9 && (Math.abs(low) < 1e-9 || Math.abs(low - 1) < 1e-9)) constants.push(k);
    else channels.push(k);
  });
  // Motion along one axis: the other one stays at zero.
  if (channels.length === 1) {
    const [only] = channels;
    const partner = constants.find((k) => isPair(pass.channels[only].name, pass.channels[k].name));
    if (partner !== undefined)
      return { channels: [only, partner].sort((a, b) => a - b), constants: constants.filter((k) => k !== partner) };
  }
  return { channels, constants };
}

function isPair(a: string, b: string): boolean {
  return ['rg', 'ba', 'xy', 'uv'].includes(
    [a, b]
      .map((n) => n.slice(-1).toLowerCase())
      .sort((p, q) => 'rgbaxyuv'.indexOf(p) - 'rgbaxyuv'.indexOf(q))
      .join(''),
  );
}

function meanOff(a: Float32Array, b: Float32Array): number {
  let sum = 0,
    n = 0;
  for (let i = 0; i < a.length; i += 5) {
    sum += Math.abs(a[i] - b[i]) || 0;
    n++;
  }
  return sum / n;
}
