import { CLIPPED_X, CLIPPED_Y, repairField, roundToHalf, type BlurFramePasses, type MotionField, type RepairStep } from '@ivrex/core';
import { eachFrame, type SceneFrames } from './measure-fidelity';

/** What goes wrong with passes in production, and what mends it. */
export interface Damage {
  readonly name: string;
  readonly apply: (passes: BlurFramePasses) => BlurFramePasses;
  /** Null: nothing does, or nothing need be done. */
  readonly mend: ((passes: BlurFramePasses, before: BlurFramePasses) => BlurFramePasses) | null;
}

/** Normal deviates, the same ones each time (Box and Muller 1958, from a linear congruential generator). */
function makeNoise(seed: number): () => number {
  let state = seed;
  const uniform = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 4294967296;
  return () => Math.sqrt(-2 * Math.log(1 - uniform())) * Math.cos(2 * Math.PI * uniform());
}

function withVectors(passes: BlurFramePasses, change: (value: number, i: number, vectors: Float32Array) => number): BlurFramePasses {
  const changed = (vectors: Float32Array) => vectors.map((v, i) => (passes.motion.valid[i >> 1] === 1 ? change(v, i, vectors) : 0));
  const { toNext, toPrevious } = passes.motion;
  return { ...passes, motion: { ...passes.motion, toNext: changed(toNext), toPrevious: changed(toPrevious) } };
}

function repaired(
  passes: BlurFramePasses,
  steps: readonly RepairStep[],
  clipped: Uint8Array | null,
  halfStepPx: number | null,
): BlurFramePasses {
  const alpha = Float32Array.from({ length: passes.motion.valid.length }, (_, i) => passes.rgba[i * 4 + 3]);
  const halfStep = halfStepPx === null ? null : new Float32Array(alpha.length * 2).fill(halfStepPx);
  return { ...passes, motion: repairField(passes.motion, steps, { alpha, clipped, black: null, halfStep }).field };
}

/** The longest component of all vectors. */
function range({ toNext, toPrevious }: MotionField): number {
  return [toNext, toPrevious].reduce((most, vectors) => vectors.reduce((m, v) => Math.max(m, Math.abs(v)), most), 0);
}

const CLIPPED_AT = 0.7,
  STEP_PX = 0.5,
  VECTOR_NOISE_PX = 0.3,
  RENDER_NOISE = 0.03;

export const DAMAGES: readonly Damage[] = [
  { name: 'vectors in half floats', apply: (passes) => withVectors(passes, roundToHalf), mend: null },
  {
    name: `noisy vectors, ${VECTOR_NOISE_PX} px`,
    apply: (passes) => {
      const noise = makeNoise(7);
      return withVectors(passes, (v) => v + VECTOR_NOISE_PX * noise());
    },
    mend: null,
  },
  {
    name: `noisy render, ${100 * RENDER_NOISE} %`,
    apply: (passes) => {
      const noise = makeNoise(11);
      return { ...passes, rgba: passes.rgba.map((v, i) => (i % 4 === 3 ? v : Math.max(0, v * (1 + RENDER_NOISE * noise())))) };
    },
    mend: null,
  },
  {
    name: `stored in steps of ${STEP_PX} px`,
    apply: (passes) => withVectors(passes, (v) => Math.round(v / STEP_PX) * STEP_PX),
    mend: (passes) => repaired(passes, [{ kind: 'smoothSteps', on: true }], null, STEP_PX / 2),
  },
  {
    name: `clipped at ${100 * CLIPPED_AT} % of the largest`,
    apply: (passes) => {
      const most = CLIPPED_AT * range(passes.motion);
      return withVectors(passes, (v) => Math.min(most, Math.max(-most, v)));
    },
    mend: (passes, before) => {
      const most = CLIPPED_AT * range(before.motion);
      const mask = new Uint8Array(passes.motion.valid.length);
      for (const vectors of [before.motion.toNext, before.motion.toPrevious])
        for (let i = 0; i < vectors.length; i++) if (Math.abs(vectors[i]) >= most) mask[i >> 1] |= i % 2 === 0 ? CLIPPED_X : CLIPPED_Y;
      return repaired(passes, [{ kind: 'fillHoles', on: true, clipped: true }], mask, null);
    },
  },
  {
    name: 'filtered across edges (3 x 3)',
    apply: filterAcrossEdges,
    mend: (passes) =>
      repaired(
        passes,
        [
          { kind: 'outliers', on: true },
          { kind: 'growEdges', on: true, reachPx: 3 },
        ],
        null,
        null,
      ),
  },
];

/** As a picture is resampled: vectors at edges become means of two motions, or of one and nothing. */
function filterAcrossEdges(passes: BlurFramePasses): BlurFramePasses {
  const { width, height } = passes.motion;
  return withVectors(passes, (_, i, vectors) => {
    const pixel = i >> 1,
      x = pixel % width,
      y = Math.floor(pixel / width);
    let sum = 0;
    for (let dy = -1; dy <= 1; dy++)
      for (let dx = -1; dx <= 1; dx++) {
        const nx = Math.min(width - 1, Math.max(0, x + dx)),
          ny = Math.min(height - 1, Math.max(0, y + dy));
        sum += vectors[(ny * width + nx) * 2 + (i & 1)];
      }
    return sum / 9;
  });
}

/** All frames with the damage, and with what mends it. */
export function damaged(frames: SceneFrames, { apply, mend }: Damage): { damaged: SceneFrames; mended: SceneFrames | null } {
  return {
    damaged: eachFrame(frames, apply),
    mended: mend === null ? null : eachFrame(frames, (passes) => mend(apply(passes), passes)),
  };
}
