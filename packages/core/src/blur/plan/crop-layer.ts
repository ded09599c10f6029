import { NODE_FLOATS, type Box, type PathGrid } from '@ivrex/kernels/interface';
import { clip, grow } from '../model/box';
import type { LayerPicture } from '../occlusion/layer-study';
import type { PlannedLayer, Size } from '../model/blur-plan';
import { sharedBytes, sharedFloats } from '../model/shared-floats';

/** Less than this share saved is not worth a copy. */
const WORTH = 0.85;

/**
 * A surface's picture without its empty margin, and its paths without the places that it can't reach (`reachPx`, how far it goes at most). What was
 * looked for behind a small surface is mostly nothing. Null when it is empty.
 */
export function cropLayer(
  { box, colour, state, path }: LayerPicture,
  reachPx: number,
  size: Size,
): Omit<PlannedLayer, 'tileTravel'> | null {
  const filled = filledBox(box, colour);
  if (filled === null) return null;
  const tight = filled.width * filled.height < WORTH * box.width * box.height ? filled : box;
  const width = tight.width;
  const origins = sharedBytes(width * tight.height);
  for (let y = 0; y < tight.height; y++) {
    const from = (tight.y0 + y - box.y0) * box.width + tight.x0 - box.x0;
    origins.set(state.subarray(from, from + width), y * width);
  }
  let cropped = colour;
  if (tight !== box) {
    cropped = sharedFloats(width * tight.height * 4);
    for (let y = 0; y < tight.height; y++) {
      const from = ((tight.y0 + y - box.y0) * box.width + tight.x0 - box.x0) * 4;
      cropped.set(colour.subarray(from, from + width * 4), y * width * 4);
    }
  }
  return { colourBox: tight, colour: cropped, origins, path: cropPath(path.grid, clip(grow(tight, reachPx), size.width, size.height)) };
}

function filledBox(box: Box, colour: Float32Array): Box | null {
  let xMin = box.width,
    xMax = -1,
    yMin = -1,
    yMax = -1;
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const k = (y * box.width + x) * 4;
      // Glows have colour without coverage.
      if (colour[k + 3] === 0 && colour[k] === 0 && colour[k + 1] === 0 && colour[k + 2] === 0) continue;
      if (x < xMin) xMin = x;
      if (x > xMax) xMax = x;
      if (yMin < 0) yMin = y;
      yMax = y;
    }
  }
  return xMax < 0 ? null : { x0: box.x0 + xMin, y0: box.y0 + yMin, width: xMax - xMin + 1, height: yMax - yMin + 1 };
}

function cropPath(path: PathGrid, box: Box): PathGrid {
  const span = (from: number, size: number, first: number, count: number) => {
    const a = Math.min(count - 2, Math.max(0, Math.floor((from - first) / path.stepPx)));
    return [a, Math.min(count, Math.max(a + 2, Math.ceil((from + size - 1 - first) / path.stepPx) + 1))] as const;
  };
  const [x0, x1] = span(box.x0, box.width, path.x0, path.across),
    [y0, y1] = span(box.y0, box.height, path.y0, path.down);
  const across = x1 - x0,
    down = y1 - y0;
  if (across * down > WORTH * path.across * path.down) return path;
  const node = path.orders * NODE_FLOATS,
    nodes = sharedFloats(across * down * node);
  for (let y = 0; y < down; y++) {
    const from = ((y0 + y) * path.across + x0) * node;
    nodes.set(path.nodes.subarray(from, from + across * node), y * across * node);
  }
  return { ...path, x0: path.x0 + x0 * path.stepPx, y0: path.y0 + y0 * path.stepPx, across, down, nodes };
}
