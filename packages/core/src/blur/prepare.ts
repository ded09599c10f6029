import { IvrexError } from '../errors';
import { peakSpeed } from '../motion/motion-field';
import type { BlurFramePasses, BlurInput, BlurSteps } from './blur-input';
import type { BlurPlan, PlannedLayer } from './blur-plan';
import { completeMotion } from './complete-motion';
import { cropLayer } from './crop-layer';
import { purePixels, separateEdges } from './edges';
import { FrameLook } from './hidden';
import { pictureOfSurface, reachOf, type LayerPicture, type LayerStudy, type Sides, type SurfaceBounds } from './layer';
import { orderSurfaces } from './order';
import type { NeighbourField, PathStudy } from './path-study';
import { giveBack, sharedCopy, sharedShorts } from './shared-floats';
import { quietVectors } from './quiet-vectors';
import { hiddenSources, reportOn } from './report';
import { takeOffBehind } from './soft-overlaps';
import { showThrough, takeApartThrough } from './transparent';
import { tileTravel } from './tile-travel';
import { surfacesOf, trustedPixels, type Surfaces } from './surfaces';

const ALL_STEPS: BlurSteps = { chain: true, shear: true, edges: true, through: true };

/** What `prepareBlur` does, in this order; told when each is done. Paths and hidden areas take turns, surface by surface. */
export type PrepareStage = 'surfaces' | 'paths' | 'hidden' | 'edges' | 'crop';

/**
 * The half of the blur that does not depend on the shutter: surfaces and their order, paths and their extension, hidden areas, shared edges.
 * After BLUR.md's layered inverse warp. @throws IvrexError sizeMismatch
 */
export function prepareBlur(given: BlurInput, watch: (stage: PrepareStage) => void = () => undefined): BlurPlan {
  assertSizes(given);
  const input = { ...given, rgba: finiteColours(given.rgba), motion: completeMotion(given, given.previous ?? null) };
  const { width, height, motion } = input,
    steps = { ...ALL_STEPS, ...input.steps };
  const trusted = trustedPixels(input);
  const surfaces = surfacesOf(input, trusted);
  const { rank, from } = orderSurfaces(surfaces, input, trusted);
  watch('surfaces');
  const model = input.path === 'auto' ? 'arc' : input.path;
  const longestPx = Math.min(peakSpeed(motion), Math.max(width, height)),
    looks = looksOf(input);
  const pure = purePixels(surfaces.of, width, height);
  const study: LayerStudy = {
    input,
    paths: pathStudy(input, surfaces, trusted, model, steps),
    surfaces,
    pure,
    through: steps.through ? showThrough(input, surfaces, rank, pure, looks) : null,
    bounds: boundsOf(input, surfaces),
    rank,
    rankOfId: ranksById(surfaces, rank),
    reachFrames: Math.max(input.reachFrames, 0.01),
    longestPx,
    looks,
    entering: enteringSurfaces(surfaces, enteringObjects(looks, longestPx)),
    inBackground: surfacesInBackground(input, surfaces),
  };
  const pictures = new Map<number, LayerPicture>();
  for (let surface = 0; surface < surfaces.count; surface++) {
    const picture = pictureOfSurface(study, surface, watch);
    if (picture !== null) pictures.set(surface, picture);
  }
  if (study.through !== null) takeApartThrough(study.through, input, pictures);
  const separated = steps.edges ? separateEdges(study, pictures) + takeOffBehind(study, pictures) : 0;
  watch('edges');
  const hidden = hiddenSources(study, pictures);
  const layers: PlannedLayer[] = [],
    numberOf = new Uint16Array(surfaces.count);
  for (const picture of [...pictures.values()].sort((p, q) => rank[p.surface] - rank[q.surface])) {
    const cropped = cropLayer(picture, reachOf(study, picture.surface), input);
    if (cropped?.colour !== picture.colour) giveBack(picture.colour);
    if (cropped?.path.nodes !== picture.path.grid.nodes) giveBack(picture.path.grid.nodes);
    if (cropped !== null) numberOf[picture.surface] = layers.push({ ...cropped, tileTravel: tileTravel(cropped, input) });
  }
  watch('crop');
  return {
    width,
    height,
    sharp: sharedCopy(input.rgba),
    layers,
    layerOf: layersOfPixels(surfaces, numberOf),
    hidden,
    path: model === 'arc' ? 'arc' : 'line',
    reachFrames: study.reachFrames,
    report: reportOn(study, pictures, hidden, model, from, separated),
  };
}

