import type { PathGrid } from '@ivrex/kernels/interface';
import { areaKept, FLOW_NUMBERS, flowOf } from './affine-path';
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
  /** Pixels from one to the next. */
  readonly stepPx: number;
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

/** What shrinks to less than this of its area within a frame is about to fold: no steady flow takes it there. Mirrored by more, it is noise. */
const LEAST_AREA = 0.5,
  MOST_MIRRORED = -0.5;
/** Of a frame: as far a surface is followed that folds within it. */
const HALF = 0.5;

/**
 * Both ends of a node's path, in place of its two fits. False where the surface folds or turns edge on within the frame: places and gradients then follow
 * the parabola of the time through both fits, and the ends are those of the flows that lead half as far along it. A frame alone is followed to its ends,
 * where only the vectors themselves are right; else its neighbours' blur is there.
 */
export function writeEnds(
  { model, after, before }: Pick<PathStudy, 'model' | 'after' | 'before'>,
  fits: Float64Array,
  at: number,
): boolean {
  const back = at + FLOW_NUMBERS,
    area = Math.min(areaKept(fits, at), areaKept(fits, back)),
    isAlone = after === null && before === null;
  if (model !== 'arc' || isAlone || area > LEAST_AREA || area < MOST_MIRRORED) {
    writeFlow(model, fits, at, fits, 0, at);
    writeFlow(model, fits, back, fits, 0, back);
    return true;
  }
  for (let k = 0; k < FLOW_NUMBERS; k++) {
    const odd = (HALF * (fits[at + k] - fits[back + k])) / 2,
      even = (HALF * HALF * (fits[at + k] + fits[back + k])) / 2;
    halves[k] = even + odd;
    halves[FLOW_NUMBERS + k] = even - odd;
  }
  writeFlow(model, halves, 0, halves);
  writeFlow(model, halves, FLOW_NUMBERS, halves, 0, FLOW_NUMBERS);
  for (let k = 0; k < FLOW_NUMBERS; k++) {
    const odd = (halves[k] - halves[FLOW_NUMBERS + k]) / (2 * HALF),
      even = (halves[k] + halves[FLOW_NUMBERS + k]) / (2 * HALF * HALF);
    fits[at + k] = even + odd;
    fits[back + k] = even - odd;
  }
  return false;
}

const halves = new Float64Array(ENDS);
