import type { Kernels } from '@ivrex/kernels/interface';
import type { Size } from '../blur/model/blur-plan';
import { blendPixels, type Blend } from './blend';
import { gradeTables, type Grade } from './grade';
import { addGrain, type GrainModel } from './grain';
import { vignetteAt, type Vignette } from './vignette';

/** One element, blurred, as it is laid into the picture. */
export interface AssembledElement {
  /** Premultiplied RGBA of the whole picture. */
  readonly rgba: Float32Array;
  readonly blend: Blend;
  readonly opacity: number;
  /** After the blur. */
  readonly grade: Grade | null;
  /** It is CG: the plate's grain is missing on it. A piece of the plate has it already. */
  readonly wantsGrain: boolean;
}

/** What is done to the whole picture, in this order. */
export interface Finish {
  readonly grade: Grade | null;
  readonly vignette: Vignette | null;
  readonly grain: GrainModel | null;
}

export const NO_FINISH: Finish = { grade: null, vignette: null, grain: null };

/**
 * Rows [yFrom, yTo) of the assembled picture into `out` (premultiplied RGBA of the whole picture). Rows do not depend on each other: any share of
 * them gives the same pixels, in the page and on the server. `elements` run from the farthest to the nearest. Grain goes on the CG after all
 * blur and before the grade on all, as if it had been photographed; `plate` null is an empty picture.
 */
export function assembleRows(
  { width, height }: Size,
  plate: Float32Array | null,
  elements: readonly AssembledElement[],
  { grade, vignette, grain }: Finish,
  frame: number,
  yFrom: number,
  yTo: number,
  out: Float32Array,
  kernels: Pick<Kernels, 'grade'>,
): void {
  const from = yFrom * width,
    to = yTo * width;
  if (plate === null) out.fill(0, from * 4, to * 4);
  else out.set(plate.subarray(from * 4, to * 4), from * 4);
  const covered = grain === null ? null : new Float32Array(width * height);
  for (const element of elements) {
    const tables = gradeTables(element.grade);
    let above = element.rgba;
    if (tables !== null) {
      above = element.rgba.slice();
      kernels.grade(above.subarray(from * 4, to * 4), tables);
    }
    blendPixels(out, above, element.blend, element.opacity, from, to);
    if (covered === null || element.blend !== 'over') continue;
    for (let i = from; i < to; i++) {
      const a = element.opacity * Math.min(1, Math.max(0, above[i * 4 + 3]));
      covered[i] = covered[i] * (1 - a) + (element.wantsGrain ? a : 0);
    }
  }
  if (grain !== null && covered !== null) addGrain(out, width, grain, covered, frame, yFrom, yTo);
  const tables = gradeTables(grade);
  if (tables !== null) kernels.grade(out.subarray(from * 4, to * 4), tables);
  if (vignette === null || vignette.amount === 0) return;
  for (let y = yFrom; y < yTo; y++)
    for (let x = 0; x < width; x++) {
      const light = vignetteAt(vignette, x, y, width, height),
        i = (y * width + x) * 4;
      for (let c = 0; c < 3; c++) out[i + c] *= light;
    }
}