function layersOfPixels({ of }: Surfaces, numberOf: Uint16Array): Uint16Array {
  const out = sharedShorts(of.length);
  for (let i = 0; i < of.length; i++) if (of[i] >= 0) out[i] = numberOf[of[i]];
  return out;
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

/** A value that is not a number would spread over the whole streak: it counts as nothing there. The same array when all are fine. */
function finiteColours(rgba: Float32Array): Float32Array {
  // NaN and Infinity minus themselves are NaN; everything else is 0.
  let sum = 0;
  for (let i = 0; i < rgba.length; i++) sum += rgba[i] - rgba[i];
  if (sum === 0) return rgba;
  return rgba.map((v) => (Number.isFinite(v) ? v : v === Infinity ? 65504 : 0));
}

function pathStudy(input: BlurInput, surfaces: Surfaces, trusted: Uint8Array, model: PathStudy['model'], steps: BlurSteps): PathStudy {
  const { width, height, motion, previous, next } = input;
  const keys = new Int32Array(surfaces.of);
  for (let i = 0; i < keys.length; i++) if (trusted[i] === 0) keys[i] = -1;
  const neighbour = (passes: BlurFramePasses | null | undefined): NeighbourField | null => {
    if (!steps.chain || !passes || !passes.motion.twoSided || !motion.twoSided) return null;
    const known = trustedPixels(passes),
      ids = input.ids === null ? null : passes.ids,
      hasIds = ids !== null;
    const thereKeys = new Float64Array(known.length);
    for (let i = 0; i < known.length; i++) thereKeys[i] = known[i] === 0 ? -1 : ids === null ? 0 : ids[i];
    return quietVectors({ width, height, keys: thereKeys, toNext: passes.motion.toNext, toPrevious: passes.motion.toPrevious, hasIds });
  };
  return {
    model,
    shear: steps.shear,
    field: quietVectors({ width, height, keys, toNext: motion.toNext, toPrevious: motion.toPrevious }),
    depth: input.depth,
    idOf: surfaces.idOf,
    after: neighbour(next),
    before: neighbour(previous),
  };
}

function boundsOf({ width, motion }: BlurInput, { of, count }: Surfaces): (SurfaceBounds | undefined)[] {
  const xMin = new Int32Array(count).fill(0x7fffffff),
    xMax = new Int32Array(count).fill(-1),
    yMin = new Int32Array(count).fill(-1),
    yMax = new Int32Array(count),
    longest = new Float64Array(count);
  const { toNext, toPrevious } = motion;
  for (let i = 0, x = 0, y = 0; i < of.length; i++, x++) {
    if (x === width) {
      x = 0;
      y++;
    }
    const s = of[i];
    if (s < 0) continue;
    if (x < xMin[s]) xMin[s] = x;
    if (x > xMax[s]) xMax[s] = x;
    if (yMin[s] < 0) yMin[s] = y;
    yMax[s] = y;
    const speed = Math.max(toNext[i * 2] ** 2 + toNext[i * 2 + 1] ** 2, toPrevious[i * 2] ** 2 + toPrevious[i * 2 + 1] ** 2);
    if (speed > longest[s]) longest[s] = speed;
  }
  return Array.from({ length: count }, (_, s) =>
    xMax[s] < 0
      ? undefined
      : {
          box: { x0: xMin[s], y0: yMin[s], width: xMax[s] - xMin[s] + 1, height: yMax[s] - yMin[s] + 1 },
          longestPx: Math.sqrt(longest[s]),
        },
  );
}

function ranksById({ idOf, count }: Surfaces, rank: Int32Array): Map<number, number> {
  const out = new Map<number, number>();
  for (let s = 0; s < count; s++) if (idOf[s] !== 0) out.set(idOf[s], Math.max(out.get(idOf[s]) ?? -1, rank[s]));
  return out;
}

function looksOf({ previous, next, hidden }: BlurInput): FrameLook[] {
  if (hidden === 'off') return [];
  return [...(next ? [new FrameLook(next, 1)] : []), ...(previous ? [new FrameLook(previous, -1)] : [])];
}

/** An object comes in as its largest surface: the crumbs of a torn one do not all search the whole picture. */
function enteringSurfaces({ of, count, idOf }: Surfaces, objects: ReadonlyMap<number, Sides>): Map<number, Sides> {
  const sizes = new Int32Array(count),
    largest = new Map<number, number>(),
    out = new Map<number, Sides>();
  for (let i = 0; i < of.length; i++) if (of[i] >= 0) sizes[of[i]]++;
  for (let s = 0; s < count; s++) if (sizes[s] > (sizes[largest.get(idOf[s]) ?? -1] ?? 0)) largest.set(idOf[s], s);
  for (const [id, sides] of objects) {
    const surface = largest.get(id);
    if (surface !== undefined) out.set(surface, sides);
  }
  return out;
}

/** How far outside the picture now lies what neighbouring frames show of each object; no farther than anything moves. */
function enteringObjects(looks: readonly FrameLook[], longestPx: number): Map<number, Sides> {
  const out = new Map<number, { left: number; top: number; right: number; bottom: number }>();
  const farthest = Math.ceil(longestPx);
  for (const { passes, end } of looks) {
    const { motion, ids } = passes,
      { width, height, valid } = motion;
    if (ids === null) continue;
    const back = end === 1 ? motion.toPrevious : motion.toNext;
    for (let i = 0, column = 0, row = 0; i < valid.length; i++, column++) {
      if (column === width) {
        column = 0;
        row++;
      }
      const x = column + back[i * 2],
        y = row + back[i * 2 + 1];
      if (x >= 0 && y >= 0 && x <= width - 1 && y <= height - 1) continue;
      if (valid[i] === 0 || ids[i] === 0) continue;
      let sides = out.get(ids[i]);
      if (sides === undefined) out.set(ids[i], (sides = { left: 0, top: 0, right: 0, bottom: 0 }));
      sides.left = Math.min(farthest, Math.max(sides.left, Math.ceil(-x)));
      sides.top = Math.min(farthest, Math.max(sides.top, Math.ceil(-y)));
      sides.right = Math.min(farthest, Math.max(sides.right, Math.ceil(x - width + 1)));
      sides.bottom = Math.min(farthest, Math.max(sides.bottom, Math.ceil(y - height + 1)));
    }
  }
  return out;
}

/** A surface is in the clean background when most of its pixels look the same there. */
const BACKGROUND_SHARE = 0.6,
  BACKGROUND_DIFFERENCE = 0.03;

function surfacesInBackground({ rgba, background }: BlurInput, { of, count }: Surfaces): Uint8Array {
  const out = new Uint8Array(count);
  if (!background) return out;
  const pixels = new Float64Array(count),
    alike = new Float64Array(count);
  for (let i = 0; i < of.length; i++) {
    if (of[i] < 0) continue;
    pixels[of[i]]++;
    let same = 1;
    for (let c = 0; c < 4; c++) {
      const v = rgba[i * 4 + c];
      if (Math.abs(v - background[i * 4 + c]) > BACKGROUND_DIFFERENCE * (1 + Math.abs(v))) same = 0;
    }
    alike[of[i]] += same;
  }
  for (let s = 0; s < count; s++) out[s] = alike[s] > BACKGROUND_SHARE * pixels[s] ? 1 : 0;
  return out;
}
