import { decibel } from '../compare/metrics';
import type { BlurPlan } from '../blur/model/blur-plan';
import { TRUST_CAUSES, type TrustCause, type TrustMap } from './trust-map';

/** From this expected error on (scene-linear) it is likely to be seen. */
export const SEEN_ERROR = 0.04;
/** Places are marked to be looked at first: the worst of what is blurred, this share of it at most, but for what is likely to be seen. */
const MOST_MARKED = 0.3;
/** What is off by less is not marked: a blur that changes no more does not count as one either. */
const LEAST_MARKED = 0.002;

/** From which expected error on a frame's places are marked. `touched`: 1 where the blur changes the picture. */
export function markedFrom(expected: Float32Array, touched: Uint8Array): number {
  const there = expected.filter((_, i) => touched[i] === 1).sort(),
    level = there.length === 0 ? SEEN_ERROR : there[Math.ceil((1 - MOST_MARKED) * (there.length - 1))];
  return Math.min(SEEN_ERROR, Math.max(LEAST_MARKED, level));
}

/** What can be done about a cause before rendering again. */
export type TrustFix = 'useArcs' | 'lookAround' | 'chooseBackground' | 'chooseDepth' | 'mendVectors' | 'readMotion' | 'mixFrames';

export interface TrustFacts {
  readonly pathIsChosen: boolean;
  readonly looksAround: boolean;
  readonly mixes: boolean;
  readonly hasNeighbours: boolean;
  readonly hasBackground: boolean;
  readonly hasDepth: boolean;
  readonly mends: boolean;
}

export interface CauseVerdict {
  readonly cause: TrustCause;
  /** Shares of the pixels that the blur touches. */
  readonly markedShare: number;
  readonly seenShare: number;
  readonly worst: { readonly x: number; readonly y: number };
  readonly sentence: string;
  readonly fix: TrustFix | null;
}

export interface TrustVerdict {
  readonly word: 'fine' | 'fix' | 'rerender';
  readonly sentence: string;
  /** Pixels that the blur touches. */
  readonly touched: number;
  /** The expected error from which on a place is marked. */
  readonly markedFrom: number;
  readonly markedShare: number;
  readonly seenShare: number;
  /** How near to the true blur it is likely to be over the touched pixels, dB; null when nothing is touched. */
  readonly expectedPsnr: number | null;
  /** Those that mark anything, the most first. */
  readonly causes: readonly CauseVerdict[];
}

/** Less than this share is seen by nobody at work. */
const FINE_SHARE = 0.03,
  /** From here on a render costs less than looking after it. */
  RERENDER_SHARE = 0.1,
  WORTH_SAYING = 0.002,
  /** What is expected is the error of the worst channel; the mean of four squares is so much of its square (0.38 to 0.45, measured). */
  OF_CHANNELS = 0.4,
  /** A cause of less than this share of what is seen does not change the verdict by being mended. */
  WORTH_FIXING = 0.25;

/** What a trust map says about an element, in words. `touched`: 1 where the blur changes the picture. */
export function verdictOf(map: TrustMap, touched: Uint8Array, facts: TrustFacts): TrustVerdict {
  const count = touched.reduce((sum, v) => sum + v, 0);
  if (count === 0)
    return {
      word: 'fine',
      sentence: 'Nothing moves here: the picture stays as it is.',
      touched: 0,
      markedFrom: SEEN_ERROR,
      markedShare: 0,
      seenShare: 0,
      expectedPsnr: null,
      causes: [],
    };
  const from = markedFrom(map.expected, touched);
  let squares = 0,
    marked = 0,
    seen = 0;
  for (let i = 0; i < touched.length; i++) {
    if (touched[i] === 0) continue;
    const v = map.expected[i];
    squares += v * v;
    if (v >= from) marked++;
    if (v >= SEEN_ERROR) seen++;
  }
  const causes = TRUST_CAUSES.map((cause) => causeVerdict(cause, map, touched, from, facts))
    .filter(({ markedShare }) => markedShare > WORTH_SAYING)
    .sort((a, b) => b.seenShare - a.seenShare || b.markedShare - a.markedShare);
  const seenShare = seen / count;
  const fixable = causes.filter((c) => c.fix !== null && c.seenShare > WORTH_FIXING * seenShare);
  const word = seenShare < FINE_SHARE ? 'fine' : fixable.length > 0 ? 'fix' : seenShare > RERENDER_SHARE ? 'rerender' : 'fine';
  return {
    word,
    sentence: sentenceOf(word, seenShare, causes),
    touched: count,
    markedFrom: from,
    markedShare: marked / count,
    seenShare,
    expectedPsnr: decibel((OF_CHANNELS * squares) / count),
    causes,
  };
}

