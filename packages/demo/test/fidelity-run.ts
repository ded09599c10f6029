import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import { againstTruth, FIDELITY_SHUTTERS, postBlur, sceneFrames, sceneTruth } from '../src/fidelity/measure-fidelity';
import { damaged, DAMAGES } from '../src/fidelity/damages';
import { ownVectorGather } from '../src/fidelity/own-vector-gather';
import { fidelityScenes } from '../src/fidelity/scenes';

/** Prints masked PSNR of every scene under the two shutters of the goals: a list of { scene, shutter, ivrex, draft, gather, finite, filtered }. */
const size = { width: 256, height: 144 };
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const filter = DAMAGES.filter(({ name }) => name.startsWith('filtered across edges'))[0];
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
      filtered: FILTERED.has(scene.name) ? db(postBlur(kernels, damaged(frames, filter).damaged, shutter, 'final').rgba) : null,
    };
  });
});
process.stdout.write(JSON.stringify(rows));
