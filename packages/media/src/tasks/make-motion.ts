import {
  deriveMotion,
  decodeSceneVelocity,
  encodeExr,
  estimateMotion,
  IvrexError,
  NO_CAMERA,
  proveMotion,
  rawPixels,
  readMotion,
  resizeMotionField,
  type Attribute,
  type Camera,
  type DepthEncoding,
  type DepthKind,
  type Encoding,
  type MotionField,
  type Plane,
  type Proof,
  type RepairStep,
  type SceneVelocity,
  type Surface,
} from '@ivrex/core';
import { writeFileAtomic } from '../files/atomic-write';
import { detectDepthPass, loadDepth, otherSize } from '../frames/depth-pass';
import { FileReader } from '../frames/file-reader';
import { alphaOf, loadPicture, type Picture } from '../frames/load-picture';
import type { DepthFile, PassFile, PictureFile } from '../frames/pass-files';
import { aboutFile } from '../formats/image-file';
import { shortName, channelsInLayer } from '../formats/layers';
import { loadStoredMotion, planesOf, typesOf } from '../frames/motion-pass';
import type { NodeHost } from '../host/node-host';

/** Where motion can come from when a render brought no pass of it, or one that is of no use. */
export type MotionSource =
  | {
      readonly kind: 'camera';
      readonly cameras: { readonly previous: Camera; readonly now: Camera; readonly next: Camera };
      readonly surface: SurfaceSource;
      /** Surfaces that move by themselves: a pass of space camera or world. */
      readonly velocity: { readonly pass: PassFile; readonly encoding: Encoding } | null;
      readonly fps: number | null;
    }
  | { readonly kind: 'pictures' }
  | {
      readonly kind: 'render';
      readonly motion: PassFile;
      readonly encoding: Encoding;
      readonly repairs: readonly RepairStep[];
      readonly fps: number | null;
      /** The other render's beauty, for passes that borrow its alpha. */
      readonly beauty: PictureFile | null;
    };
export type SurfaceSource =
  /** `auto` takes what fits the pictures better. */
  | { readonly kind: 'depth'; readonly pass: DepthFile; readonly measured: DepthKind | 'auto' }
  | { readonly kind: 'position'; readonly pass: PassFile }
  | { readonly kind: 'card'; readonly distance: number; readonly facing: Camera };

export interface MakeMotionRequest {
  /** Neighbours may be null; estimating needs one. */
  readonly beauty: { readonly previous: PictureFile | null; readonly now: PictureFile; readonly next: PictureFile | null };
  readonly source: MotionSource;
  /** Null: only tried and held against the pictures. Else an OpenEXR file. */
  readonly out: string | null;
  /** What the written header says about it. */
  readonly comment: string;
}

export interface MadeMotion {
  /** Null without a neighbouring frame, and when writing. */
  readonly proof: Proof | null;
  readonly peakPx: number;
  /** Share of the covered pixels that have a vector, 0 to 1. */
  readonly reached: number;
  /** Estimated motion: share of the vectors that were found both ways. Null otherwise. */
  readonly trusted: number | null;
  /** Which way depth was read. */
  readonly depthKind: DepthKind | null;
  /** How depth is stored, as it was given or measured. */
  readonly depthEncoding: DepthEncoding | null;
  /** With world positions: how far beside their pixels the camera sees them, pixels. */
  readonly offByPx: number | null;
}

/** What `makeMotion` writes: two sets of float pixels, and for estimated motion how far each is to be trusted. */
export const MADE_ENCODING: Encoding = {
  ...rawPixels('nextX', 'nextY', 'Raw pixels, to next and previous'),
  sets: [
    { x: 'nextX', y: 'nextY', length: null, covers: { from: 0, to: 1, unit: 'frames' } },
    { x: 'prevX', y: 'prevY', length: null, covers: { from: 0, to: -1, unit: 'frames' } },
  ],
};

