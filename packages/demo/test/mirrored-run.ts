import { readFileSync } from 'node:fs';
import { addLight, coverLight, type BlurFramePasses } from '@ivrex/core';
import { instantiateKernels } from '@ivrex/kernels';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS, type Shoot } from '../src/fidelity/frames';
import { againstTruth, AROUND, plansOf, postBlur, sceneFrames, type SceneFrames } from '../src/fidelity/measure-fidelity';

/**
 * Prints masked PSNR of scenes that mirror another one: a list of { surface, mirrored, shutter, whole, apart, withDepth }. The beauty is the sum of both,
 * and so is the truth. `whole`: the sum, by the surface's motion. `apart`: the mirrored one as a light pass with motion of its own, ids and depth of
 * the surface. `withDepth`: the same with its surfaces found by that depth.
 */
const size = { width: 256, height: 144 };
const PAIRS = [['dolly', 'flythrough']];
const BRIGHTNESS = 0.5;
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const shots = new Map(everyScene(size, 1, 96).map(({ name, shoot }) => [name, shoot]));
const shotOf = (name: string): Shoot => {
  const shoot = shots.get(name);
  if (shoot === undefined) throw new Error(`there is no scene ${name}`);
  return shoot();
};

function sum(one: Float32Array, other: Float32Array): Float32Array {
  const rgba = Float32Array.from(one);
  addLight(rgba, other, BRIGHTNESS);
  return rgba;
}

function framesOf(of: (offset: number) => BlurFramePasses): SceneFrames {
  return { size, frames: new Map(AROUND.map((offset) => [offset, of(offset)])) };
}

const rows = PAIRS.flatMap(([surface, mirrored]) => {
  const [below, above] = [shotOf(surface), shotOf(mirrored)],
    surfaces = sceneFrames(below),
    lights = sceneFrames(above);
  const at = ({ frames }: SceneFrames, offset: number) => frames.get(offset) as BlurFramePasses;
  const whole = framesOf((offset) => ({ ...at(surfaces, offset), rgba: sum(at(surfaces, offset).rgba, at(lights, offset).rgba) }));
  const light = framesOf((offset) => {
    const rgba = at(lights, offset).rgba.map((v) => v * BRIGHTNESS);
    coverLight(rgba, at(surfaces, offset).rgba, size.width);
    return { ...at(surfaces, offset), motion: at(lights, offset).motion, rgba };
  });
  const shutters = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]],
    [truths, mirroredTruths] = [below.expose(shutters), above.expose(shutters)];
  const plans = { whole: plansOf(whole), surface: plansOf(surfaces), light: plansOf(light, { isLight: true }), deep: plansOf(light) };
  return shutters.map((shutter, n) => {
    const truth = sum(truths[n], mirroredTruths[n]);
    const blurred = (of: keyof typeof plans) => postBlur(kernels, plans[of], shutter, 'final').rgba;
    const db = (rgba: Float32Array) => againstTruth(rgba, truth, whole).maskedPsnr;
    const added = (of: 'light' | 'deep') => {
      const rgba = blurred('surface');
      addLight(rgba, blurred(of));
      return db(rgba);
    };
    return { surface, mirrored, shutter: shutter.name, whole: db(blurred('whole')), apart: added('light'), withDepth: added('deep') };
  });
});
process.stdout.write(JSON.stringify(rows));
