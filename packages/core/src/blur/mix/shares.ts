import type { Shutter } from '../../shutter/shutter';
import { BLOCK_PX, type FrameMix, type MixPart, type NeighbourPlan } from '../model/frame-mix';
import type { BlurPlan, OpenSlices } from '../model/blur-plan';
import { sharedFloats } from '../model/shared-floats';
import { renderRows } from '../render/apply';
import { foresee } from './foresee';
import { COVERAGE, ERROR, KNOWN, RENDERED, smallPlan } from './small-plan';

/** Parts of a frame that are weighed one by one; the exposure before the frame and that after it have two at least. */
const PARTS_A_FRAME = 4,
  LEAST_PARTS = 2;
/** How much what is known and how well the other frame is foreseen count: within 0.3 dB from 1 to 4 and from a quarter to a half (the decision record has the scenes). */
const KNOWN_POWER = 2,
  ERROR_POWER = 1 / 3;
/** Squared errors: what no plan falls below, and what is taken for one where nothing was rendered. */
const LEAST_ERROR = 1e-4,
  USUAL_ERROR = 3e-4;
/** Coverage that counts with the usual error; and below which nothing is drawn. */
const USUAL_COVERAGE = 0.1,
  LEAST_COVERAGE = 0.004,
  /** Rendered coverage below which less is expected to be off, as little of it tells. */
  LEAST_RENDERED = 0.02;
/** The weight, at a frame's own time, of errors where that frame shows nothing: it keeps fragments out (with all of the weight sparks lose 0.4 dB). */
const BESIDE = 0.1,
  /** And how much of it is expected to be left in the mix. */
  BESIDE_OFF = 0.25;
/** Shares below this, and this near to all, are none and all: the other frame is not rendered there. */
const NO_SHARE = 0.01;
/** A neighbour that is foreseen this badly and is this unlike shows something else: what lies behind a cut. Light that changes leaves it alike, noise near. */
const OTHER_PICTURE_ERROR = 0.01,
  OTHER_PICTURE_LIKENESS = 0.5;

/** Two frames that foresee each other, and how well: what mixes of them under any shutter are made of. */
export interface ForeseenPair {
  readonly at: -1 | 1;
  /** Coverage, what of it is known, and errors, in blocks: of this frame and of its neighbour. */
  readonly own: BlurPlan;
  readonly neighbour: BlurPlan;
  /** The same with errors that more was looked at for: they say how much is off, not who counts. Null: nobody asks. */
  readonly off: { readonly own: BlurPlan; readonly neighbour: BlurPlan } | null;
  /** By block: squared errors where this frame shows nothing and its neighbour's blur puts something, and the other way round. */
  readonly besideOwn: Float32Array;
  readonly besideNeighbour: Float32Array;
}

/** The same pair as the neighbour sees it. */
export function turnedRound({ at, own, neighbour, off, besideOwn, besideNeighbour }: ForeseenPair): ForeseenPair {
  return {
    at: at < 0 ? 1 : -1,
    own: neighbour,
    neighbour: own,
    off: off && { own: off.neighbour, neighbour: off.own },
    besideOwn: besideNeighbour,
    besideNeighbour: besideOwn,
  };
}

/**
 * Null when the neighbour shows another picture. Both plans have to reach a frame far.
 * @param withErrors also what says how much a mix of them is off: as much memory again, and twice the time to weigh
 */
export function foreseePair(own: BlurPlan, { at, plan }: NeighbourPlan, open: OpenSlices, withErrors = false): ForeseenPair | null {
  const ofOwn = foresee(own, at, plan, open, withErrors),
    ofNeighbour = foresee(plan, -at, own, open, withErrors);
  const isOther = [ofOwn, ofNeighbour].every(({ mean, likeness }) => mean > OTHER_PICTURE_ERROR && likeness < OTHER_PICTURE_LIKENESS);
  if (isOther) return null;
  const ownKnowsPace = own.report.changesPace,
    neighbourKnowsPace = plan.report.changesPace;
  const small = { own: smallPlan(own, ofNeighbour.errors, neighbourKnowsPace), neighbour: smallPlan(plan, ofOwn.errors, ownKnowsPace) };
  return {
    at,
    ...small,
    off:
      ofOwn.finer === null || ofNeighbour.finer === null
        ? null
        : {
            own: smallPlan(own, ofNeighbour.finer, neighbourKnowsPace, small.own),
            neighbour: smallPlan(plan, ofOwn.finer, ownKnowsPace, small.neighbour),
          },
    besideOwn: beside(own, ofNeighbour.errors),
    besideNeighbour: beside(plan, ofOwn.errors),
  };
}

/** What is off where a frame shows nothing: no layer moves it. */
function beside({ sharp, width, height }: BlurPlan, errors: Float32Array): Float32Array {
  const across = Math.ceil(width / BLOCK_PX),
    out = sharedFloats(across * Math.ceil(height / BLOCK_PX));
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0, to = Math.floor(y / BLOCK_PX) * across; x < width; to++) {
      let error = 0;
      for (const end = Math.min(width, x + BLOCK_PX); x < end; x++, i++) error += Math.max(0, 1 - sharp[i * 4 + 3]) * errors[i];
      out[to] += error / (BLOCK_PX * BLOCK_PX);
    }
  return out;
}

/**
 * What each neighbour's blur counts in each part of the exposure, place by place: by how near in time it is, by what it knows there (rendered or seen, not
 * made up), and by how well it foresees the other frame. Null when no pair has a part in it.
 */
