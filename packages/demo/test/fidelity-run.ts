import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import type { BlurFramePasses } from '@ivrex/core';
import { againstTruth, FIDELITY_SHUTTERS, postBlur, sceneFrames, sceneTruth, type SceneFrames } from '../src/fidelity/measure-fidelity';
import { damaged, DAMAGES } from '../src/fidelity/damages';
import { ownVectorGather } from '../src/fidelity/own-vector-gather';
import { fidelityScenes } from '../src/fidelity/scenes';

/** Prints masked PSNR of every scene under the two shutters of the goals: a list of { scene, shutter, ivrex, draft, gather, finite, filtered, less }. */
const size = { width: 256, height: 144 };
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const filter = DAMAGES.filter(({ name }) => name.startsWith('filtered across edges'))[0];
/** The same frames with less said about them. */
const LESS: Readonly<Record<string, (f: SceneFrames) => SceneFrames>> = {
  'without ids': (f) => without(f, { ids: null }),
  'without depth': (f) => without(f, { depth: null }),
  'without both': (f) => without(f, { ids: null, depth: null }),
  'with ids in the neighbours alone': (f) => ({ ...f, now: { ...f.now, ids: null } }),
};
const without = ({ size: of, previous, now, next }: SceneFrames, less: Partial<BlurFramePasses>): SceneFrames => ({
  size: of,
  previous: { ...previous, ...less },
  now: { ...now, ...less },
  next: { ...next, ...less },
});
const FILTERED = new Set(['spinner', 'crossing']);
const rows = fidelityScenes(size.width).flatMap((scene) => {
  const cards = scene.makeCards(),
    frames = sceneFrames(scene, cards, size);
  return [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]].map((shutter) => {
    const truth = sceneTruth(scene, cards, shutter, size, 1),
      blurred = postBlur(kernels, frames, shutter, 'final').rgba;
    const db = (rgba: Float32Array) => againstTruth(rgba, truth, frames).maskedPsnr;
    return {
      scene: scene.name,
      shutter: shutter.name,
      ivrex: db(blurred),
      draft: db(postBlur(kernels, frames, shutter, 'draft').rgba),
      gather: db(ownVectorGather(frames.now.rgba, frames.now.motion, shutter.opens, shutter.closes, 48)),
      finite: blurred.every(Number.isFinite),
      less:
        shutter === FIDELITY_SHUTTERS[0]
          ? {
              ...Object.fromEntries(
                Object.entries(LESS).map(([name, of]) => [name, db(postBlur(kernels, of(frames), shutter, 'final').rgba)]),
              ),
              'without neighbours': db(postBlur(kernels, frames, shutter, 'final', { previous: null, next: null }).rgba),
            }
          : null,
      filtered: FILTERED.has(scene.name) ? db(postBlur(kernels, damaged(frames, filter).damaged, shutter, 'final').rgba) : null,
    };
  });
});
process.stdout.write(JSON.stringify(rows));
