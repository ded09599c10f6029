import { NODE_FLOATS, NODE_PX, type Box, type PathGrid } from '@ivrex/kernels/interface';
import type { BlurPlan, PlannedLayer, Size } from '../blur/blur-plan';
import { nearestMember } from '../blur/nearest';
import { tileTravel } from '../blur/tile-travel';
import { apertureTable, blurRadius, RADIUS_STEP, reached, type ApertureTable, type Lens } from './lens';

/** Less is not seen. */
const SHARP_PX = 0.3;

/**
 * Premultiplied RGBA seen through a lens: every point's light is spread over its aperture. `radii`: pixels, by pixel. A point's weight is its
 * light over its aperture's area; sums are divided by the weights, so that an even surface stays as it is whatever its radii.
 */
export function defocusPicture(rgba: Float32Array, width: number, height: number, radii: Float32Array, table: ApertureTable): Float32Array {
  const out = new Float32Array(rgba.length);
  const { dx, dy, from, area } = table;
  const share = new Float32Array(radii.length);
  let most = 0;
  for (let i = 0; i < radii.length; i++) {
    share[i] = 1 / area[Math.min(area.length - 1, Math.round(radii[i] / RADIUS_STEP))];
    most = Math.max(most, radii[i]);
  }
  const busy = busyPixels(rgba, width, height, radii, Math.ceil(most) + 1);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (busy[i] === 0) {
        for (let c = 0; c < 4; c++) out[i * 4 + c] = rgba[i * 4 + c];
        continue;
      }
      let r = 0,
        g = 0,
        b = 0,
        a = 0,
        weights = 0;
      for (let n = 0; n < from.length; n++) {
        if (from[n] > most + 0.5) break;
        const px = x + dx[n],
          py = y + dy[n];
        if (px < 0 || py < 0 || px >= width || py >= height) continue;
        const k = py * width + px,
          w = reached(radii[k], from[n]) * share[k];
        if (w === 0) continue;
        weights += w;
        r += w * rgba[k * 4];
        g += w * rgba[k * 4 + 1];
        b += w * rgba[k * 4 + 2];
        a += w * rgba[k * 4 + 3];
      }
      out[i * 4] = r / weights;
      out[i * 4 + 1] = g / weights;
      out[i * 4 + 2] = b / weights;
      out[i * 4 + 3] = a / weights;
    }
  }
  return out;
}

/** Pixels that something out of focus may reach. Nothing near an empty or sharp place changes it. */
function busyPixels(rgba: Float32Array, width: number, height: number, radii: Float32Array, reach: number): Uint8Array {
  const marks = new Uint8Array(width * height);
  for (let i = 0; i < marks.length; i++)
    if (radii[i] > SHARP_PX && (rgba[i * 4] !== 0 || rgba[i * 4 + 1] !== 0 || rgba[i * 4 + 2] !== 0 || rgba[i * 4 + 3] !== 0)) marks[i] = 1;
  const spread = (src: Uint8Array, length: number, lines: number, step: number, lineStep: number) => {
    const out = new Uint8Array(src.length);
    for (let line = 0; line < lines; line++)
      for (let i = 0, last = -Infinity; i < length + reach; i++) {
        if (i < length && src[line * lineStep + i * step] === 1) last = i;
        if (i - reach >= 0 && i - last <= 2 * reach) out[line * lineStep + (i - reach) * step] = 1;
      }
    return out;
  };
  return spread(spread(marks, width, height, 1, width), height, width, width, 1);
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
    const soft = defocusLayer(plan, layer, n + 1, depth, lens, table);
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
  const soft = defocusPicture(wide, grown.width, grown.height, wideRadii, table);
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
  const more = (room: number) => Math.max(0, Math.min(Math.ceil(byPx / NODE_PX), Math.ceil(room / NODE_PX)));
  const left = more(path.x0),
    top = more(path.y0),
    right = more(size.width - 1 - (path.x0 + (path.across - 1) * NODE_PX)),
    bottom = more(size.height - 1 - (path.y0 + (path.down - 1) * NODE_PX));
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
      const ox = (x - left - sx) * NODE_PX,
        oy = (y - top - sy) * NODE_PX;
      for (let at = 0; at < node; at += NODE_FLOATS) {
        for (let k = 0; k < NODE_FLOATS; k++) nodes[to + at + k] = path.nodes[from + at + k];
        nodes[to + at] += path.nodes[from + at + 2] * ox + path.nodes[from + at + 3] * oy;
        nodes[to + at + 1] += path.nodes[from + at + 4] * ox + path.nodes[from + at + 5] * oy;
      }
    }
  }
  return { x0: path.x0 - left * NODE_PX, y0: path.y0 - top * NODE_PX, across, down, orders: path.orders, nodes };
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
