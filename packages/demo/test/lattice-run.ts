import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS } from '../src/fidelity/frames';
import { againstTruth, eachFrame, onlyFrames, plansOf, postBlur, sceneFrames, type SceneFrames } from '../src/fidelity/measure-fidelity';

/** Prints masked PSNR for every subset of what can be known of a scene: a list of { scene, shutter, db }, `db` by subset, bit n being KNOWN[n]. */
const size = { width: 192, height: 108 };
const SOLID_MOMENTS = 128;
/** As in lattice.test.ts. */
const [IDS, DEPTH, PREVIOUS, NEXT, SECOND] = [1, 2, 4, 8, 16],
  SUBSETS = 32;
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const shutters = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]];

/** The scene with no more known of it than this. */
function knowing(frames: SceneFrames, known: number): SceneFrames {
  const has = (what: number) => (known & what) !== 0;
  const kept = onlyFrames(frames, [...(has(PREVIOUS) ? [-2, -1] : []), 0, ...(has(NEXT) ? [1, 2] : [])]);
  return eachFrame(kept, ({ rgba, ids, depth, motion }) => ({
    rgba,
    ids: has(IDS) ? ids : null,
    depth: has(DEPTH) ? depth : null,
    // One set of vectors, as decoding makes it.
    motion: has(SECOND) ? motion : { ...motion, twoSided: false, toPrevious: motion.toNext.map((v) => -v) },
  }));
}

const rows = everyScene(size, 1, SOLID_MOMENTS).flatMap(({ name, shoot }) => {
  const shot = shoot(),
    frames = sceneFrames(shot),
    truths = shot.expose(shutters),
    db: number[][] = shutters.map(() => []);
  for (let known = 0; known < SUBSETS; known++) {
    const plans = plansOf(knowing(frames, known));
    shutters.forEach((shutter, n) =>
      db[n].push(againstTruth(postBlur(kernels, plans, shutter, 'final').rgba, truths[n], frames).maskedPsnr ?? 0),
    );
  }
  return shutters.map((shutter, n) => ({ scene: name, shutter: shutter.name, db: db[n] }));
});
process.stdout.write(JSON.stringify(rows));
