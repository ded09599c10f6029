import {
  completeDepth,
  decodeDepth,
  depthChannelNames,
  detectDepth,
  IvrexError,
  NO_CAMERA,
  noSuchChannel,
  orNull,
  resizeMotionField,
  resizeNearest,
  resizePlane,
  storedDepth,
  type DepthChannel,
  type DepthDetection,
  type DepthEncoding,
  type DepthFrame,
} from '@ivrex/core';
import type { NodeHost } from '../host/node-host';
import { channelsInLayer, shortName } from '../formats/layers';
import { FileReader } from './file-reader';
import { alphaOf, loadElementPicture, type Picture } from './load-picture';
import { loadDecodedMotion } from './motion-pass';
import { depthChannels, wantChannels } from './want-channels';
import type { FrameFiles, FrameSources, PassFile } from './pass-files';

/** What detection reads: up to three frames in a row, motion where it is known how it is stored. */
export type DepthSources = Pick<FrameSources, 'shape' | 'fps'> & {
  readonly frames: readonly (Omit<FrameFiles, 'motion' | 'ids'> & { readonly motion: PassFile | null })[];
  readonly encoding: FrameSources['encoding'] | null;
  /** Null: the one that holds depth is found. */
  readonly channel?: string | null;
};

/** The frame, and those beside it that are there. */
export function depthSourcesOf(sources: FrameSources): DepthSources {
  const { previous, next, encoding, shape, fps } = sources;
  return { frames: [previous, sources, next].filter((f) => f !== null && f !== undefined), encoding, shape, fps };
}

/**
 * Measures how a depth pass is stored; null without one. Frames that can't be read, and motion that can't, are left out.
 * @throws IvrexError about the file that is at fault when no frame is left
 */
export async function detectDepthPass(sources: DepthSources, host: NodeHost): Promise<DepthDetection | null> {
  const found: DepthFrame[] = [];
  let refused: IvrexError | null = null;
  for (const files of sources.frames) {
    if (files.depth === null) continue;
    try {
      found.push(await loadFrame(files, files.depth, sources, host));
    } catch (error) {
      if (!(error instanceof IvrexError)) throw error;
      refused ??= error;
    }
  }
  if (found.length === 0 && refused !== null) throw refused;
  const alike = found.filter((f) => f.width === found[0].width && f.height === found[0].height);
  return alike.length === 0 ? null : detectDepth(alike, sources.channel);
}

async function loadFrame(
  files: DepthSources['frames'][number],
  depth: PassFile,
  { encoding, shape, fps }: DepthSources,
  host: NodeHost,
): Promise<DepthFrame> {
  const reader = new FileReader(host);
  await wantChannels({ ...files, ids: null }, encoding, reader);
  const beauty = await loadElementPicture(files, shape, reader);
  const { channels, width, height } = await loadChannels(depth, reader);
  const { motion: pass } = files;
  const motion = pass === null || encoding === null ? null : await orNull(() => loadDecodedMotion(pass, { encoding, fps }, beauty, reader));
  return {
    width,
    height,
    channels,
    alpha: beauty.hasAlpha ? resizePlane(alphaOf(beauty.rgba), beauty.width, beauty.height, width, height) : null,
    motion: motion && resizeMotionField(motion, width, height),
  };
}

/** The encoding to read with; null, with a warning, when what is stored is no depth. */
export async function usableDepth(sources: DepthSources, host: NodeHost, warnings: string[]): Promise<DepthEncoding | null> {
  return usableEncoding(await detectDepthPass(sources, host), warnings);
}

/** The same of what was found. */
export function usableEncoding(found: DepthDetection | null, warnings: string[]): DepthEncoding | null {
  if (found === null) return null;
  warnings.push(...found.issues.filter((i) => i.severity === 'warning').map((i) => `depth: ${i.message}`));
  return found.isDepth ? found.encoding : null;
}

/** Channels of the pass by their short names; only the named ones, when some are named. */
async function loadChannels(
  pass: PassFile,
  reader: FileReader,
  named: readonly string[] | null = null,
): Promise<{ channels: DepthChannel[]; width: number; height: number; inLayer: readonly string[] }> {
  const { header } = await reader.open(pass.file);
  const types = new Map(header.parts[pass.part].channels.map((c) => [c.name, c.type]));
  const inLayer = channelsInLayer(header, pass).map((name) => shortName(header, pass, name));
  const { planes, width, height } = await reader.planes(pass, depthChannels(header, pass, named));
  const channels = [...planes].map(([name, data]) => ({
    name: shortName(header, pass, name),
    type: types.get(name) ?? ('float' as const),
    data,
  }));
  return { channels, width, height, inLayer };
}

/** What is derived pixel by pixel needs a surface for each. */
export function otherSize(
  pass: { readonly width: number; readonly height: number },
  beauty: { readonly width: number; readonly height: number },
) {
  return new IvrexError(
    'sizeMismatch',
    `this pass is ${pass.width} x ${pass.height} and the beauty ${beauty.width} x ${beauty.height}; deriving motion needs one surface for each pixel`,
  );
}

/**
 * A frame's depth at the beauty's size: decoded, of its nearest pixels; `exact` refuses another size. `NaN` at filtered edges: the blur gives them to what
 * moves as they do. Null, with a warning, when positions fit no camera. @throws IvrexError missingChannel, sizeMismatch
 */
export async function loadDepth(
  pass: PassFile,
  encoding: DepthEncoding,
  beauty: Pick<Picture, 'width' | 'height'>,
  reader: FileReader,
  warnings: string[] | 'exact',
): Promise<Float32Array | null> {
  const { channels, width, height, inLayer } = await loadChannels(pass, reader, depthChannelNames(encoding));
  if (channels.length < depthChannelNames(encoding).length) throw noSuchChannel(encoding, inLayer, pass.file);
  const isSame = width === beauty.width && height === beauty.height;
  if (!isSame && warnings === 'exact') throw otherSize({ width, height }, beauty);
  if (!isSame && warnings !== 'exact')
    warnings.push(
      `${depthChannelNames(encoding).join(', ')}: ${width} x ${height}, the beauty ${beauty.width} x ${beauty.height}; its nearest pixels were taken`,
    );
  const stored = storedDepth(channels, width, encoding);
  if (stored === null) {
    if (warnings !== 'exact') warnings.push(`${pass.file}: ${NO_CAMERA}`);
    return null;
  }
  return resizeNearest(decodeDepth(stored, encoding), width, height, beauty.width, beauty.height);
}

/** Depth of a frame that does not move: a lens needs no motion. Null when what is stored is no depth. */
export async function loadStillDepth(
  files: Pick<FrameFiles, 'beauty' | 'matte' | 'depth'>,
  shape: FrameSources['shape'],
  beauty: Picture,
  reader: FileReader,
  warnings: string[],
): Promise<Float32Array | null> {
  const { depth } = files;
  if (depth === null) return null;
  const frame = { ...files, motion: null };
  const encoding = depth.encoding ?? (await usableDepth({ frames: [frame], encoding: null, shape, fps: null }, reader.host, warnings));
  if (encoding === null) return null;
  const loaded = await loadDepth(depth, encoding, beauty, reader, warnings);
  return loaded && completeDepth(loaded, beauty.width, { ids: null, motion: null });
}
