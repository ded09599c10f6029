import {
  foreseePair,
  IvrexError,
  mixForeseen,
  prepareBlur,
  renderMixedRows,
  sharedFloats,
  treatPlan,
  type ApplySettings,
  type Attribute,
  type BlurMeasure,
  type BlurPlan,
  type DepthDetection,
  type ErrorRecord,
  type ForeseenNeighbour,
  type ForeseenPair,
  type Identification,
  type MixedPlan,
  type NeighbourPlan,
  type PathChoice,
  type Shutter,
  type Treatment,
  type WantedNeighbours,
  type Window,
} from '@ivrex/core';
import {
  assemblePicture,
  loadStillElement,
  type AssembledPicture,
  type AssembleRequest,
  type StillElement,
  type StillRequest,
} from './assemble-task';
import { heldSharedOf } from '../host/collect';
import { detectDepthPass, type DepthSources } from '../frames/depth-pass';
import { joinFrames, loadFrame, type FrameTerms, type FrameWithNeighbours, type LoadedFrame } from '../frames/frame-passes';
import type { FrameFiles, FrameSources, PassFile } from '../frames/pass-files';
import { matchShutter, type MatchRequest, type MatchResult } from './match-task';
import { makeMotion, type MadeMotion, type MakeMotionRequest } from './make-motion';
import {
  auditMotion,
  identifyMotion,
  remapMotion,
  type AuditRequest,
  type AuditResult,
  type IdentifyRequest,
  type RemapRequest,
  type RemapResult,
} from './motion-tasks';
import type { NodeHost } from '../host/node-host';
import { measureBeautyBlur, measureFile, type FileMeasure } from './measure-task';
import { loadRaster, type RasterRequest } from './raster-task';
import { saveFrame, type SavedFrame, type SaveFrameRequest } from './save-frame';
import { reportFrame, type ReportFrame, type ReportFrameRequest } from './report-task';
import { measureStreaks, type StreakRequest, type StreakResult } from './streak-task';
import type { BlurFrame } from './blur-frame';
import { trustFrame, type TrustResult } from './trust-task';

/** What a worker thread can be asked. Plain data both ways; big arrays are shared, not copied. */
export type Task =
  | { readonly kind: 'load'; readonly files: FrameFiles; readonly terms: FrameTerms }
  | {
      readonly kind: 'prepare';
      readonly sources: FrameSources;
      readonly frames: FrameWithNeighbours;
      readonly path: PathChoice;
      readonly hidden: 'auto' | 'off';
      readonly reachFrames: number;
      readonly treatment: Treatment;
    }
  | { readonly kind: 'foresee'; readonly plan: BlurPlan; readonly neighbour: NeighbourPlan }
  | {
      readonly kind: 'mix';
      readonly plan: BlurPlan;
      readonly wanted: WantedNeighbours;
      readonly there: readonly ForeseenNeighbour[];
      readonly shutter: Shutter;
    }
  | {
      readonly kind: 'rows';
      readonly mixed: MixedPlan;
      readonly settings: ApplySettings;
      readonly yFrom: number;
      readonly yTo: number;
      readonly out: Float32Array;
    }
  | { readonly kind: 'still'; readonly request: StillRequest }
  | { readonly kind: 'assemble'; readonly request: AssembleRequest }
  | { readonly kind: 'saveFrame'; readonly request: SaveFrameRequest }
  | { readonly kind: 'raster'; readonly request: RasterRequest }
  | { readonly kind: 'measure'; readonly file: string }
  | { readonly kind: 'beautyBlur'; readonly beauty: PassFile; readonly motion: PassFile }
  | { readonly kind: 'identify'; readonly request: IdentifyRequest }
  | { readonly kind: 'depth'; readonly sources: DepthSources }
  | { readonly kind: 'audit'; readonly request: AuditRequest }
  | { readonly kind: 'remap'; readonly request: RemapRequest }
  | { readonly kind: 'make'; readonly request: MakeMotionRequest }
  | { readonly kind: 'match'; readonly request: MatchRequest }
  | { readonly kind: 'trust'; readonly request: BlurFrame }
  | { readonly kind: 'streaks'; readonly request: StreakRequest }
  | { readonly kind: 'reportFrame'; readonly request: ReportFrameRequest }
  | { readonly kind: 'halves'; readonly values: Float32Array };

export interface Prepared {
  readonly plan: BlurPlan;
  readonly displayWindow: Window;
  readonly attributes: ReadonlyMap<string, Attribute>;
  readonly warnings: readonly string[];
}

