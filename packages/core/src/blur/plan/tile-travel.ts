import { NODE_FLOATS, type PathGrid, type SliceLayer } from '@ivrex/kernels/interface';
import { TILE_PX, tilesAcross, type Size } from '../model/blur-plan';

/** Between its nodes and just outside its edge a layer may go a little farther than at them. */
const MARGIN = 1.05;

/**
 * Longest way in each tile of the picture, a frame: by power of the time, as the renderer needs it. Outside a layer its paths are carried on, on a
 * wheel ever faster; but what is seen there comes from the layer itself and goes no farther than the farthest of its own points.
 */
export function tileTravel(layer: SliceLayer, size: Size): Float32Array {
  const { path } = layer,
    { orders, nodes } = path;
  const tiles = tilesAcross(size),
    out = new Float32Array(tiles.x * tiles.y * 4);
  if (path.isOneFlow) return fewNodesTravel(layer, tiles, out);
  const most = longestOwn(layer);
  const { stepPx } = path,
    spread = stepPx / 2;
  for (let ny = 0, p = 0; ny < path.down; ny++) {
    const y = path.y0 + ny * stepPx;
    const ty0 = Math.max(0, Math.floor((y - spread) / TILE_PX)),
      ty1 = Math.min(tiles.y - 1, Math.floor((y + spread) / TILE_PX));
    for (let nx = 0; nx < path.across; nx++) {
      const x = path.x0 + nx * stepPx;
      const tx0 = Math.max(0, Math.floor((x - spread) / TILE_PX)),
        tx1 = Math.min(tiles.x - 1, Math.floor((x + spread) / TILE_PX));
      for (let order = 0; order < orders; order++, p += NODE_FLOATS) {
        const length = Math.min(most[order], Math.sqrt(nodes[p] * nodes[p] + nodes[p + 1] * nodes[p + 1]));
        for (let ty = ty0; ty <= ty1; ty++)
          for (let tx = tx0; tx <= tx1; tx++) {
            const at = (ty * tiles.x + tx) * 4 + order;
            if (length > out[at]) out[at] = length;
          }
      }
    }
  }
  return out;
}

/** Where nodes lie far apart: the longest way at the corners of the layer's colour, wherever the nodes reach. */
function fewNodesTravel(
  { path, colourBox: box }: SliceLayer,
  tiles: { readonly x: number; readonly y: number },
  out: Float32Array,
): Float32Array {
  const most = new Float64Array(4);
  for (const x of [box.x0 - 1, box.x0 + box.width])
    for (const y of [box.y0 - 1, box.y0 + box.height])
      for (let order = 0; order < path.orders; order++)
        most[order] = Math.max(most[order], MARGIN * Math.hypot(...vectorAt(path, order, x, y)));
  const tileOf = (place: number, count: number) => Math.min(count - 1, Math.max(0, Math.floor(place / TILE_PX)));
  for (let ty = tileOf(path.y0, tiles.y); ty <= tileOf(path.y0 + (path.down - 1) * path.stepPx, tiles.y); ty++)
    for (let tx = tileOf(path.x0, tiles.x); tx <= tileOf(path.x0 + (path.across - 1) * path.stepPx, tiles.x); tx++)
      out.set(most, (ty * tiles.x + tx) * 4);
  return out;
}

/** A power's vector at a place, from the four nodes around it. */
function vectorAt({ x0, y0, across, down, stepPx, orders, nodes }: PathGrid, order: number, x: number, y: number): [number, number] {
  const u = Math.min(across - 1, Math.max(0, (x - x0) / stepPx)),
    v = Math.min(down - 1, Math.max(0, (y - y0) / stepPx)),
    ix = Math.min(across - 2, Math.floor(u)),
    iy = Math.min(down - 2, Math.floor(v));
  const part = (k: number) => {
    const at = (nx: number, ny: number) => nodes[((ny * across + nx) * orders + order) * NODE_FLOATS + k];
    const top = at(ix, iy) * (1 - u + ix) + at(ix + 1, iy) * (u - ix),
      bottom = at(ix, iy + 1) * (1 - u + ix) + at(ix + 1, iy + 1) * (u - ix);
    return top * (1 - v + iy) + bottom * (v - iy);
  };
  return [part(0), part(1)];
}

/** By power of the time: the longest way of all nodes where the layer has colour. */
function longestOwn({ path, colour, colourBox: box }: SliceLayer): Float64Array {
  const { orders, nodes, stepPx } = path,
    squares = new Float64Array(orders);
  const left = Math.floor(path.x0) - box.x0,
    top = Math.floor(path.y0) - box.y0;
  for (let ny = 0, p = 0; ny < path.down; ny++) {
    for (let nx = 0; nx < path.across; nx++) {
      // 0: not looked at yet; only a node that would count needs to be.
      let seen = 0;
      for (let order = 0; order < orders; order++, p += NODE_FLOATS) {
        const square = nodes[p] * nodes[p] + nodes[p + 1] * nodes[p + 1];
        if (!(square > squares[order])) continue;
        if (seen === 0) seen = hasColour(colour, box, left + nx * stepPx, top + ny * stepPx, stepPx) ? 1 : -1;
        if (seen > 0) squares[order] = square;
      }
    }
  }
  return squares.map((square) => MARGIN * Math.sqrt(square));
}

/** Whether the layer has colour between the node at (x, y) and the next ones. Glows have colour without coverage. */
function hasColour(colour: Float32Array, box: Size, x: number, y: number, stepPx: number): boolean {
  for (let py = Math.max(0, y); py < Math.min(box.height, y + stepPx); py++) {
    for (let px = Math.max(0, x); px < Math.min(box.width, x + stepPx); px++) {
      const k = (py * box.width + px) * 4;
      if (colour[k + 3] !== 0 || colour[k] !== 0 || colour[k + 1] !== 0 || colour[k + 2] !== 0) return true;
    }
  }
  return false;
}