/** @throws IvrexError about the file that is at fault */
export async function makeMotion(request: MakeMotionRequest, host: NodeHost): Promise<MadeMotion> {
  const reader = new FileReader(host);
  const now = await loadPicture(request.beauty.now, host, reader);
  const proves = request.out === null;
  const beside = async (file: PictureFile | null) => {
    if (file === null || !(proves || request.source.kind === 'pictures' || isUndecided(request.source))) return null;
    const picture = await loadPicture(file, host, reader);
    if (picture.width !== now.width || picture.height !== now.height)
      throw new IvrexError(
        'sizeMismatch',
        `this frame is ${picture.width} x ${picture.height}, the one beside it ${now.width} x ${now.height}`,
        file.file,
      );
    return picture.rgba;
  };
  const pictures: Pictures = {
    ...now,
    now: now.rgba,
    next: await beside(request.beauty.next),
    previous: await beside(request.beauty.previous),
    coverage: now.hasAlpha ? alphaOf(now.rgba) : null,
  };
  const made = await fieldOf(request.source, pictures, reader, request.beauty.now);
  const { valid } = made.field;
  let covered = 0,
    reached = 0,
    peak = 0;
  for (let i = 0; i < valid.length; i++) {
    if (pictures.coverage !== null && !(pictures.coverage[i] > 0)) continue;
    covered++;
    reached += valid[i];
    for (const v of [made.field.toNext, made.field.toPrevious]) peak = Math.max(peak, v[i * 2] ** 2 + v[i * 2 + 1] ** 2);
  }
  if (request.out !== null) await save(request.out, made, now, request.comment, host);
  return {
    proof: proves ? proveMotion(pictures, made.field) : null,
    peakPx: Math.sqrt(peak),
    reached: covered === 0 ? 0 : reached / covered,
    trusted: made.trust === null ? null : made.trust.reduce((n, t) => n + (t > 0.5 ? 1 : 0), 0) / Math.max(1, reached),
    depthKind: made.depthKind,
    depthEncoding: made.depthEncoding,
    offByPx: made.offByPx,
  };
}

interface Pictures {
  readonly width: number;
  readonly height: number;
  readonly now: Float32Array;
  readonly next: Float32Array | null;
  readonly previous: Float32Array | null;
  readonly coverage: Float32Array | null;
}

interface Made {
  readonly field: MotionField;
  readonly trust: Float32Array | null;
  readonly depthKind: DepthKind | null;
  readonly depthEncoding: DepthEncoding | null;
  readonly offByPx: number | null;
}

function isUndecided(source: MotionSource): boolean {
  return source.kind === 'camera' && source.surface.kind === 'depth' && source.surface.measured === 'auto';
}

async function fieldOf(source: MotionSource, pictures: Pictures, reader: FileReader, beauty: PictureFile): Promise<Made> {
  const plain = { trust: null, depthKind: null, depthEncoding: null, offByPx: null };
  switch (source.kind) {
    case 'pictures':
      if (pictures.next === null && pictures.previous === null)
        throw new IvrexError('missingFrame', 'motion can only be estimated where the frame before or after is there', beauty.file);
      return { ...plain, ...estimateMotion(pictures, pictures.coverage) };
    case 'render':
      return { ...plain, field: await borrowed(source, pictures, reader) };
    case 'camera':
      return derived(source, pictures, reader, beauty);
  }
}

async function borrowed(source: MotionSource & { kind: 'render' }, { width, height }: Pictures, reader: FileReader): Promise<MotionField> {
  const { motion, encoding, repairs } = source;
  const stored = await loadStoredMotion(motion, encoding, reader);
  let coverage: Float32Array | null = null;
  if (source.beauty !== null) {
    const picture = await loadPicture(source.beauty, reader.host, reader);
    if (picture.hasAlpha && picture.width === stored.width && picture.height === stored.height) coverage = alphaOf(picture.rgba);
  }
  return aboutFile(motion.file, () => {
    const planes = {
      planes: planesOf(stored),
      width: stored.width,
      height: stored.height,
      fps: source.fps ?? stored.fps,
      beautyAlpha: coverage,
    };
    const { field } = readMotion(planes, typesOf(stored), encoding, repairs, coverage);
    return Promise.resolve(resizeMotionField(field, width, height));
  });
}

async function derived(
  source: MotionSource & { kind: 'camera' },
  pictures: Pictures,
  reader: FileReader,
  beauty: PictureFile,
): Promise<Made> {
  const { cameras, surface } = source;
  const velocity = await velocityOf(source, reader);
  const derive = (of: Surface) => deriveMotion({ ...pictures, ...cameras, surface: of, velocity });
  if (surface.kind === 'card') return { ...derive(surface), trust: null, depthKind: null, depthEncoding: null };
  return aboutFile(surface.pass.file, async () => {
    if (surface.kind === 'position') {
      const [x, y, z] = await positionPlanes(surface.pass, pictures, reader);
      return { ...derive({ kind: 'position', x, y, z }), trust: null, depthKind: null, depthEncoding: null };
    }
    const encoding = surface.pass.encoding ?? (await depthInUnits(surface.pass, beauty, reader.host));
    const depth = await loadDepth(surface.pass, encoding, pictures, reader, 'exact');
    if (depth === null) throw new IvrexError('badSetting', NO_CAMERA);
    const kinds: DepthKind[] = surface.measured === 'auto' ? ['alongView', 'fromEye'] : [surface.measured];
    const tried = kinds.map((measured) => ({ measured, made: derive({ kind: 'depth', depth, measured }) }));
    // Along the view axis is usual: the other one must fit better to be taken.
    const misfit = ({ made }: (typeof tried)[number]) => (tried.length === 1 ? 0 : (proveMotion(pictures, made.field)?.after ?? 0));
    const best = tried.reduce((a, b) => (misfit(b) < 0.98 * misfit(a) ? b : a));
    return { ...best.made, trust: null, depthKind: best.measured, depthEncoding: encoding };
  });
}

