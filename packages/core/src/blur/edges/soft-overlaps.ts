import { ABSENT } from '../occlusion/frame-look';
import { indexIn } from '../model/box';
import type { LayerPicture, LayerStudy } from '../occlusion/layer-study';

/** From this coverage on a pixel lets nothing through that could be taken off it. */
const FULL = 0.995;
/** Less coverage behind than this is not worth taking off. */
const LEAST_BEHIND = 0.004;

/**
 * Soft things over soft things, in place: the picture shows F + (1 - a) B, and what lies behind (B, with its coverage b) is drawn again by its own
 * surface. So it is taken off the nearer one: the coverage of both together is c = a + (1 - a) b, which gives a. Returns how many pixels it was
 * taken off.
 */
export function takeOffBehind({ input, surfaces, rank, through }: LayerStudy, layers: ReadonlyMap<number, LayerPicture>): number {
  const { width, rgba } = input,
    { of } = surfaces;
  if (!hasSoft(rgba)) return 0;
  const nearestFirst = [...layers.values()].sort((a, b) => rank[a.surface] - rank[b.surface]);
  const behind = new Map<number, Float64Array>();
  for (const layer of nearestFirst) {
    const { box, colour, state } = layer;
    for (let k = 0, column = 0, row = 0; k < state.length; k++, column++) {
      if (column === box.width) {
        column = 0;
        row++;
      }
      if (state[k] === ABSENT || colour[k * 4 + 3] < LEAST_BEHIND) continue;
      const x = box.x0 + column,
        y = box.y0 + row;
      if (x < 0 || y < 0 || x >= width || y >= input.height) continue;
      const i = y * width + x;
      if (of[i] < 0 || of[i] === layer.surface || rank[of[i]] >= rank[layer.surface] || rgba[i * 4 + 3] >= FULL) continue;
      // What shows through has been taken off already.
      if (through !== null && through.at[i] !== 0) continue;
      let sum = behind.get(i);
      if (sum === undefined) behind.set(i, (sum = new Float64Array(4)));
      const clear = 1 - sum[3];
      for (let c = 0; c < 4; c++) sum[c] += clear * colour[k * 4 + c];
    }
  }
  let taken = 0;
  for (const [i, b] of behind) {
    const layer = layers.get(of[i]),
      both = rgba[i * 4 + 3];
    if (layer === undefined || b[3] >= FULL) continue;
    const a = Math.min(both, Math.max(0, (both - b[3]) / (1 - b[3])));
    const k = indexIn(layer.box, i % width, Math.floor(i / width));
    if (k < 0) continue;
    for (let c = 0; c < 3; c++) layer.colour[k * 4 + c] = Math.max(0, rgba[i * 4 + c] - (1 - a) * b[c]);
    layer.colour[k * 4 + 3] = a;
    taken++;
  }
  return taken;
}

/** Most renders of whole scenes let nothing through anywhere. */
function hasSoft(rgba: Float32Array): boolean {
  for (let k = 3; k < rgba.length; k += 4) if (rgba[k] > 0 && rgba[k] < FULL) return true;
  return false;
}