export interface TaskResults {
  load: LoadedFrame;
  /** Null: another picture. */
  foresee: ForeseenPair | null;
  prepare: Prepared;
  mix: MixedPlan;
  /** The most slices used. */
  rows: number;
  still: StillElement;
  assemble: AssembledPicture;
  saveFrame: SavedFrame;
  /** The wire form of pixels, see packRaster. */
  raster: Uint8Array;
  measure: FileMeasure;
  beautyBlur: BlurMeasure | null;
  identify: Identification;
  /** Null without a depth pass. */
  depth: DepthDetection | null;
  audit: AuditResult;
  remap: RemapResult;
  make: MadeMotion;
  match: MatchResult;
  trust: TrustResult;
  streaks: StreakResult;
  reportFrame: ReportFrame;
  /** binary16 bit patterns. */
  halves: Uint16Array;
}

export type Outcome<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly error: ErrorRecord };

/** What a worker thread answers: with the time that it worked on it. */
export interface TimedOutcome {
  readonly outcome: Outcome<TaskResults[Task['kind']]>;
  readonly seconds: number;
}

/** Reading a frame makes so many times what is kept of it: files, unpacked blocks, planes. */
const READ_FOR_ONE = 3;

/** Runs one task. Errors come back as data, so that they cross threads whole. */
export async function runTask(task: Task, host: NodeHost): Promise<Outcome<TaskResults[Task['kind']]>> {
  try {
    return { ok: true, value: await perform(task, host) };
  } catch (error) {
    if (error instanceof IvrexError) return { ok: false, error: error.toRecord() };
    return { ok: false, error: { code: 'internal', message: error instanceof Error ? (error.stack ?? error.message) : String(error) } };
  }
}

async function perform(task: Task, host: NodeHost): Promise<TaskResults[Task['kind']]> {
  switch (task.kind) {
    case 'load': {
      const frame = await loadFrame(task.files, task.terms, host);
      heldSharedOf(frame, READ_FOR_ONE);
      return frame;
    }
    case 'prepare': {
      const passes = await joinFrames(task.sources, task.frames, host);
      const plan = prepareBlur({ ...passes, path: task.path, hidden: task.hidden, reachFrames: task.reachFrames });
      heldSharedOf([plan, task.frames]);
      return {
        plan: treatPlan(plan, task.treatment, passes.depth, 'final', sharedFloats, host.kernels),
        displayWindow: passes.displayWindow,
        attributes: passes.attributes,
        warnings: passes.warnings,
      };
    }
    case 'foresee': {
      const pair = foreseePair(task.plan, task.neighbour, (layers) => host.kernels.openSlices(layers));
      heldSharedOf([task.plan, task.neighbour, pair]);
      return pair;
    }
    case 'mix': {
      const mixed = mixForeseen(task.plan, task.wanted, task.there, task.shutter, (layers) => host.kernels.openSlices(layers));
      heldSharedOf([task.plan, task.there]);
      return mixed;
    }
    case 'rows': {
      const { mixed, settings, yFrom, yTo, out } = task;
      const slices = renderMixedRows(mixed, settings, yFrom, yTo, out, (layers) => host.kernels.openSlices(layers));
      heldSharedOf(mixed, (yTo - yFrom) / mixed.plan.height);
      return slices;
    }
    case 'still':
      return loadStillElement(task.request, host);
    case 'assemble':
      return assemblePicture(task.request, host);
    case 'saveFrame':
      return saveFrame(task.request, host);
    case 'raster':
      return loadRaster(task.request, host);
    case 'measure':
      return measureFile(task.file, host);
    case 'beautyBlur':
      return measureBeautyBlur(task.beauty, task.motion, host);
    case 'identify':
      return identifyMotion(task.request, host);
    case 'depth':
      return detectDepthPass(task.sources, host);
    case 'audit':
      return auditMotion(task.request, host);
    case 'remap':
      return remapMotion(task.request, host);
    case 'make':
      return makeMotion(task.request, host);
    case 'match':
      return matchShutter(task.request, host);
    case 'trust':
      return trustFrame(task.request, host);
    case 'streaks':
      return measureStreaks(task.request, host);
    case 'reportFrame':
      return reportFrame(task.request, host);
    case 'halves': {
      const out = new Uint16Array(task.values.length);
      host.kernels.floatToHalf(task.values, out);
      return out;
    }
  }
}