/** Measured; motion needs distances in scene units. @throws IvrexError badSetting */
async function depthInUnits(pass: DepthFile, beauty: PictureFile, host: NodeHost): Promise<DepthEncoding> {
  const found = await detectDepthPass({ frames: [{ beauty, depth: pass, motion: null }], encoding: null, fps: null }, host);
  if (found === null || !found.isDepth)
    throw new IvrexError(
      'badSetting',
      `this is not a depth pass: ${found?.issues.find((i) => i.code === 'notDepth')?.message ?? ''} Choose another`,
    );
  if (found.issues.some((i) => i.code === 'relativeDepth'))
    throw new IvrexError(
      'badSetting',
      'depth is stored without its scale, and motion needs distances in scene units; give its depth encoding with "zero" and "scale"',
    );
  return found.encoding;
}

async function velocityOf({ velocity, fps }: MotionSource & { kind: 'camera' }, reader: FileReader): Promise<SceneVelocity | null> {
  if (velocity === null) return null;
  const stored = await loadStoredMotion(velocity.pass, velocity.encoding, reader);
  return aboutFile(velocity.pass.file, () =>
    Promise.resolve(
      decodeSceneVelocity(
        { planes: planesOf(stored), width: stored.width, height: stored.height, fps: fps ?? stored.fps, beautyAlpha: null },
        velocity.encoding,
      ),
    ),
  );
}

/** x, y, z by name, else red, green, blue, else the first three channels. */
async function positionPlanes(pass: PassFile, { width, height }: Pictures, reader: FileReader): Promise<Float32Array[]> {
  const { header } = await reader.open(pass.file);
  const names = channelsInLayer(header, pass);
  const byShort = (wanted: string) => names.find((n) => shortName(header, pass, n).toLowerCase() === wanted);
  const named = (list: readonly string[]) => {
    const found = list.map(byShort).filter((n) => n !== undefined);
    return found.length === list.length ? found : null;
  };
  const chosen = named(['x', 'y', 'z']) ?? named(['r', 'g', 'b']) ?? names.slice(0, 3);
  if (chosen.length < 3)
    throw new IvrexError('missingChannel', `world positions need three channels; layer "${pass.layer}" has ${names.join(', ')}`);
  const loaded = await reader.planes(pass, chosen);
  if (loaded.width !== width || loaded.height !== height) throw otherSize(loaded, { width, height });
  return chosen.map((name) => loaded.planes.get(name) ?? new Float32Array(width * height));
}

async function save(
  out: string,
  { field, trust }: Made,
  { displayWindow, attributes }: Picture,
  comment: string,
  host: NodeHost,
): Promise<void> {
  const count = field.valid.length;
  const plane = (name: string, vectors: Float32Array, axis: 0 | 1): Plane => ({
    name,
    type: 'float',
    data: Float32Array.from({ length: count }, (_, i) => vectors[i * 2 + axis]),
  });
  const planes = [
    plane('nextX', field.toNext, 0),
    plane('nextY', field.toNext, 1),
    plane('prevX', field.toPrevious, 0),
    plane('prevY', field.toPrevious, 1),
    ...(trust === null ? [] : [{ name: 'trust', type: 'half' as const, data: trust }]),
  ];
  const kept = ['framesPerSecond', 'worldToCamera', 'worldToNDC', 'owner'];
  const header = new Map<string, Attribute>([
    ...[...attributes].filter(([name]) => kept.includes(name)),
    ['comments', { type: 'string', value: comment }],
  ]);
  const image = { displayWindow, dataWindow: displayWindow, planes };
  await writeFileAtomic(out, encodeExr(image, { compression: 'zip', attributes: header }, host));
}
