import { openPictures, type BeautyPictures, type MatchKernels } from './beauty-pictures';
import { evidenceOf } from './evidence';
import { betterFile, couldBeFile, fitsBetter } from './file-number';
import type { FrameToIdentify, Identification, IdentifyContext, PassesOfFrame } from './identification';
import { storesTheSame } from './known-encodings';
import { decodesAlike, massOf, type WeighedReading } from './posterior';
import { readFromValues } from './read-from-values';
import { isHalfOf } from './second-set';
import { solve, type Solution } from './solve';
import { symptomsOf } from './symptoms';
import { encodingOf } from './write-encoding';

/**
 * Frames to detect the encoding of, added one by one: of a frame's pictures only what matching needs is kept. Their sessions in the kernels stay open, so whatever
 * else is opened there in between must be closed before the next frame is added.
 */
export class FramesToIdentify {
  private readonly frames: PassesOfFrame[] = [];
  private readonly opened: BeautyPictures[] = [];

  constructor(private readonly kernels: MatchKernels) {}

  add({ beauty, ...passes }: FrameToIdentify): void {
    this.opened.push(openPictures(beauty, this.kernels));
    this.frames.push(passes);
  }

  /** See `identifyEncoding`. @throws RangeError without frames */
  identify(context: IdentifyContext): Identification {
    if (this.frames.length === 0) throw new RangeError('no frame to identify');
    return identifyOpened(this.frames, this.opened, context);
  }

  close(): void {
    for (const pictures of this.opened.reverse()) pictures.session.close();
  }
}

/**
 * Works out how a motion pass is stored. Every reading of a small grammar (which channels, zero, curve, axes, span) with one free scale is asked how well its
 * vectors carry each frame into its neighbours, counted as gain over standing still and over chance; the evidence of all frames is added up, and the confidence is
 * the share of the belief that the reading and those that decode alike hold. Falls back on the values alone, with little confidence, when the pictures do not tell.
 * @throws RangeError without frames
 */
export function identifyEncoding(frames: readonly FrameToIdentify[], context: IdentifyContext, kernels: MatchKernels): Identification {
  const opened = new FramesToIdentify(kernels);
  try {
    for (const frame of frames) opened.add(frame);
    return opened.identify(context);
  } finally {
    opened.close();
  }
}

/** A reading with a round scale that explains so much needs no look at other files; one that explains this little can't be made sense of by them. */
const CLEAR_FIT = 0.6,
  POOR_FIT = 0.3,
  /** Point by point the other file was clearly better: its own reading must explain about as much. */
  NEARLY = 0.8,
  BELIEVED = 1e-3,
  /** So much likelier the file beside must make the pass; where it carries points clearly better, its scale must only be more usual: by more than the
      way to the next frame is than that from the one before, which is the same vector a file on. */
  OTHER_FILE = 3.5,
  MORE_USUAL = 0.8;

function identifyOpened(frames: readonly PassesOfFrame[], opened: readonly BeautyPictures[], context: IdentifyContext): Identification {
  const own = solve(frames, opened, context, 0);
  const solution = own === null ? null : withOtherFile(own, frames, opened, context);
  if (solution === null) return readFromValues(frames, opened, context);
  const [best] = solution.weighed;
  const encoding = encodingOf(best, solution.samples.names, solution.second, solution.multiplied);
  const confidence = confidenceOf(solution),
    labels = frames.map((f) => f.frame);
  return {
    encoding,
    confidence,
    frameOffset: solution.frameOffset,
    symptoms: symptomsOf(solution, encoding, confidence, context, labels),
    evidence: evidenceOf(
      solution,
      labels,
      confidence,
      (context.known ?? []).some((k) => storesTheSame(encoding, k)),
    ),
  };
}

/** The number of the file may be one off: then the vectors of the file beside fit better, or become a reading with a round scale. */
function withOtherFile(
  own: Solution,
  frames: readonly PassesOfFrame[],
  opened: readonly BeautyPictures[],
  context: IdentifyContext,
): Solution {
  const [best] = own.weighed;
  const better = betterFile(best);
  // What the values suggest does not depend on the file: what was believed at all of this one is enough.
  const candidates = [...new Set(own.weighed.filter((w) => w.share > BELIEVED).map((w) => w.of.candidate))];
  if (better !== 0) {
    const other = solve(frames, opened, context, better, candidates);
    // A scale that people choose must not become one that they don't.
    const isNamed = (r: WeighedReading) => best.fit < POOR_FIT || r.named.prior > best.named.prior - 1;
    if (other !== null && other.weighed[0].fit > NEARLY * best.fit && isNamed(other.weighed[0])) return other;
  }
  const makesSense = best.named.isRound && best.named.isExact;
  // Vectors about another stretch of time may be those of another file.
  if ((makesSense && best.fit > CLEAR_FIT && best.middle === 0.5) || best.fit < POOR_FIT) return own;
  let chosen = own;
  for (const offset of [1, -1] as const) {
    if (!couldBeFile(best, offset)) continue;
    const other = solve(frames, opened, context, offset, candidates);
    if (other === null || !other.weighed[0].named.isRound || !other.weighed[0].named.isExact) continue;
    const [rival] = other.weighed,
      [held] = chosen.weighed,
      isUsual = rival.named.prior > held.named.prior + MORE_USUAL;
    // Even motion is the same in both files: the fit speaks for the other one only where its scale is more usual, or this one's makes no sense.
    const isLikelier = rival.logWeight > held.logWeight + (chosen === own ? OTHER_FILE : 0);
    if ((isLikelier && (isUsual || !makesSense)) || (isUsual && fitsBetter(rival, held))) chosen = other;
  }
  return chosen;
}

/** A fit of this is worth half a confidence; right readings explain 0.6 and more, those of foreign passes less than 0.3. */
const BELONGS_FROM = 0.33,
  BELONGS_WIDTH = 0.05,
  ENOUGH_POINTS = 12,
  ENOUGH_LEVELS = 5,
  UNROUND_GROWING = 0.8,
  UNROUND = 0.5,
  MOST = 0.99;

function confidenceOf({ weighed, second, samples }: Solution): number {
  const [best] = weighed,
    { of, scores } = best,
    [s0, s1, s2] = scores;
  const mass = massOf(weighed) + weighed.reduce((sum, w) => sum + (isHalfOf(second, w) && !decodesAlike(w) ? w.share : 0), 0);
  const fit = Math.max(s0, s1, s2);
  const belongs = 1 / (1 + Math.exp(-(fit - BELONGS_FROM) / BELONGS_WIDTH)),
    told = 1 - Math.exp(-of.telling / ENOUGH_POINTS);
  const isCoarse = samples.types[of.candidate.a] === 'u8' && of.candidate.zero > 0.3;
  const levels = isCoarse ? Math.min(1, Math.max(0.2, (of.speed.fast * 255) / ENOUGH_LEVELS)) : 1;
  // A right reading explains more the finer one looks, an approximate one less.
  const round = best.named.isRound ? 1 : s0 > 0.9 * s2 && fit > 0.6 ? UNROUND_GROWING : UNROUND;
  return Math.min(MOST, Math.min(1, mass) * belongs * told * levels * round);
}
