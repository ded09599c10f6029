import { NODE_FLOATS, NODE_PX, type Box, type PathGrid } from '@ivrex/kernels/interface';
import { BLOCK_PX, toBlocks } from '../model/frame-mix';
import type { BlurPlan, PlannedLayer } from '../model/blur-plan';
import { sharedFloats } from '../model/shared-floats';
import { OWN, UNKNOWN } from '../occlusion/frame-look';
import { tileTravel } from '../plan/tile-travel';

/** Channels of a small plan's colours: coverage that was rendered or seen; that was rendered in this frame; the same times its error; all coverage. */
export const KNOWN = 0,
  RENDERED = 1,
  ERROR = 2,
  COVERAGE = 3;

/** Pixels that a path may be off by halfway to the other frame before that counts as an error. */
const PACE_PX = 0.25,
  /** Squared error of light at that: of the sixth power, so that twice as far off counts a quarter (errors count with their cube root). */
  PACE_ERROR = 1e-4;

/**
 * A plan of blocks of BLOCK_PX pixels that moves what is known of a frame instead of its colours.
 * @param errors by pixel: how far off a neighbour's plan is there, squared
 * @param knowsPace the neighbour's paths follow changes of pace too; else it counts as wrong where this plan's do
 * @param like a small plan of the same with other errors: its paths are used
 */
export function smallPlan(plan: BlurPlan, errors: Float32Array, knowsPace: boolean, like?: BlurPlan): BlurPlan {
  const size = { width: Math.ceil(plan.width / BLOCK_PX), height: Math.ceil(plan.height / BLOCK_PX) };
  const sharp = sharedFloats(size.width * size.height * 4);
  for (let y = 0, i = 0; y < plan.height; y++)
    for (let x = 0, to = Math.floor(y / BLOCK_PX) * size.width * 4; x < plan.width; to += 4) {
      let covered = 0,
        error = 0;
      for (const end = Math.min(plan.width, x + BLOCK_PX); x < end; x++, i++) {
        covered += plan.sharp[i * 4 + 3];
        error += plan.sharp[i * 4 + 3] * errors[i];
      }
      addTo(sharp, to, covered, covered, covered, error);
    }
  const layers = plan.layers.map((layer, n) => {
    const colours = smallColours(layer, plan, errors, !knowsPace && layer.path.orders === 4);
    if (like !== undefined) return { ...like.layers[n], ...colours };
    const small = { ...colours, path: smallPath(layer.path), origins: new Uint8Array(0) };
    return { ...small, tileTravel: tileTravel(small, size) };
  });
  return { ...plan, ...size, sharp, layers };
}

/** A block's coverage is the mean of its pixels'; these are sums over some of them. */
function addTo(out: Float32Array, at: number, covered: number, known: number, rendered: number, error: number): void {
  out[at + COVERAGE] += covered / PIXELS;
  out[at + KNOWN] += known / PIXELS;
  out[at + RENDERED] += rendered / PIXELS;
  out[at + ERROR] += error / PIXELS;
}

const PIXELS = BLOCK_PX * BLOCK_PX;

function smallColours(
  { colour, colourBox: box, origins, path }: PlannedLayer,
  { width, height }: BlurPlan,
  errors: Float32Array,
  addsPace: boolean,
) {
  const x0 = Math.floor(box.x0 / BLOCK_PX),
    y0 = Math.floor(box.y0 / BLOCK_PX);
  const colourBox: Box = {
    x0,
    y0,
    width: Math.ceil((box.x0 + box.width) / BLOCK_PX) - x0,
    height: Math.ceil((box.y0 + box.height) / BLOCK_PX) - y0,
  };
  const out = sharedFloats(colourBox.width * colourBox.height * 4);
  for (let y = 0, k = 0; y < box.height; y++) {
    const py = box.y0 + y,
      row = (Math.floor(py / BLOCK_PX) - y0) * colourBox.width;
    for (let px = box.x0; px < box.x0 + box.width;) {
      const block = Math.floor(px / BLOCK_PX);
      let covered = 0,
        known = 0,
        rendered = 0,
        error = 0;
      for (const end = Math.min(box.x0 + box.width, (block + 1) * BLOCK_PX); px < end; px++, k++) {
        const alpha = colour[k * 4 + 3];
        if (alpha <= 0) continue;
        covered += alpha;
        if (origins[k] === UNKNOWN) continue;
        known += alpha;
        if (origins[k] !== OWN) continue;
        rendered += alpha;
        if (px >= 0 && py >= 0 && px < width && py < height)
          error += alpha * (errors[py * width + px] + (addsPace ? paceError(path, px, py) : 0));
      }
      if (covered > 0) addTo(out, (row + block - x0) * 4, covered, known, rendered, error);
    }
  }
  return { colourBox, colour: out };
}

/** What a path through the same three frames that keeps its pace is off by, halfway: as an error of light. */
function paceError({ x0, y0, across, down, stepPx, nodes }: PathGrid, x: number, y: number): number {
  const nx = Math.min(across - 1, Math.max(0, Math.round((x - x0) / stepPx))),
    ny = Math.min(down - 1, Math.max(0, Math.round((y - y0) / stepPx))),
    third = ((ny * across + nx) * 4 + 2) * NODE_FLOATS,
    fourth = third + NODE_FLOATS;
  // t^3 against t, and t^4 against t^2, at a half.
  const off = Math.hypot(0.375 * nodes[third] + 0.1875 * nodes[fourth], 0.375 * nodes[third + 1] + 0.1875 * nodes[fourth + 1]);
  return PACE_ERROR * (off / PACE_PX) ** 6;
}

/** The same ways in blocks: of nodes that lie close every fourth, and beyond the last ones as they are there. */
function smallPath(path: PathGrid): PathGrid {
  const every = Math.max(1, (NODE_PX * BLOCK_PX) / path.stepPx),
    across = Math.ceil((path.across - 1) / every) + 1,
    down = Math.ceil((path.down - 1) / every) + 1,
    node = path.orders * NODE_FLOATS,
    nodes = sharedFloats(across * down * node);
  for (let y = 0, to = 0; y < down; y++)
    for (let x = 0; x < across; x++, to += node) {
      const from = (Math.min(path.down - 1, y * every) * path.across + Math.min(path.across - 1, x * every)) * node;
      for (let k = 0; k < node; k++) nodes[to + k] = path.nodes[from + k] * (k % NODE_FLOATS < 2 ? 1 / BLOCK_PX : 1);
    }
  const stepPx = (path.stepPx * every) / BLOCK_PX;
  return { x0: toBlocks(path.x0), y0: toBlocks(path.y0), across, down, stepPx, isOneFlow: path.isOneFlow, orders: path.orders, nodes };
}
