/** Pieces of the picture while they are put together: numbers in `of` may be changed, `count` and the lists go with them. */
export interface Pieces {
  readonly of: Int32Array;
  count: number;
  sizes: Int32Array;
  /** By piece: its object's id; 0 when it has none. */
  idOf: Float64Array;
}

/** Joins pieces: `target` is the number of the piece that each goes to. */
export function renumber(pieces: Pieces, target: Int32Array): void {
  const { of, sizes, idOf } = pieces;
  const next = new Int32Array(pieces.count).fill(-1);
  let count = 0;
  for (let piece = 0; piece < pieces.count; piece++) if (target[piece] === piece) next[piece] = count++;
  const newSizes = new Int32Array(count),
    newIds = new Float64Array(count);
  for (let piece = 0; piece < pieces.count; piece++) {
    const to = next[target[piece]];
    newSizes[to] += sizes[piece];
    if (target[piece] === piece) newIds[to] = idOf[piece];
  }
  for (let i = 0; i < of.length; i++) if (of[i] >= 0) of[i] = next[target[of[i]]];
  pieces.count = count;
  pieces.sizes = newSizes;
  pieces.idOf = newIds;
}
