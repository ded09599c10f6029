import { clip, grow, growSides, type Sides } from '../model/box';
import { sharedFloats } from '../model/shared-floats';
import { surfacePath } from '../paths/path-grid';
import { fillColour } from './fill-colour';
import { LEAST_HIDDEN_PX, type LayerPicture, type LayerStudy } from './layer-study';
import type { Box } from '@ivrex/kernels/interface';

/** Room for the cubic filter's taps and for rounding. */
const MARGIN_PX = 3;

/** One surface with its colour, its paths and their extension; null when no pixel shows it. */
export function pictureOfSurface(
  study: LayerStudy,
  surface: number,
  watch: (stage: 'paths' | 'hidden') => void = () => undefined,
): LayerPicture | null {
  const tight = study.bounds[surface];
  if (tight === undefined) return null;
  const { input } = study,
    { width, height } = input;
  const reachPx = reachOf(study, surface);
  // How much of a surface is looked for must not depend on the shutter: a preview and a delivery would differ.
  const hiddenPx = Math.ceil(study.longestPx) + MARGIN_PX;
  // A drop has not much more of itself behind a nearer one than what is seen.
  const behind =
    study.rank[surface] === 0 ? MARGIN_PX : Math.min(hiddenPx, Math.max(LEAST_HIDDEN_PX, 2 * Math.max(tight.box.width, tight.box.height)));
  const inside = clip(grow(tight.box, behind), width, height);
  // Beyond the border only what can come in matters.
  const outsidePx = Math.min(hiddenPx, Math.ceil(tight.longestPx * Math.max(1, study.reachFrames)) + MARGIN_PX);
  const outside = outsideOf(study, surface, tight.box, outsidePx);
  const box = growSides(inside, outside, input);
  const gridBox = growSides(clip(grow(inside, reachPx), width, height), outside, input);
  const path = surfacePath(study.paths, surface, tight.box, gridBox);
  const layer = { surface, box, path, colour: sharedFloats(box.width * box.height * 4), state: new Uint8Array(box.width * box.height) };
  watch('paths');
  const shared = fillColour(study, layer, hiddenPx);
  watch('hidden');
  return { ...layer, shared };
}

/** How far a surface goes within the reach of the plan, in pixels. */
export function reachOf({ bounds, reachFrames, longestPx }: LayerStudy, surface: number): number {
  // Beyond one frame a bent path grows with the square of the time.
  const frames = reachFrames <= 1 ? reachFrames : reachFrames ** 2;
  return Math.ceil((bounds[surface]?.longestPx ?? longestPx) * frames) + MARGIN_PX;
}

/** Where a surface is cut by the picture's border it goes on outside; where its object comes in from outside, it is there already. */
function outsideOf({ input, entering }: LayerStudy, surface: number, tight: Box, by: number): Sides {
  const comes = entering.get(surface) ?? { left: 0, top: 0, right: 0, bottom: 0 };
  const { width, height } = input;
  return {
    left: Math.max(comes.left, tight.x0 === 0 ? by : 0),
    top: Math.max(comes.top, tight.y0 === 0 ? by : 0),
    right: Math.max(comes.right, tight.x0 + tight.width === width ? by : 0),
    bottom: Math.max(comes.bottom, tight.y0 + tight.height === height ? by : 0),
  };
}