export function mixOf(own: BlurPlan, pairs: readonly ForeseenPair[], shutter: Shutter, open: OpenSlices): FrameMix | null {
  const parts = partsOf(shutter).map((part) => (pairs.some(({ at }) => at === part.neighbour) ? part : { ...part, neighbour: 0 as const }));
  if (parts.every(({ neighbour }) => neighbour === 0)) return null;
  const width = Math.ceil(own.width / BLOCK_PX),
    height = Math.ceil(own.height / BLOCK_PX),
    blocks = width * height,
    shares = sharedFloats(parts.length * blocks),
    errors = pairs.every(({ off }) => off !== null) ? sharedFloats(parts.length * blocks) : null;
  for (const pair of pairs)
    parts.forEach((part, n) => {
      if (part.neighbour !== pair.at) return;
      const of = (plane: Float32Array) => plane.subarray(n * blocks, (n + 1) * blocks);
      weigh(pair, part, shutter, open, of(shares));
      if (errors !== null) judge(pair, part, shutter, open, of(shares), of(errors));
    });
  return { parts, shares, errors };
}

/** The exposure cut at the frame's own time, and each side of it into even parts. */
export function partsOf({ opens, closes, strength }: Pick<Shutter, 'opens' | 'closes' | 'strength'>): MixPart[] {
  const first = opens * strength,
    last = closes * strength;
  if (!(last > first)) return [{ from: 0, to: 1, neighbour: 0 }];
  const cut = Math.min(1, Math.max(0, -first / (last - first)));
  return [...evenParts(0, cut, last - first, -1), ...evenParts(cut, 1, last - first, 1)];
}

function evenParts(from: number, to: number, frames: number, neighbour: -1 | 1): MixPart[] {
  if (to <= from) return [];
  const count = Math.max(LEAST_PARTS, Math.ceil(PARTS_A_FRAME * frames * (to - from) - 1e-6)),
    edge = (n: number) => (n === count ? to : from + (n / count) * (to - from));
  return Array.from({ length: count }, (_, n) => ({ from: edge(n), to: edge(n + 1), neighbour }));
}

/** A part of the exposure: from when to when, and how near the neighbour its middle is, 0 to 1. */
function timesOf({ from, to }: MixPart, { opens, closes, strength }: Shutter): { first: number; last: number; time: number } {
  const first = strength * (opens + from * (closes - opens)),
    last = strength * (opens + to * (closes - opens));
  return { first, last, time: Math.min(1, Math.abs(first + last) / 2) };
}

/** Fills one part's shares. */
function weigh(
  { at, own, neighbour, besideOwn, besideNeighbour }: ForeseenPair,
  part: MixPart,
  shutter: Shutter,
  open: OpenSlices,
  shares: Float32Array,
): void {
  const { first, last, time } = timesOf(part, shutter),
    a = moved(own, first, last, open),
    b = moved(neighbour, first - at, last - at, open);
  for (let i = 0, k = 0; i < shares.length; i++, k += 4) {
    // What lies on this frame's pixels is how far the neighbour is off, and the other way round.
    const u = time * knownAt(b, k) ** KNOWN_POWER * (errorAt(b, k, BESIDE * time * besideNeighbour[i]) + LEAST_ERROR) ** ERROR_POWER,
      v = (1 - time) * knownAt(a, k) ** KNOWN_POWER * (errorAt(a, k, BESIDE * (1 - time) * besideOwn[i]) + LEAST_ERROR) ** ERROR_POWER;
    const share = u + v > 0 ? u / (u + v) : time;
    shares[i] = Math.min(1, Math.max(0, (share - NO_SHARE) / (1 - 2 * NO_SHARE)));
  }
}

/** Fills one part's errors. Either frame is off the more the further it is from its own time; two that are off differently make up for each other in part. */
function judge(
  { at, off, besideOwn, besideNeighbour }: ForeseenPair,
  part: MixPart,
  shutter: Shutter,
  open: OpenSlices,
  shares: Float32Array,
  errors: Float32Array,
): void {
  if (off === null) return;
  const { first, last, time } = timesOf(part, shutter),
    a = moved(off.own, first, last, open),
    b = moved(off.neighbour, first - at, last - at, open);
  for (let i = 0, k = 0; i < shares.length; i++, k += 4)
    errors[i] = Math.hypot(
      (1 - shares[i]) * time * (lightOff(b, k) + BESIDE_OFF * Math.sqrt(besideNeighbour[i])),
      shares[i] * (1 - time) * (lightOff(a, k) + BESIDE_OFF * Math.sqrt(besideOwn[i])),
    );
}

/** What a small plan holds, averaged over a part of the exposure. */
function moved(plan: BlurPlan, opens: number, closes: number, open: OpenSlices): Float32Array {
  const out = new Float32Array(plan.width * plan.height * 4),
    session = open(plan.layers);
  try {
    renderRows(plan, session, { shutter: { opens, closes, strength: 1 }, quality: 'draft', samples: 'auto' }, 0, plan.height, out);
  } finally {
    session.close();
  }
  return out;
}

/** 1 where nothing is drawn. */
function knownAt(stack: Float32Array, k: number): number {
  return stack[k + COVERAGE] < LEAST_COVERAGE ? 1 : Math.min(1, Math.max(0, stack[k + KNOWN] / stack[k + COVERAGE]));
}

function errorAt(stack: Float32Array, k: number, besideIt: number): number {
  return (Math.max(0, stack[k + ERROR]) + besideIt + USUAL_COVERAGE * USUAL_ERROR) / (Math.max(0, stack[k + RENDERED]) + USUAL_COVERAGE);
}

/** The light that a block is off by a frame away. */
function lightOff(stack: Float32Array, k: number): number {
  const coverage = Math.min(1, Math.max(0, stack[k + COVERAGE]));
  return coverage * Math.sqrt(Math.max(0, stack[k + ERROR]) / (Math.max(0, stack[k + RENDERED]) + LEAST_RENDERED));
}
