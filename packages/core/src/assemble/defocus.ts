import { NODE_FLOATS, type Box, type Kernels, type PathGrid } from '@ivrex/kernels/interface';
import { TILE_PX, type BlurPlan, type PlannedLayer, type Size } from '../blur/model/blur-plan';
import { nearestMember } from '../raster/nearest';
import { tileTravel } from '../blur/plan/tile-travel';
import { apertureTable, blurRadius, RADIUS_STEP, type ApertureTable, type Lens } from './lens';

/** Less is not seen. */
const SHARP_PX = 0.3;

/** What of the kernels a lens needs. */
export type ApertureKernels = Pick<Kernels, 'openAperture'>;

/**
 * Premultiplied RGBA seen through a lens: every point's light is spread over its aperture. `radii`: pixels, by pixel. A point's weight is its
 * light over its aperture's area; sums are divided by the weights, so that an even surface stays as it is whatever its radii.
 */
export function defocusPicture(
  rgba: Float32Array,
  width: number,
  height: number,
  radii: Float32Array,
  { area, ...places }: ApertureTable,
  kernels: ApertureKernels,
): Float32Array {
  const out = rgba.slice();
  const shares = new Float32Array(radii.length);
  for (let i = 0; i < radii.length; i++) shares[i] = 1 / area[Math.min(area.length - 1, Math.round(radii[i] / RADIUS_STEP))];
  const tiles = softestAround(rgba, radii, width, height);
  const session = kernels.openAperture({ width, height, rgba, radii, shares, places });
  try {
    for (const { box, radius } of tiles) {
      if (radius <= SHARP_PX) continue;
      const { from } = places;
      // Sorted: what no aperture around reaches is left out.
      let count = from.length;
      while (count > 1 && from[count - 1] >= radius + 0.5) count--;
      session.gather(box, count, out, (box.y0 * width + box.x0) * 4, width * 4);
    }
  } finally {
    session.close();
  }
  return out;
}

/** Tiles with the largest radius of anything that may reach into them; 0 where nothing out of focus has colour. */
function softestAround(
  rgba: Float32Array,
  radii: Float32Array,
  width: number,
  height: number,
): { readonly box: Box; readonly radius: number }[] {
  const across = Math.ceil(width / TILE_PX),
    down = Math.ceil(height / TILE_PX),
    own = new Float32Array(across * down);
  let most = 0;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        tile = Math.floor(y / TILE_PX) * across + Math.floor(x / TILE_PX);
      if (radii[i] <= own[tile]) continue;
      if (rgba[i * 4] === 0 && rgba[i * 4 + 1] === 0 && rgba[i * 4 + 2] === 0 && rgba[i * 4 + 3] === 0) continue;
      own[tile] = radii[i];
      most = Math.max(most, radii[i]);
    }
  const reach = Math.ceil((most + 1) / TILE_PX);
  return Array.from(own, (_, n) => {
    const tx = n % across,
      ty = Math.floor(n / across);
    let radius = 0;
    for (let y = Math.max(0, ty - reach); y <= Math.min(down - 1, ty + reach); y++)
      for (let x = Math.max(0, tx - reach); x <= Math.min(across - 1, tx + reach); x++) radius = Math.max(radius, own[y * across + x]);
    const x0 = tx * TILE_PX,
      y0 = ty * TILE_PX;
    return { box: { x0, y0, width: Math.min(TILE_PX, width - x0), height: Math.min(TILE_PX, height - y0) }, radius };
  });
}

/**
 * A plan whose layers are seen through a lens, each by the depth of its own pixels, before they move: what is behind another layer is as soft as
 * it is, and nothing in front bleeds into it. Layers grow by what they spread over.
 * @param depth of every pixel of the picture, in the lens's units
 * @param floats memory for what is made anew
 */
export function defocusPlan(
  plan: BlurPlan,
  depth: Float32Array,
  lens: Lens,
  quality: 'draft' | 'final',
  floats: (length: number) => Float32Array,
  kernels: ApertureKernels,
): BlurPlan {
  const kept = (values: Float32Array) => {
    const out = floats(values.length);
    out.set(values);
    return out;
  };
  let most = 0;
  for (let i = 0; i < depth.length; i++) if (plan.layerOf[i] !== 0) most = Math.max(most, blurRadius(lens, depth[i]));
  if (most <= SHARP_PX) return plan;
  const table = apertureTable(lens.aperture, most, quality);
  const layers = plan.layers.map((layer, n) => {
    const soft = defocusLayer(plan, layer, n + 1, depth, lens, table, kernels);
    return soft === layer ? layer : { ...soft, colour: kept(soft.colour), path: { ...soft.path, nodes: kept(soft.path.nodes) } };
  });
  return { ...plan, layers, sharp: kept(stacked(layers, plan)) };
}

