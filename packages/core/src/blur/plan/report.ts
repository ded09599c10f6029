import type { BlurInput } from '../model/blur-input';
import { HIDDEN_MADE_UP, HIDDEN_SEEN, type PlanReport } from '../model/blur-plan';
import { SEEN, UNKNOWN } from '../occlusion/frame-look';
import { clip } from '../model/box';
import type { LayerPicture, LayerStudy } from '../occlusion/layer-study';
import type { PathStudy } from '../paths/path-study';
import { sharedBytes } from '../model/shared-floats';
import type { Surfaces } from '../surfaces/surfaces';

/** Less coverage than this is not counted as filled in. */
const COUNTED_ALPHA = 0.5;

/** By pixel: whether what is hidden there was seen elsewhere or is made up (bits of `BlurPlan.hidden`). */
export function hiddenSources({ input }: LayerStudy, pictures: ReadonlyMap<number, LayerPicture>): Uint8Array {
  const { width, height } = input;
  const filled = sharedBytes(width * height);
  for (const { box, state, colour } of pictures.values()) {
    const inside = clip(box, width, height);
    for (let y = inside.y0; y < inside.y0 + inside.height; y++) {
      for (let x = inside.x0; x < inside.x0 + inside.width; x++) {
        const k = (y - box.y0) * box.width + x - box.x0;
        if (state[k] !== UNKNOWN && state[k] !== SEEN) continue;
        if (colour[k * 4 + 3] >= COUNTED_ALPHA) filled[y * width + x] |= state[k] === UNKNOWN ? HIDDEN_MADE_UP : HIDDEN_SEEN;
      }
    }
  }
  return filled;
}

/** What was used for a frame, and what was missing. */
export function reportOn(
  { input, surfaces, paths }: LayerStudy,
  pictures: ReadonlyMap<number, LayerPicture>,
  filled: Uint8Array,
  model: PathStudy['model'],
  orderFrom: PlanReport['orderFrom'],
  separated: number,
): PlanReport {
  let covered = 0,
    inpainted = 0,
    seen = 0;
  for (let i = 0; i < filled.length; i++) {
    if (surfaces.of[i] >= 0) covered++;
    if ((filled[i] & HIDDEN_MADE_UP) !== 0) inpainted++;
    else if (filled[i] === HIDDEN_SEEN) seen++;
  }
  const share = (pixels: number) => (covered === 0 ? 0 : pixels / covered);
  return {
    pathModel: model,
    changesPace: [...pictures.values()].some(({ path }) => path.grid.orders === 4),
    layersFrom: surfaces.from,
    orderFrom,
    layerCount: pictures.size,
    neighbours: [...(input.previous ? (['before'] as const) : []), ...(input.next ? (['after'] as const) : [])],
    mixed: [],
    mixedShare: 0,
    seenShare: share(seen),
    inpaintedShare: share(inpainted),
    separatedPixels: separated,
    warnings: [],
    notes: notesOn(input, surfaces, paths, share(inpainted), orderFrom),
  };
}

function notesOn(input: BlurInput, surfaces: Surfaces, paths: PathStudy, inpainted: number, orderFrom: PlanReport['orderFrom']): string[] {
  const notes: string[] = [];
  if (!input.motion.twoSided)
    notes.push('Only one vector a pixel: paths carry on straight (or on their arc) to the other side of the frame.');
  else if (input.previous && !input.previous.motion.twoSided)
    notes.push(
      'One vector a pixel: the way from the frame before was taken from its own vectors; a change of pace within the frame is not followed.',
    );
  else if (paths.model !== 'straight' && (paths.after === null || paths.before === null))
    notes.push('The motion of a neighbouring frame is missing: a change of pace within the frame is not followed.');
  if (input.ids === null && surfaces.count > 1) notes.push('No ids: surfaces were told apart by depth and motion.');
  const { isLight = false } = input;
  if (orderFrom === 'neighbours' && !isLight)
    notes.push('No depth: what occludes what between this frame and its neighbours tells which surface is in front.');
  if (orderFrom === 'speed' && !isLight)
    notes.push(
      'No depth, and no neighbouring frame with vectors both ways shows what occludes what: the faster surface was taken as the nearer one.',
    );
  if (inpainted > 0.002 && input.hidden !== 'off' && !input.previous && !input.next && !input.background)
    notes.push('No neighbouring frames and no clean background: what is hidden was made up from its surroundings.');
  return notes;
}
