import { NODE_FLOATS, NODE_PX, type PathGrid } from '@ivrex/kernels/interface';
import { TILE_PX, tilesAcross, type Size } from './blur-plan';

/** Longest way in each tile of the picture, a frame: by power of the time, as the renderer needs it. */
export function tileTravel(path: PathGrid, size: Size): Float32Array {
  const tiles = tilesAcross(size),
    out = new Float32Array(tiles.x * tiles.y * 4);
  const spread = Math.max(1, NODE_PX / 2);
  for (let ny = 0; ny < path.down; ny++) {
    const y = path.y0 + ny * NODE_PX;
    const ty0 = Math.max(0, Math.floor((y - spread) / TILE_PX)),
      ty1 = Math.min(tiles.y - 1, Math.floor((y + spread) / TILE_PX));
    for (let nx = 0; nx < path.across; nx++) {
      const x = path.x0 + nx * NODE_PX;
      const tx0 = Math.max(0, Math.floor((x - spread) / TILE_PX)),
        tx1 = Math.min(tiles.x - 1, Math.floor((x + spread) / TILE_PX));
      for (let order = 0; order < path.orders; order++) {
        const p = ((ny * path.across + nx) * path.orders + order) * NODE_FLOATS,
          length = Math.hypot(path.nodes[p], path.nodes[p + 1]);
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
