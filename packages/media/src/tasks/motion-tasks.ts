import {
  auditFrame,
  howMuchItTells,
  FramesToIdentify,
  IvrexError,
  orNull,
  predictRemapError,
  readMotion,
  remapFrame,
  resizePlane,
  type Attribute,
  type Encoding,
  type FrameAudit,
  type FrameToIdentify,
  type Identification,
  type MotionFact,
  type RepairStep,
  type StoredType,
  type Window,
} from '@ivrex/core';
import { aboutFile } from '../formats/image-file';
import { FileReader } from '../frames/file-reader';
import { alphaOf, loadPicture } from '../frames/load-picture';
import type { PassFile, PictureFile } from '../frames/pass-files';
import { loadStoredMotion, planesOf, typesOf, type LoadedMotion } from '../frames/motion-pass';
import type { NodeHost } from '../host/node-host';
import { saveMotion } from '../writers/write-motion';

/** What identifying one frame reads. Neighbours are null where the sequence has none. */
export interface FrameRequest {
  /** The beauty's number; null for a lone file. */
  readonly frame: number | null;
  readonly beauty: { readonly previous: PictureFile | null; readonly now: PictureFile; readonly next: PictureFile | null };
  readonly motion: { readonly previous: PassFile | null; readonly now: PassFile; readonly next: PassFile | null };
}

/** Frames of one pass. Of more than `take` those are looked at whose vectors can tell most; their evidence is added up. Facts are about the first. */
export interface IdentifyRequest {
  readonly frames: readonly FrameRequest[];
  readonly take: number;
  readonly fps: number | null;
  readonly facts: readonly MotionFact[];
  /** Encodings that were saved for passes like this one. */
  readonly known?: readonly Encoding[];
}

/** @throws IvrexError about the file that is at fault; of several frames those that can't be read are left out, and so are such neighbours */
export async function identifyMotion({ frames, take, fps, facts, known }: IdentifyRequest, host: NodeHost): Promise<Identification> {
  const reader = new FileReader(host);
  const ordered = frames.length > take ? await theTellingFirst(frames, take, reader) : frames;
  const opened = new FramesToIdentify(host.kernels);
  let first: LoadedMotion | null = null,
    count = 0,
    bytes = 0,
    refused: IvrexError | null = null;
  try {
    for (const frame of ordered) {
      if (count >= take || bytes > MOST_BYTES) break;
      try {
        const own = await loadFrame(frame, host, reader);
        // A pass is one encoding over its sequence: a file of other channels is another pass.
        if (first !== null && !sameChannels(own.now, first)) continue;
        opened.add(own);
        first ??= own.now;
        count++;
        bytes += bytesOf(own);
      } catch (error) {
        if (!(error instanceof IvrexError)) throw error;
        refused ??= error;
      }
    }
    if (first === null) throw refused ?? new TypeError('no frame to identify');
    return opened.identify({ fps: fps ?? first.fps, pixelAspect: first.pixelAspect, facts, known });
  } finally {
    opened.close();
  }
}

/** Frames are added until so much was read: of 960 x 540 five, of 4K one. */
const MOST_BYTES = 500e6;

function bytesOf({ beauty, now, next, previous }: FrameToIdentify): number {
  const pictures = [beauty.now, beauty.next, beauty.previous].reduce((sum, p) => sum + (p?.byteLength ?? 0), 0);
  return [now, next, previous].reduce((sum, pass) => sum + (pass?.channels.reduce((n, c) => n + c.data.byteLength, 0) ?? 0), pictures);
}

/**
 * Of as many parts of the sequence the frame of each whose pass tells most, the best first; then the others, should one of those be broken. Files that can't be
 * read tell nothing.
 */
async function theTellingFirst(frames: readonly FrameRequest[], take: number, reader: FileReader): Promise<FrameRequest[]> {
  const told: { readonly frame: FrameRequest; readonly tells: number; readonly part: number }[] = [];
  for (const [k, frame] of frames.entries()) {
    const pass = await orNull(() => loadStoredMotion(frame.motion.now, null, reader));
    const isBetween = frame.beauty.previous !== null && frame.beauty.next !== null;
    told.push({
      frame,
      tells: pass === null ? -1 : howMuchItTells(pass) * (isBetween ? 1 : 0.5),
      part: Math.floor((k * take) / frames.length),
    });
  }
  told.sort((a, b) => b.tells - a.tells);
  const isBest = (t: (typeof told)[number]) => told.find((o) => o.part === t.part) === t;
  return [...told.filter(isBest), ...told.filter((t) => !isBest(t))].map((t) => t.frame);
}

function sameChannels(a: LoadedMotion, b: LoadedMotion): boolean {
  return a.width === b.width && a.height === b.height && a.channels.map((c) => c.name).join() === b.channels.map((c) => c.name).join();
}

async function loadFrame(
  { frame, beauty, motion }: FrameRequest,
  host: NodeHost,
  reader: FileReader,
): Promise<FrameToIdentify & { readonly now: LoadedMotion }> {
  const now = await loadPicture(beauty.now, host, reader);
  // A broken or missing file beside the frame costs evidence, not the answer.
  const beside = async (file: PictureFile | null) => {
    if (file === null) return null;
    const picture = await orNull(() => loadPicture(file, host, reader));
    return picture !== null && picture.width === now.width && picture.height === now.height ? picture.rgba : null;
  };
  const own = await loadStoredMotion(motion.now, null, reader);
  const other = async (file: PassFile | null) => {
    const pass = file === null ? null : await orNull(() => loadStoredMotion(file, null, reader));
    return pass !== null && sameChannels(pass, own) ? pass : null;
  };
  return {
    frame,
    beauty: {
      width: now.width,
      height: now.height,
      now: now.rgba,
      next: await beside(beauty.next),
      previous: await beside(beauty.previous),
    },
    now: own,
    next: await other(motion.next),
    previous: await other(motion.previous),
  };
}

