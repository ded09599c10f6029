import { strideOf, type DepthChannel, type DepthFrame } from './depth-frame';

const BY_NAME = [/^(z|depth)$/i, /(^|[^a-z])(depth|zdepth|distance|z)([^a-z]|$)/i, /^(y|l|lum|luminance|v|value)$/i];
const ALPHA = /^a(lpha)?$/i;

/** The channel of a pass that holds depth, and why: by its name, else the first that varies; alpha only when there is nothing else. */
export function depthChannelOf(frame: DepthFrame, chosen: string | null = null): { readonly channel: DepthChannel; readonly why: string } {
  const { channels } = frame;
  const asked = channels.find((c) => c.name === chosen);
  if (asked !== undefined) return { channel: asked, why: 'it was chosen' };
  const varying = new Map(channels.map((c) => [c, varies(c, strideOf(frame))]));
  const candidates = channels.filter((c) => !ALPHA.test(c.name)),
    telling = candidates.filter((c) => varying.get(c));
  for (const pattern of BY_NAME) {
    const named = telling.find((c) => pattern.test(c.name));
    if (named !== undefined) return { channel: named, why: channels.length === 1 ? 'it is the only channel' : 'it is named for depth' };
  }
  if (telling.length > 0)
    return {
      channel: telling[0],
      why:
        channels.length === 1
          ? 'it is the only channel'
          : telling.length === 1
            ? 'it is the only one that varies'
            : 'it is the first that varies',
    };
  return { channel: candidates[0] ?? channels[0], why: 'no channel varies' };
}

function varies({ data }: DepthChannel, every: number): boolean {
  for (let i = every; i < data.length; i += every)
    if (data[i] !== data[0] && !(Number.isNaN(data[i]) && Number.isNaN(data[0]))) return true;
  return false;
}
