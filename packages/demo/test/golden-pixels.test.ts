import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { prepareBlur, renderRows, roundToHalf, treatPlan, UNTREATED } from '@ivrex/core';
import type { Kernels } from '@ivrex/kernels';
import { FORM } from '@ivrex/media';
import { loadKernels } from '../../kernels/test/kernels';
import { shootCards, shootSolid } from '../src/fidelity/frames';
import { plansOf, postBlur, sceneFrames } from '../src/fidelity/measure-fidelity';
import { fidelityScenes } from '../src/fidelity/scenes';
import { solidScenes } from '../src/solid/solid-scenes';

/**
 * Frames that are there are kept as long as nothing changed that they were made of, and the program is part of that: when it makes other pixels, FORM in
 * media/src/deliveries/frame-key.ts must become another one, else deliveries keep frames of the program before.
 */
const golden = JSON.parse(readFileSync(path.join(__dirname, 'golden-pixels.json'), 'utf8')) as { form: string; pixels: string };

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

test('a program that makes other pixels has another form', () => {
  const size = { width: 64, height: 36 },
    hash = createHash('sha256');
  for (const scene of fidelityScenes(size.width)) {
    const { frameAt } = shootCards(scene, size, 1),
      now = frameAt(0);
    const plan = prepareBlur({ ...size, ...now, previous: frameAt(-1), next: frameAt(1), path: 'auto', reachFrames: 1 });
    const lens = { focus: 4, farPx: 3, nearPx: 2, mostPx: 6, aperture: { blades: 5, turnDeg: 10 } };
    for (const treatment of [UNTREATED, { limits: { floorPx: 2, ceilingPx: 20 }, grade: null, lens }]) {
      const treated = treatPlan(plan, treatment, now.depth, 'final', (length) => new Float32Array(length), kernels);
      const out = new Float32Array(size.width * size.height * 4),
        session = kernels.openSlices(treated.layers);
      renderRows(
        treated,
        session,
        { shutter: { opens: -0.2, closes: 0.5, strength: 1 }, quality: 'final', samples: 'auto' },
        0,
        size.height,
        out,
      );
      session.close();
      // As files hold them.
      hash.update(Float32Array.from(out, roundToHalf));
    }
  }
  // Both frames of curved, folded and thin things.
  for (const scene of solidScenes(size.width)) {
    const plans = plansOf(sceneFrames(shootSolid(scene, size, 1)));
    hash.update(Float32Array.from(postBlur(kernels, plans, { name: '', opens: -0.2, closes: 0.9 }, 'final').rgba, roundToHalf));
  }
  // When this fails and the change is meant: give FORM another number, then put both into golden-pixels.json.
  expect({ form: FORM, pixels: hash.digest('hex') }).toEqual(golden);
});
