import {
  fitShutter,
  IvrexError,
  limitSpeeds,
  MATCH_REACH,
  momentsOf,
  prepareBlur,
  resizePicture,
  type GradeFit,
  type MatchLocks,
  type Moments,
  type PathChoice,
  type ShutterMatch,
  type SpeedLimits,
} from '@ivrex/core';
import { heldSharedOf } from '../host/collect';
import { loadFramePasses } from '../frames/frame-passes';
import { loadPicture } from '../frames/load-picture';
import type { FrameSources, PictureFile } from '../frames/pass-files';
import type { NodeHost } from '../host/node-host';

/** Frames that have a picture with in-render blur, and what of the shutter is known. */
export interface MatchRequest {
  readonly frames: readonly { readonly frame: number; readonly sources: FrameSources; readonly reference: PictureFile }[];
  readonly path: PathChoice;
  readonly hidden: 'auto' | 'off';
  readonly limits: SpeedLimits | null;
  readonly locks: MatchLocks;
  readonly grade: GradeFit;
}

export interface MatchResult {
  readonly match: ShutterMatch;
  readonly warnings: readonly string[];
}

/** More frames take longer and tell little more. */
export const MOST_MATCH_FRAMES = 5;

/** Those that are matched when there are more: evenly picked, the ends among them. */
export function framesToMatch(frames: readonly number[]): number[] {
  if (frames.length <= MOST_MATCH_FRAMES) return [...frames];
  return Array.from({ length: MOST_MATCH_FRAMES }, (_, i) => frames[Math.round((i * (frames.length - 1)) / (MOST_MATCH_FRAMES - 1))]);
}

/** Finds the shutter of the references. @throws IvrexError about the file that is at fault; badSetting when nothing moves */
export async function matchShutter(request: MatchRequest, host: NodeHost): Promise<MatchResult> {
  const moments: Moments[] = [],
    warnings: string[] = [];
  for (const { frame, sources, reference } of request.frames) {
    const { of, warnings: said } = await momentsOfFrame(request, frame, sources, reference, host);
    for (const text of said) if (!warnings.includes(text)) warnings.push(text);
    if (of !== null) moments.push(of);
  }
  if (moments.length === 0)
    throw new IvrexError('badSetting', 'nothing moves in these frames: without motion no shutter can be told from a reference');
  return { match: fitShutter(moments, request.locks, request.grade), warnings };
}

async function momentsOfFrame(
  { path, hidden, limits }: MatchRequest,
  frame: number,
  sources: FrameSources,
  file: PictureFile,
  host: NodeHost,
): Promise<{ of: Moments | null; warnings: readonly string[] }> {
  const passes = await loadFramePasses(sources, host);
  const reference = await loadReference(file, passes, host);
  const whole = prepareBlur({ ...passes, path, hidden, reachFrames: MATCH_REACH });
  heldSharedOf(whole);
  const plan = limits === null ? whole : limitSpeeds(whole, limits);
  const session = host.kernels.openSlices(plan.layers);
  try {
    return {
      of: momentsOf({ frame, plan, reference: reference.rgba, hasAlpha: reference.hasAlpha }, session, MATCH_REACH),
      warnings: [...passes.warnings, ...reference.warnings],
    };
  } finally {
    session.close();
  }
}

export interface ReferencePicture {
  readonly rgba: Float32Array;
  readonly hasAlpha: boolean;
  readonly warnings: readonly string[];
}

/** A picture to compare with, at the beauty's size. @throws IvrexError sizeMismatch when it has another shape */
export async function loadReference(
  file: PictureFile,
  { width, height }: { readonly width: number; readonly height: number },
  host: NodeHost,
): Promise<ReferencePicture> {
  const { rgba, hasAlpha, width: w, height: h } = await loadPicture(file, host);
  if (w === width && h === height) return { rgba, hasAlpha, warnings: [] };
  if (Math.abs(w / h / (width / height) - 1) > 0.01)
    throw new IvrexError(
      'sizeMismatch',
      `the reference is ${w} x ${h}, the beauty ${width} x ${height}: they do not show the same cut`,
      file.file,
    );
  return {
    rgba: resizePicture(rgba, w, h, width, height),
    hasAlpha,
    warnings: [`the reference is ${w} x ${h}, the beauty ${width} x ${height}: it was scaled, which softens what is compared`],
  };
}
