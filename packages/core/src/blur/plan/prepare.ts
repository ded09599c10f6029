import { IvrexError } from '../../errors';
import { separateLayers } from '../edges/separate-layers';
import type { BlurFramePasses, BlurInput, BlurSteps, KnownFrame } from '../model/blur-input';
import type { BlurPlan } from '../model/blur-plan';
import { reuseMemory } from '../model/shared-floats';
import { completeDepth } from '../../depth/complete-depth';
import { pictureLayers } from '../occlusion/picture-layers';
import { completeMotion } from '../paths/complete-motion';
import { studyPaths } from '../paths/study-paths';
import { findSurfaces } from '../surfaces/find-surfaces';
import { trustedPixels } from '../surfaces/trusted-pixels';
import { planLayers } from './plan-layers';

/** What infinite light is taken for: the largest number that a half holds. */
const LARGEST_HALF = 65504;
/** Alpha this far beyond 0 or 1 is rounding, and not worth a word. */
const ROUNDING = 0.002;

const ALL_STEPS: BlurSteps = { chain: true, shear: true, edges: true, through: true };

/** What `prepareBlur` does, in this order; told when each is done. Paths and hidden areas take turns, surface by surface. */
export type PrepareStage = 'surfaces' | 'paths' | 'hidden' | 'edges' | 'crop';

/**
 * The half of the blur that does not depend on the shutter: a layered inverse warp. A frame's passes become surfaces, surfaces get paths and pictures
 * of their own, pictures that share pixels are taken apart, and what is left is the plan. @throws IvrexError sizeMismatch
 */
export function prepareBlur(given: BlurInput, watch: (stage: PrepareStage) => void = () => undefined): BlurPlan {
  assertSizes(given);
  const warnings: string[] = [],
    input = cleanInput(given, warnings);
  const steps = { ...ALL_STEPS, ...input.steps },
    model = input.path === 'auto' ? 'arc' : input.path;
  const found = findSurfaces(input);
  watch('surfaces');
  const paths = studyPaths(found, model, steps);
  const layers = pictureLayers(found, paths, steps, watch);
  const separated = separateLayers(layers, steps);
  watch('edges');
  const plan = planLayers(separated);
  watch('crop');
  // What this plan gave back and did not need again is the machine's.
  reuseMemory([]);
  return { ...plan, report: { ...plan.report, warnings } };
}

function assertSizes({ width, height, rgba, motion, depth, ids, previous, next, background }: BlurInput): void {
  const count = width * height;
  const wrong = (frame: BlurFramePasses) =>
    frame.rgba.length !== count * 4 ||
    frame.motion.width !== width ||
    frame.motion.height !== height ||
    (frame.depth !== null && frame.depth.length !== count) ||
    (frame.ids !== null && frame.ids.length !== count);
  if (wrong({ rgba, motion, depth, ids }))
    throw new IvrexError(
      'sizeMismatch',
      `the passes of this frame differ in size; beauty is ${width} x ${height}, motion ${motion.width} x ${motion.height}`,
    );
  if ((previous && wrong(previous)) || (next && wrong(next)))
    throw new IvrexError('sizeMismatch', `the passes of a neighbouring frame are not ${width} x ${height} as those of this one`);
  if (background && background.length !== count * 4)
    throw new IvrexError('sizeMismatch', `the clean background is not ${width} x ${height} as the beauty`);
}

/** Everything that later stages take for granted, of the frame and of its neighbours: colours are numbers, every pixel has a depth, and the way back. */
function cleanInput(given: BlurInput, warnings: string[]): BlurInput {
  const clean = <T extends BlurFramePasses>(frame: T, name: string): T => {
    const { known } = frame,
      colours = known ?? usableColours(frame.rgba);
    sayUnusable(colours, name, warnings);
    const { rgba } = colours;
    // What is trusted was told with the depth.
    if (given.isLight) return { ...frame, rgba, depth: null, known: undefined };
    return { ...frame, rgba, depth: known === undefined ? frame.depth && completeDepth(frame.depth, given.width, frame) : known.depth };
  };
  const now = clean(given, 'This frame'),
    previous = given.previous ? clean(given.previous, 'The frame before') : null;
  const motion = completeMotion(now, previous),
    background = given.background ? usableColours(given.background) : null;
  if (background !== null) sayUnusable(background, 'The clean background', warnings);
  return {
    ...now,
    motion,
    known: motion === now.motion ? now.known : undefined,
    previous: previous && withIdsOf(now, previous),
    next: given.next ? withIdsOf(now, clean(given.next, 'The frame after')) : null,
    background: background && background.rgba,
  };
}

/** What every plan that looks at a frame's passes would work out. */
export function knowFrame(frame: BlurFramePasses): KnownFrame {
  const colours = usableColours(frame.rgba),
    depth = frame.depth && completeDepth(frame.depth, frame.motion.width, frame);
  return { ...colours, depth, trusted: trustedPixels({ ...frame, rgba: colours.rgba, depth }) };
}

/** Without ids of its own a frame has nothing that a neighbour's could be held against. */
function withIdsOf(now: BlurFramePasses, neighbour: BlurFramePasses): BlurFramePasses {
  return now.ids === null && neighbour.ids !== null ? { ...neighbour, ids: null, known: undefined } : neighbour;
}

/**
 * Values that are not numbers would spread over whole streaks: they count as nothing. Coverage lies in 0 to 1, so that what is above can only be the
 * filter's. Both are counted. The same array when all is well.
 */
function usableColours(rgba: Float32Array): { readonly rgba: Float32Array; readonly broken: number; readonly covered: number } {
  // NaN and Infinity minus themselves are NaN; everything else is 0.
  let sum = 0,
    least = 0,
    most = 1;
  for (let i = 0; i < rgba.length; i++) sum += rgba[i] - rgba[i];
  for (let i = 3; i < rgba.length; i += 4) {
    if (rgba[i] < least) least = rgba[i];
    if (rgba[i] > most) most = rgba[i];
  }
  if (sum === 0 && least === 0 && most === 1) return { rgba, broken: 0, covered: 0 };
  const out = Float32Array.from(rgba);
  let broken = 0,
    covered = 0;
  for (let i = 0; i < rgba.length; i += 4) {
    let isBroken = false;
    for (let k = i; k < i + 4; k++) {
      if (Number.isFinite(rgba[k])) continue;
      isBroken = true;
      out[k] = rgba[k] === Infinity ? LARGEST_HALF : 0;
    }
    if (isBroken) broken++;
    else if (Math.abs(rgba[i + 3] - 0.5) > 0.5 + ROUNDING) covered++;
    out[i + 3] = Math.min(1, Math.max(0, out[i + 3]));
  }
  return { rgba: out, broken, covered };
}

function sayUnusable({ broken, covered }: Pick<KnownFrame, 'broken' | 'covered'>, name: string, warnings: string[]): void {
  const pixels = (n: number) => (n === 1 ? '1 pixel' : `${n} pixels`);
  if (broken > 0)
    warnings.push(
      `${name} has ${pixels(broken)} that are not numbers (NaN or infinite): NaN counts as black, infinity as ${LARGEST_HALF}.`,
    );
  if (covered > 0) warnings.push(`${name} has ${pixels(covered)} with an alpha below 0 or above 1: it counts as 0 or 1.`);
}
