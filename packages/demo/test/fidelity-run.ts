import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import { damaged, DAMAGES } from '../src/fidelity/damages';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS } from '../src/fidelity/frames';
import { againstTruth, frameNow, plansOf, postBlur, sceneFrames } from '../src/fidelity/measure-fidelity';
import { ownVectorGather } from '../src/fidelity/own-vector-gather';

/** Prints masked PSNR of every scene under the two shutters of the goals: a list of { scene, shutter, ivrex, alone, draft, gather, finite, filtered }. */
const size = { width: 256, height: 144 };
const SOLID_MOMENTS = 192;
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const filter = DAMAGES.filter(({ name }) => name.startsWith('filtered across edges'))[0];
const FILTERED = new Set(['spinner', 'crossing']);
const shutters = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]];
const rows = everyScene(size, 1, SOLID_MOMENTS).flatMap(({ name, shoot }) => {
  const shot = shoot(),
    frames = sceneFrames(shot),
    truths = shot.expose(shutters),
    plans = plansOf(frames),
    { rgba, motion } = frameNow(frames);
  return shutters.map((shutter, n) => {
    const db = (picture: Float32Array) => againstTruth(picture, truths[n], frames).maskedPsnr,
      blurred = postBlur(kernels, plans, shutter, 'final').rgba;
    return {
      scene: name,
      shutter: shutter.name,
      ivrex: db(blurred),
      alone: db(postBlur(kernels, plans, shutter, 'final', { bothFrames: 'off' }).rgba),
      draft: db(postBlur(kernels, plans, shutter, 'draft').rgba),
      gather: db(ownVectorGather(rgba, motion, shutter.opens, shutter.closes, 48)),
      finite: blurred.every(Number.isFinite),
      filtered: FILTERED.has(name) ? db(postBlur(kernels, plansOf(damaged(frames, filter).damaged), shutter, 'final').rgba) : null,
    };
  });
});
process.stdout.write(JSON.stringify(rows));
