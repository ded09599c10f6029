import type { BlurPlan, CubeLut, Encoding, MotionField, PlanReport, RepairedField } from '@ivrex/core';
import type { ElementId, FrameAuditRow, PassId, PictureChoice, ShotSettings, StreakReport } from '@ivrex/contract';
import type { CompareBox, SpeedFigures } from '@ivrex/core';
import { create } from 'zustand';
import type { PreviewPicture } from '../workers/blur-preview';
import { START_COMPARE, type CompareState, type LoadedSide } from './compare-state';
import type { ShownPixels } from './data-picture';

/** `contact` is all passes at once; `difference` what the view and a still differ by; `residual` what the vectors leave unexplained. */
export type Look =
  | 'sharp'
  | 'blurred'
  | 'wipe'
  | 'directions'
  | 'speed'
  | 'residual'
  | 'pass'
  | 'contact'
  | 'difference'
  // Two pictures of choice, and where the blur can't be trusted.
  | 'compare'
  | 'trust'
  // All elements over the plate.
  | 'assembled'
  // What the blur is made from.
  | 'layers'
  | 'bends'
  | 'hidden'
  | 'slices'
  | 'frames';
export type Under = 'checker' | 'black' | 'grey' | 'plate';
export type ChannelView = 'all' | 'r' | 'g' | 'b' | 'a';

