import type { Flow } from '../flow/flow';
import type { Pyramid } from '../flow/pyramid';
import { fitWarp, type LinearMotion } from './warp-fit';

/**
 * A plane that moves: displacement (a + b x + c y, d + e x + f y) in pixels, x and y from the picture's middle. Wheels that turn, walls
 * and floors that a camera passes, and limbs are such pieces, or nearly.
 */
export interface Piece {
  readonly parameters: Float64Array;
  /** Places that told it, from the picture's middle. */
  readonly x: Float64Array;
  readonly y: Float64Array;
}

type FrameSize = Pick<Flow, 'width' | 'height'>;

const MOST_SLID = 2500;

/** Slid to where the picture around its places fits best, coarse level to fine. */
export function slid(piece: Piece, { width, height }: FrameSize, from: Pyramid, to: Pyramid, levels: readonly number[]): Piece {
  const every = Math.max(1, piece.x.length / MOST_SLID),
    count = Math.floor(piece.x.length / every);
  const x = new Float64Array(count),
    y = new Float64Array(count);
  for (let k = 0; k < count; k++) {
    x[k] = piece.x[Math.floor(k * every)];
    y[k] = piece.y[Math.floor(k * every)];
  }
  const ones = new Float64Array(count).fill(1);
  const motion: LinearMotion = { basisX: [ones, x, y, null, null, null], basisY: [null, null, null, ones, x, y] };
  const pictures = {
    x: Int32Array.from(x, (v) => Math.round(v + width / 2)),
    y: Int32Array.from(y, (v) => Math.round(v + height / 2)),
    from,
    to,
  };
  return { ...piece, parameters: fitWarp(pictures, motion, piece.parameters, levels) };
}
