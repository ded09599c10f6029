import type { SpeedLimits } from '../../shutter/shutter-plan';
import { planReach, type Shutter } from '../../shutter/shutter';
import type { BlurPlan, BlurQuality, OpenSlices, PathChoice, PlanReport } from '../model/blur-plan';
import { BLOCK_PX, overExposure, type FrameMix, type MixedPlan, type NeighbourPlan } from '../model/frame-mix';
import { foreseePair, mixOf, partsOf, type ForeseenPair } from './shares';

/** What decides whether the neighbours' blur is mixed into a frame's. */
export interface MixRequest {
  readonly bothFrames: 'auto' | 'off';
  readonly quality: BlurQuality;
  readonly shutter: Shutter;
  readonly limits: SpeedLimits | null;
  readonly path: PathChoice;
}

/** When the neighbours are whose blur is to be mixed in; a sentence where the settings do not allow it. */
export interface WantedNeighbours {
  readonly at: readonly (-1 | 1)[];
  readonly note: string | null;
}

const NONE: readonly (-1 | 1)[] = [];

/** The neighbours that the exposure goes towards: two frames can be mixed where both show what the renderer would. */
export function neighboursToMix({ bothFrames, quality, shutter, limits, path }: MixRequest): WantedNeighbours {
  if (bothFrames === 'off') return { at: NONE, note: null };
  const at = ([-1, 1] as const).filter((side) => partsOf(shutter).some(({ neighbour }) => neighbour === side));
  if (at.length === 0) return { at, note: null };
  if (quality === 'draft') return { at: NONE, note: 'A draft: the neighbouring frames are not mixed in.' };
  if (limits !== null && (limits.floorPx !== null || limits.ceilingPx !== null))
    return { at: NONE, note: 'Speeds are limited: the neighbouring frames are not mixed in, as they would not end where this one does.' };
  if (path === 'straight')
    return { at: NONE, note: 'Straight paths were chosen: the neighbouring frames are not mixed in, as theirs lead elsewhere.' };
  return { at, note: null };
}

/**
 * How a frame's blur and its neighbours' are mixed under a shutter.
 * @param there the plans of wanted neighbours that could be made; all plans have to reach a frame far
 * @param withErrors also what the mix is likely to be off by
 */
export function mixFrames(
  plan: BlurPlan,
  wanted: WantedNeighbours,
  there: readonly NeighbourPlan[],
  shutter: Shutter,
  open: OpenSlices,
  withErrors = false,
): MixedPlan {
  return mixForeseen(
    plan,
    wanted,
    there.map((neighbour) => ({ neighbour, pair: foreseePair(plan, neighbour, open, withErrors) })),
    shutter,
    open,
  );
}

/** A neighbour with what `foreseePair` found of the two. */
export interface ForeseenNeighbour {
  readonly neighbour: NeighbourPlan;
  readonly pair: ForeseenPair | null;
}

/** The same of neighbours that were held against the frame before: in a sequence the next frame asks for one of the pairs again. */
export function mixForeseen(
  plan: BlurPlan,
  wanted: WantedNeighbours,
  there: readonly ForeseenNeighbour[],
  shutter: Shutter,
  open: OpenSlices,
): MixedPlan {
  const pairs = there.flatMap(({ pair }) => pair ?? []),
    outcomes = new Map(there.map(({ neighbour: { at }, pair }): [-1 | 1, MixOutcome] => [at, pair === null ? 'otherPicture' : 'mixed'])),
    mix = mixOf(plan, pairs, shutter, open);
  return {
    plan: { ...plan, report: withMix(plan.report, wanted, outcomes, mix === null ? 0 : mixedShare(plan, mix, shutter)) },
    neighbours: there.flatMap(({ neighbour, pair }) => (pair === null ? [] : [neighbour])),
    mix,
  };
}

type MixOutcome = 'mixed' | 'missing' | 'otherPicture';

const NAMES = { '-1': 'before', '1': 'after' } as const;

/** The reach that plans are made for: neighbours that are mixed in come a whole frame's way. */
export function mixReach(wanted: WantedNeighbours, shutter: Shutter): number {
  return Math.max(planReach(shutter), wanted.at.length > 0 ? 1 : 0);
}

/** A frame's report with what was mixed in. */
function withMix(report: PlanReport, wanted: WantedNeighbours, outcomes: ReadonlyMap<-1 | 1, MixOutcome>, share: number): PlanReport {
  const notes = [...report.notes, ...(wanted.note === null ? [] : [wanted.note])],
    mixed: ('before' | 'after')[] = [];
  for (const at of wanted.at) {
    const name = NAMES[at];
    switch (outcomes.get(at) ?? 'missing') {
      case 'mixed':
        mixed.push(name);
        break;
      case 'missing':
        notes.push(
          `The frame ${name} is not there: on its side of the exposure shading and surfaces that turn stay as they are in this frame.`,
        );
        break;
      case 'otherPicture':
        notes.push(`The frame ${name} shows another picture, perhaps behind a cut: it is not mixed in.`);
    }
  }
  return { ...report, mixed, mixedShare: share, notes };
}

/** Of all that the picture shows while the shutter is open: the share that comes from the neighbours, over what is covered. */
function mixedShare({ sharp, width, height }: BlurPlan, mix: FrameMix, shutter: Shutter): number {
  const { across, values } = overExposure('shares', { width, height }, mix, shutter);
  let sum = 0,
    covered = 0;
  for (let i = 0; i < values.length; i++) {
    const x = Math.min(width - 1, (i % across) * BLOCK_PX + BLOCK_PX / 2),
      y = Math.min(height - 1, Math.floor(i / across) * BLOCK_PX + BLOCK_PX / 2),
      alpha = sharp[(y * width + x) * 4 + 3];
    covered += alpha;
    sum += alpha * values[i];
  }
  return covered === 0 ? 0 : sum / covered;
}