/** Where the picture lies on the canvas: canvas pixels a picture pixel, and the canvas place of the picture's corner. */
export interface Placement {
  readonly zoom: number;
  readonly x: number;
  readonly y: number;
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** The assembled picture of a frame. `isOld`: made under other settings; the one of these is on its way. */
export interface AssembledView {
  readonly frame: number;
  readonly width: number;
  readonly height: number;
  /** Interleaved premultiplied halves. */
  readonly halves: Uint16Array;
  readonly quality: 'draft' | 'final';
  readonly milliseconds: number;
  readonly isOld?: boolean;
}

export interface ViewState {
  /** The element that is worked on; null is the main one. */
  readonly element: ElementId | null;
  /** Settings as they are being dragged: they run ahead of what is kept. */
  readonly tuned: ShotSettings | null;
  /** Settings that the server has been asked to keep and has not answered yet. */
  readonly pending: ShotSettings | null;
  /** Only this element is shown in the assembled picture. */
  readonly solo: ElementId | null;
  readonly assembled: AssembledView | null;
  /** What assembling has to say about this frame. */
  readonly assemblyNotes: readonly string[];
  /** How fast each element goes in the frame that was assembled last. */
  readonly speeds: ReadonlyMap<string, SpeedFigures>;
  readonly frame: number;
  readonly playing: boolean;
  readonly look: Look;
  readonly shownPass: PassId | null;
  readonly needles: boolean;
  /** The ways of points during the exposure are drawn over the picture. */
  readonly paths: boolean;
  readonly under: Under;
  readonly channel: ChannelView;
  readonly exposure: number;
  readonly gamma: number;
  readonly saturation: number;
  /** 0 to 1 across the picture. */
  readonly wipe: number;
  /** Null: fitted to the canvas. */
  readonly placement: Placement | null;
  readonly pointer: Point | null;
  readonly pins: readonly Point[];
  /** Where the picture was clicked last, and how often: a click at the same place counts too. */
  readonly clicked: (Point & { readonly count: number }) | null;
  /** Objects of a Cryptomatte that are being chosen. */
  readonly chosen: ReadonlySet<number>;
  /** A reading of the shown picture that is being tried. */
  readonly tried: PictureChoice | null;
  /** The display table, when one is chosen and loaded. */
  readonly lut: CubeLut | null;
  readonly difference: ShownPixels | null;
  readonly residual: ShownPixels | null;
  /** The residual with the neighbour fetched back along the vectors, or as it is. */
  readonly residualWarps: boolean;
  /** A reading that is looked at while none is agreed. */
  readonly proposed: Encoding | null;
  readonly field: MotionField | null;
  /** The motion is looked at as it is stored, without its repairs, while a key or a button is held. */
  readonly unrepaired: boolean;
  /** Pixels that each repair changed in this frame. */
  readonly repaired: RepairedField['changed'];
  /** `isOld`: made under other settings; the one of these is on its way. */
  readonly blurred: (PreviewPicture & { readonly frame: number; readonly isOld?: boolean }) | null;
  readonly report: PlanReport | null;
  /** What the frame's blur is made from; null while it is not made. */
  readonly plan: BlurPlan | null;
  readonly planLook: ShownPixels | null;
  /** What is compared and how, and its two pictures as far as they are there. */
  readonly compare: CompareState;
  readonly sides: { readonly a: LoadedSide; readonly b: LoadedSide };
  /** What A and B differ by where B is blurred, dB by frame, of the frames that were looked at; of these two pictures only. */
  readonly compared: { readonly of: string; readonly byFrame: ReadonlyMap<number, number> };
  /** The other side is shown while a key is held. */
  readonly flicked: boolean;
  readonly trustLook: ShownPixels | null;
  /** Streaks of the plate at this frame, drawn over the picture. */
  readonly streaks: (StreakReport & { readonly frame: number }) | null;
  /** What the next drag over the picture draws. */
  readonly draws: 'streak' | 'region' | 'grain' | null;
  /** What is being drawn. */
  readonly drawn: CompareBox | null;
  /** The last finished box of even plate. */
  readonly grainBox: (CompareBox & { readonly count: number }) | null;
  /** The last finished line along a streak. */
  readonly streakLine: (CompareBox & { readonly count: number }) | null;
  readonly working: boolean;
  /** Why the picture or the blur can't be shown. */
  readonly problem: string | null;
  /** By frame, under the agreed encoding. */
  readonly audit: ReadonlyMap<number, FrameAuditRow>;
  set(change: Partial<Omit<ViewState, 'set'>>): void;
}

const NOTHING_COMPARED = { of: '', byFrame: new Map<number, number>() };
const NO_SIDES = { a: { status: 'none' }, b: { status: 'none' } } as const;

/** What a new shot starts with. */
const CLEAN: Omit<
  ViewState,
  'set' | 'frame' | 'needles' | 'under' | 'channel' | 'exposure' | 'gamma' | 'saturation' | 'wipe' | 'lut' | 'working'
> = {
  element: null,
  tuned: null,
  pending: null,
  solo: null,
  assembled: null,
  assemblyNotes: [],
  speeds: new Map(),
  grainBox: null,
  playing: false,
  look: 'sharp',
  paths: false,
  shownPass: null,
  pins: [],
  clicked: null,
  chosen: new Set(),
  tried: null,
  difference: null,
  residual: null,
  residualWarps: true,
  proposed: null,
  pointer: null,
  field: null,
  unrepaired: false,
  repaired: {},
  blurred: null,
  report: null,
  plan: null,
  planLook: null,
  compare: START_COMPARE,
  sides: NO_SIDES,
  compared: NOTHING_COMPARED,
  flicked: false,
  trustLook: null,
  streaks: null,
  draws: null,
  drawn: null,
  streakLine: null,
  problem: null,
  placement: null,
  audit: new Map(),
};

/** What the artist looks at. It lives as long as the page, so that changing step never reloads the picture. */
export const useView = create<ViewState>()((set) => ({
  ...CLEAN,
  frame: 0,
  needles: false,
  under: 'checker',
  channel: 'all',
  exposure: 0,
  gamma: 1,
  saturation: 1,
  wipe: 0.5,
  lut: null,
  working: false,
  set: (change) => set(change),
}));

/** A new shot starts from a clean view; how pictures are looked at stays. */
export function resetView(frame: number): void {
  useView.setState({ ...CLEAN, frame });
}

export function isViewNeutral(s: Pick<ViewState, 'exposure' | 'gamma' | 'saturation' | 'channel'>): boolean {
  return s.exposure === 0 && s.gamma === 1 && s.saturation === 1 && s.channel === 'all';
}
