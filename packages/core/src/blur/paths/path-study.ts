import type { PathGrid } from '@ivrex/kernels/interface';
import { FLOW_NUMBERS, flowOf } from './affine-path';
import type { KeyedField } from './affine-fit';

/** What the paths of one frame's surfaces are fitted to. */
export interface PathStudy {
  readonly model: 'straight' | 'bent' | 'arc';
  readonly shear: boolean;
  /** The frame's motion, its surfaces as keys; below 0 where a vector can't be believed. */
  readonly field: KeyedField & { readonly toNext: Float32Array; readonly toPrevious: Float32Array };
  readonly depth: Float32Array | null;
  /** By key: the object's id, the same in every frame; 0 when there are no ids. */
  readonly idOf: ArrayLike<number>;
  /** The motion after and before, for paths that change their pace; ids as keys, below 0 where there is no vector. */
  readonly after: NeighbourField | null;
  readonly before: NeighbourField | null;
}

export interface NeighbourField extends KeyedField {
  readonly toNext: Float32Array;
  readonly toPrevious: Float32Array;
  readonly hasIds: boolean;
}

export interface SurfacePath {
  readonly grid: PathGrid;
  /** For every node the index of the nearest node that lies on the surface itself; -1 when there is none. */
  readonly nearest: Int32Array;
  /** By node on the surface: its depth; 0 when there is none. */
  readonly depth: Float32Array;
  /** Of a speck, whose nodes are all carried on from it: where it lies. */
  readonly seat: { readonly x: number; readonly y: number } | null;
}

/** Two flows a node: to the next frame and to the one before (times +1 and -1). */
export const ENDS = 2 * FLOW_NUMBERS;

export interface Nodes {
  readonly x0: number;
  readonly y0: number;
  readonly across: number;
  readonly down: number;
}

/** The path parameter at the end of one frame: a flow for arcs, else the vector and its gradient as they are. */
export function writeFlow(model: PathStudy['model'], fit: Float64Array, at: number, out: Float64Array, turnNear = 0, outAt = 0): void {
  if (model === 'arc') flowOf(fit[at], fit[at + 1], fit[at + 2], fit[at + 3], fit[at + 4], fit[at + 5], out, turnNear, outAt);
  else for (let k = 0; k < FLOW_NUMBERS; k++) out[outAt + k] = fit[at + k];
}