function percent(share: number): string {
  return `${(100 * share).toFixed(share < 0.1 ? 1 : 0)} %`;
}

function sentenceOf(word: TrustVerdict['word'], seenShare: number, causes: readonly CauseVerdict[]): string {
  const [first] = causes;
  switch (word) {
    case 'fine':
      return seenShare < FINE_SHARE
        ? 'Fine: nowhere is an error likely that would be seen.'
        : `Fine, but look at ${percent(seenShare)} of what is blurred: ${NAMES[first.cause]}.`;
    case 'fix':
      return `Fix this first: an error is likely to be seen in ${percent(seenShare)} of what is blurred, and part of it can be mended.`;
    case 'rerender':
      return `Render this element with its blur: an error is likely to be seen in ${percent(seenShare)} of what is blurred, and no setting mends it.`;
  }
}

const NAMES: Record<TrustCause, string> = {
  path: 'paths that bend more than they are followed',
  hidden: 'background that nobody has seen',
  transparency: 'things that are seen through',
  vectors: 'vectors that are missing, clipped or mended',
  disagreement: 'vectors that the neighbouring pictures do not confirm',
  depth: 'an order of surfaces that is a guess',
  oneFrame: 'what changes between the frames and is shown from one',
};

function causeVerdict(cause: TrustCause, map: TrustMap, touched: Uint8Array, from: number, facts: TrustFacts): CauseVerdict {
  const plane = map.causes[cause];
  let count = 0,
    marked = 0,
    seen = 0,
    worst = 0;
  for (let i = 0; i < touched.length; i++) {
    if (touched[i] === 0) continue;
    count++;
    if (plane[i] >= from) marked++;
    if (plane[i] >= SEEN_ERROR) seen++;
    if (plane[i] > plane[worst]) worst = i;
  }
  return {
    cause,
    markedShare: marked / count,
    seenShare: seen / count,
    worst: { x: worst % map.width, y: Math.floor(worst / map.width) },
    ...adviceOn(cause, facts),
  };
}

function adviceOn(cause: TrustCause, f: TrustFacts): { sentence: string; fix: TrustFix | null } {
  switch (cause) {
    case 'path':
      return f.pathIsChosen
        ? { sentence: 'Things turn or curve more than the chosen path follows: streaks come out straight.', fix: 'useArcs' }
        : { sentence: 'The pace changes strongly within the exposure; what lies between the frames is a fair guess.', fix: null };
    case 'hidden':
      if (!f.looksAround)
        return { sentence: 'What comes into view behind moving things is made up, as looking at other frames is off.', fix: 'lookAround' };
      if (!f.hasNeighbours && !f.hasBackground)
        return {
          sentence: 'What comes into view behind moving things is made up: there is no neighbouring frame and no clean background.',
          fix: 'chooseBackground',
        };
      return {
        sentence: 'Behind moving things something comes into view that the neighbouring frames do not show either: only a render does.',
        fix: null,
      };
    case 'transparency':
      return {
        sentence: 'Things are seen through here, and the pass holds one vector for both. Rendered apart, each would have its own.',
        fix: null,
      };
    case 'vectors':
      return f.mends
        ? { sentence: 'Vectors are missing or ran into the end of their range; they were continued from beside.', fix: null }
        : { sentence: 'Vectors are missing or ran into the end of their range.', fix: 'mendVectors' };
    case 'disagreement':
      return {
        sentence:
          'The neighbouring pictures, fetched back along the vectors, show something else: shading that changes, or vectors that are wrong.',
        fix: 'readMotion',
      };
    case 'oneFrame':
      return f.mixes
        ? {
            sentence: 'No neighbouring frame can be mixed in here: shading that changes and surfaces that turn stay as they are.',
            fix: null,
          }
        : { sentence: 'Only this frame is used: shading that changes and surfaces that turn stay as they are.', fix: 'mixFrames' };
    case 'depth':
      return {
        sentence: 'Which surface is in front was guessed from speed.',
        fix: f.hasDepth ? null : 'chooseDepth',
      };
  }
}

/** 1 where an exposure moves anything: where the blurred picture can differ from the sharp one. */
export function touchedPixels({ width, height, sharp }: BlurPlan, blurred: Float32Array): Uint8Array {
  const out = new Uint8Array(width * height);
  for (let i = 0; i < out.length; i++) for (let c = i * 4; c < i * 4 + 4; c++) if (Math.abs(blurred[c] - sharp[c]) > 0.002) out[i] = 1;
  return out;
}