export interface AuditRequest {
  readonly motion: PassFile;
  readonly encoding: Encoding;
  readonly fps: number | null;
  /** For passes that borrow the beauty's alpha. */
  readonly beauty: PictureFile | null;
}

export interface AuditResult extends FrameAudit {
  readonly width: number;
  readonly height: number;
}

export async function auditMotion({ motion, encoding, fps, beauty }: AuditRequest, host: NodeHost): Promise<AuditResult> {
  const reader = new FileReader(host);
  const stored = await loadStoredMotion(motion, encoding, reader);
  const borrows = encoding.premultiplied && encoding.alpha === null;
  const beautyAlpha = await coverageOf(stored, borrows ? beauty : null, host, reader);
  const { width, height } = stored;
  const audit = await aboutFile(motion.file, () =>
    Promise.resolve(
      auditFrame({ planes: planesOf(stored), width, height, fps: fps ?? stored.fps, beautyAlpha }, encoding, typesOf(stored)),
    ),
  );
  return { ...audit, width, height };
}

/** The beauty's alpha at the pass's size; null when there is none, or nobody asked for it. */
async function coverageOf(
  stored: LoadedMotion,
  beauty: PictureFile | null,
  host: NodeHost,
  reader: FileReader,
): Promise<Float32Array | null> {
  if (beauty === null) return null;
  const picture = await loadPicture(beauty, host, reader);
  if (!picture.hasAlpha) return null;
  return resizePlane(alphaOf(picture.rgba), picture.width, picture.height, stored.width, stored.height);
}

export interface RemapRequest {
  readonly motion: PassFile;
  readonly from: Encoding;
  /** What is mended on the way. */
  readonly repairs?: readonly RepairStep[];
  readonly to: Encoding;
  /** Null: the type of the source's first channel, or what the format usually holds. */
  readonly type: StoredType | null;
  readonly fps: number | null;
  readonly beauty: PictureFile | null;
  readonly out: string;
  /** Layer of the written channels; "" writes them plain. */
  readonly layer: string;
}

export interface RemapResult {
  readonly type: StoredType;
  readonly predictedErrorPx: number;
  readonly maxErrorPx: number;
  readonly clippedPixels: number;
  readonly invalidPixels: number;
}

/** One frame's motion in another encoding, before it is written. */
export interface EncodedAnew extends RemapResult {
  readonly planes: ReadonlyMap<string, Float32Array>;
  readonly displayWindow: Window;
  readonly attributes: ReadonlyMap<string, Attribute>;
}

/** Reads one frame, encodes it anew, measures what that lost. `usual` is the type when none is asked for. */
export async function encodeMotionAnew(
  request: Omit<RemapRequest, 'out' | 'layer'>,
  usual: (stored: LoadedMotion) => StoredType,
  host: NodeHost,
): Promise<EncodedAnew> {
  const { from, to, repairs = [] } = request;
  const reader = new FileReader(host);
  const stored = await loadStoredMotion(request.motion, from, reader);
  // Repairs only look at the alpha: a frame whose beauty can't be read is written without.
  const needsAlpha = (from.premultiplied && from.alpha === null) || to.premultiplied || to.alpha !== null;
  const loadCoverage = () => coverageOf(stored, request.beauty, host, reader);
  const coverage = needsAlpha ? await loadCoverage() : await orNull(loadCoverage);
  const { width, height } = stored,
    fps = request.fps ?? stored.fps;
  return aboutFile(request.motion.file, () => {
    const { field } = readMotion(
      { planes: planesOf(stored), width, height, fps, beautyAlpha: coverage },
      typesOf(stored),
      from,
      repairs,
      coverage,
    );
    const type = request.type ?? usual(stored);
    const own = from.alpha === null ? null : (stored.channels.find((c) => c.name === from.alpha)?.data ?? null);
    const alpha = to.premultiplied || to.alpha !== null ? (own ?? coverage) : null;
    let range = 0;
    for (let i = 0; i < field.toNext.length; i++) range = Math.max(range, Math.abs(field.toNext[i]), Math.abs(field.toPrevious[i]));
    const predictedErrorPx = predictRemapError(to, type, range, { width, height, fps });
    const { planes, maxErrorPx, clippedPixels, invalidPixels } = remapFrame(field, to, type, fps, alpha);
    const { displayWindow, attributes } = stored;
    return Promise.resolve({ type, predictedErrorPx, maxErrorPx, clippedPixels, invalidPixels, planes, displayWindow, attributes });
  });
}

/** The same, written. The source is only read. */
export async function remapMotion(request: RemapRequest, host: NodeHost): Promise<RemapResult> {
  const { out, layer } = request;
  const { planes, displayWindow, attributes, ...result } = await encodeMotionAnew(request, (stored) => usualType(out, stored), host);
  await aboutFile(request.motion.file, () => saveMotion(out, { planes, displayWindow, type: result.type, layer, attributes }, host));
  return result;
}

function usualType(out: string, stored: LoadedMotion): StoredType {
  if (!/\.exr$/i.test(out)) return 'u16';
  return stored.channels[0]?.type === 'half' ? 'half' : 'float';
}
