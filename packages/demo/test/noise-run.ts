import { readFileSync } from 'node:fs';
import type { BlurFramePasses } from '@ivrex/core';
import { instantiateKernels } from '@ivrex/kernels';
import { drawFrom } from '../src/detection/seeded-choice';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS } from '../src/fidelity/frames';
import { plansOf, postBlur, sceneFrames, type SceneFrames } from '../src/fidelity/measure-fidelity';

/**
 * Prints what the noise of few samples a pixel becomes: a list of { scene, shutter, samples, noise, kept }. Noise is what the blur of noisy frames differs by
 * from that of clean ones; `noise`: its size over that of the mean of so many independent pixels as the streak is long; `kept`: the size of its mean over
 * five frames over the size in one.
 */
const size = { width: 192, height: 108 };
/** Scenes in which nothing passes a thing that moves otherwise: there a pixel's own streak says how much is averaged. */
const SCENES = new Set(['linear', 'dolly', 'walker before a wall', 'rotor']);
const SHOTS = [-2, -1, 0, 1, 2];
/** Streaks from here on, pixels; shorter ones are not told from what the filter does. */
const STREAK_PX = 3;
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));

/** Of light v, the mean of so many samples that are off by about half of it: a spread of v / 2 / sqrt(samples). */
const spreadOf = (light: number, samples: number) => light / 2 / Math.sqrt(samples);

function noisy(passes: BlurFramePasses, samples: number, seed: number): BlurFramePasses {
  const draw = drawFrom(seed),
    rgba = Float32Array.from(passes.rgba);
  for (let i = 0; i < rgba.length; i += 4)
    for (let c = i; c < i + 3; c++) rgba[c] = Math.max(0, rgba[c] + spreadOf(rgba[c], samples) * draw.normal());
  return { ...passes, rgba };
}

/** The frames around one that is blurred. */
function around(frames: ReadonlyMap<number, BlurFramePasses>, shot: number): SceneFrames {
  return { size, frames: new Map([...frames].map(([offset, passes]) => [offset - shot, passes])) };
}

const rows = everyScene(size, 1, 1)
  .filter(({ name }) => SCENES.has(name))
  .flatMap(({ name, shoot }) => {
    const { frames } = sceneFrames(shoot(), [-4, -3, -2, -1, 0, 1, 2, 3, 4]);
    return [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]].flatMap((shutter) => {
      const open = shutter.closes - shutter.opens,
        clean = SHOTS.map((shot) => postBlur(kernels, plansOf(around(frames, shot)), shutter, 'final').rgba);
      return [16, 64].map((samples) => {
        const grainy = new Map([...frames].map(([offset, passes]) => [offset, noisy(passes, samples, samples * 100 + offset)]));
        let squares = 0,
          expected = 0;
        const sums = new Float64Array(clean[0].length),
          ofSquares = new Float64Array(clean[0].length),
          counts = new Uint8Array(clean[0].length);
        SHOTS.forEach((shot, n) => {
          const made = postBlur(kernels, plansOf(around(grainy, shot)), shutter, 'final').rgba,
            { rgba, motion } = frames.get(shot) as BlurFramePasses;
          for (let i = 0; i < motion.valid.length; i++) {
            const streak = open * Math.hypot(motion.toNext[i * 2], motion.toNext[i * 2 + 1]);
            if (rgba[i * 4 + 3] < 1 || streak < STREAK_PX) continue;
            for (let c = i * 4; c < i * 4 + 3; c++) {
              const off = made[c] - clean[n][c];
              squares += off * off;
              expected += spreadOf(clean[n][c], samples) ** 2 / streak;
              sums[c] += off;
              ofSquares[c] += off * off;
              counts[c]++;
            }
          }
        });
        let kept = 0,
          once = 0;
        counts.forEach((count, c) => {
          if (count < SHOTS.length) return;
          kept += (sums[c] / SHOTS.length) ** 2;
          once += ofSquares[c] / SHOTS.length;
        });
        return {
          scene: name,
          shutter: shutter.name,
          samples,
          noise: Math.sqrt(squares / expected),
          kept: once === 0 ? null : Math.sqrt(kept / once),
        };
      });
    });
  });
process.stdout.write(JSON.stringify(rows));