function defocusLayer(
  plan: BlurPlan,
  layer: PlannedLayer,
  number: number,
  depth: Float32Array,
  lens: Lens,
  table: ApertureTable,
  kernels: ApertureKernels,
): PlannedLayer {
  const { colourBox: box, colour } = layer;
  const radii = radiiOf(plan, box, number, depth, lens);
  let most = 0;
  for (let i = 0; i < radii.length; i++) most = Math.max(most, radii[i]);
  if (most <= SHARP_PX) return layer;
  const by = Math.ceil(most) + 1;
  const grown: Box = { x0: box.x0 - by, y0: box.y0 - by, width: box.width + 2 * by, height: box.height + 2 * by };
  const wide = new Float32Array(grown.width * grown.height * 4),
    wideRadii = new Float32Array(grown.width * grown.height),
    origins = new Uint8Array(grown.width * grown.height);
  for (let y = 0; y < grown.height; y++) {
    const sy = Math.min(box.height - 1, Math.max(0, y - by));
    for (let x = 0; x < grown.width; x++) {
      const sx = Math.min(box.width - 1, Math.max(0, x - by)),
        to = y * grown.width + x;
      wideRadii[to] = radii[sy * box.width + sx];
      origins[to] = layer.origins[sy * box.width + sx];
    }
    if (y < by || y >= by + box.height) continue;
    wide.set(colour.subarray((y - by) * box.width * 4, (y - by + 1) * box.width * 4), (y * grown.width + by) * 4);
  }
  const soft = defocusPicture(wide, grown.width, grown.height, wideRadii, table, kernels);
  const spread = { colourBox: grown, colour: soft, origins, path: grownPath(layer.path, by, plan) };
  return { ...spread, tileTravel: tileTravel(spread, plan) };
}

/** By pixel of the box: from the depth of the layer's own pixels, elsewhere from the nearest of them. */
function radiiOf({ width, height, layerOf }: BlurPlan, box: Box, number: number, depth: Float32Array, lens: Lens): Float32Array {
  const own = new Uint8Array(box.width * box.height),
    out = new Float32Array(own.length);
  for (let y = 0; y < box.height; y++)
    for (let x = 0; x < box.width; x++) {
      const px = box.x0 + x,
        py = box.y0 + y;
      if (px < 0 || py < 0 || px >= width || py >= height || layerOf[py * width + px] !== number) continue;
      own[y * box.width + x] = 1;
      out[y * box.width + x] = blurRadius(lens, depth[py * width + px]);
    }
  const nearest = nearestMember(own, box.width, box.height);
  for (let i = 0; i < own.length; i++) if (own[i] === 0) out[i] = nearest[i] < 0 ? 0 : out[nearest[i]];
  return out;
}

/** Paths carried on beyond their nodes by their own gradient, no farther than the picture. */
function grownPath(path: PathGrid, byPx: number, size: Size): PathGrid {
  const { stepPx } = path,
    more = (room: number) => Math.max(0, Math.min(Math.ceil(byPx / stepPx), Math.ceil(room / stepPx)));
  const left = more(path.x0),
    top = more(path.y0),
    right = more(size.width - 1 - (path.x0 + (path.across - 1) * stepPx)),
    bottom = more(size.height - 1 - (path.y0 + (path.down - 1) * stepPx));
  if (left + top + right + bottom === 0) return path;
  const across = path.across + left + right,
    down = path.down + top + bottom,
    node = path.orders * NODE_FLOATS;
  const nodes = new Float32Array(across * down * node);
  for (let y = 0; y < down; y++) {
    const sy = Math.min(path.down - 1, Math.max(0, y - top));
    for (let x = 0; x < across; x++) {
      const sx = Math.min(path.across - 1, Math.max(0, x - left)),
        from = (sy * path.across + sx) * node,
        to = (y * across + x) * node;
      const ox = (x - left - sx) * stepPx,
        oy = (y - top - sy) * stepPx;
      for (let at = 0; at < node; at += NODE_FLOATS) {
        for (let k = 0; k < NODE_FLOATS; k++) nodes[to + at + k] = path.nodes[from + at + k];
        nodes[to + at] += path.nodes[from + at + 2] * ox + path.nodes[from + at + 3] * oy;
        nodes[to + at + 1] += path.nodes[from + at + 4] * ox + path.nodes[from + at + 5] * oy;
      }
    }
  }
  return { ...path, x0: path.x0 - left * stepPx, y0: path.y0 - top * stepPx, across, down, nodes };
}

/** All layers where they are at the frame itself, the nearest in front. */
function stacked(layers: readonly PlannedLayer[], { width, height }: Size): Float32Array {
  const out = new Float32Array(width * height * 4);
  for (const { colourBox: box, colour } of layers)
    for (let y = Math.max(0, -box.y0); y < Math.min(box.height, height - box.y0); y++)
      for (let x = Math.max(0, -box.x0); x < Math.min(box.width, width - box.x0); x++) {
        const to = ((box.y0 + y) * width + box.x0 + x) * 4,
          from = (y * box.width + x) * 4,
          clear = 1 - out[to + 3];
        if (clear <= 0) continue;
        for (let c = 0; c < 4; c++) out[to + c] += clear * colour[from + c];
      }
  return out;
}
