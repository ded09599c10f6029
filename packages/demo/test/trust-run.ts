import { existsSync, readFileSync } from 'node:fs';
import {
  blurMask,
  makeTrustMap,
  markedFrom,
  mixFrames,
  mixReach,
  neighboursToMix,
  prepareBlur,
  renderMixedRows,
  type BlurInput,
  type MixedPlan,
  type NeighbourPlan,
  type OpenSlices,
  type PathChoice,
} from '@ivrex/core';
import { encodingSchema } from '@ivrex/contract';
import { loadFramePasses, loadNodeHost, loadPicture, type FrameFiles, type FramePasses } from '@ivrex/media';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS } from '../src/fidelity/frames';
import { frameNow, plansOf, postBlur, sceneFrames } from '../src/fidelity/measure-fidelity';

/** Prints how confidence maps stand to true errors: of frames of TC_010, and of the scenes of depth. */
const host = await loadNodeHost('packages/kernels/build/kernels.wasm'),
  open: OpenSlices = (layers) => host.kernels.openSlices(layers);

type Passes = Omit<BlurInput, 'reachFrames'>;
type Shutter = Parameters<typeof mixFrames>[3];

/** Of the pixels that the blur changes, and 4 px around them. */
function score({ plan, mix }: MixedPlan, passes: Passes, shutter: Shutter, blurred: Float32Array, truth: Float32Array) {
  const map = makeTrustMap({ plan, shutter, mix, blurred, input: { passes, doubtful: null } }, open);
  const mask = blurMask(blurred, plan.sharp, plan.width, plan.height),
    from = markedFrom(map.expected, mask);
  const errors: number[] = [],
    expected: number[] = [];
  for (let i = 0; i < mask.length; i++) {
    if (mask[i] === 0) continue;
    let error = 0;
    for (let c = i * 4; c < i * 4 + 4; c++) error = Math.max(error, Math.abs(blurred[c] - truth[c]));
    errors.push(error);
    expected.push(map.expected[i]);
  }
  const worst = [...errors.keys()].sort((a, b) => errors[b] - errors[a]).slice(0, Math.ceil(errors.length * 0.05));
  const mean = (list: readonly number[]) => list.reduce((a, b) => a + b, 0) / list.length;
  return {
    rank: correlation(ranks(errors), ranks(expected)),
    found: worst.filter((i) => expected[i] >= from).length / worst.length,
    marked: expected.filter((v) => v >= from).length / expected.length,
    expected: mean(expected),
    error: mean(errors),
    pathShare: mean([...mask.keys()].filter((i) => mask[i] === 1).map((i) => map.causes.path[i])),
  };
}

const encoding = encodingSchema.parse(JSON.parse(readFileSync('packages/demo/encodings/heron.json', 'utf8')));

function filesOf(size: 'golden' | 'small', frame: number): FrameFiles {
  const layer = (name: string) => ({ file: `.cache/demo/${size}/TC_010/TC_010_heron.${frame}.exr`, part: 0, layer: name });
  return { beauty: layer(''), motion: layer('motion'), depth: layer('depth'), ids: layer('id') };
}

function load(size: 'golden' | 'small', frame: number): Promise<FramePasses> {
  const there = (f: number) => (existsSync(filesOf(size, f).beauty.file) ? filesOf(size, f) : null);
  return loadFramePasses({ ...filesOf(size, frame), previous: there(frame - 1), next: there(frame + 1), encoding, fps: null }, host);
}

async function heron(size: 'golden' | 'small', path: PathChoice, frame: number) {
  const passes = { ...(await load(size, frame)), path },
    shutter = { opens: -0.25, closes: 0.25, strength: 1 };
  const wanted = neighboursToMix({ bothFrames: 'auto', quality: 'final', shutter, limits: null, path });
  const own = prepareBlur({ ...passes, reachFrames: mixReach(wanted, shutter) });
  const neighbours: NeighbourPlan[] = [];
  for (const at of wanted.at) neighbours.push({ at, plan: prepareBlur({ ...(await load(size, frame + at)), path, reachFrames: 1 }) });
  const mixed = mixFrames(own, wanted, neighbours, shutter, open, true);
  const file = `.cache/demo/${size}/TC_010/TC_010_heron_blur180.${frame}.exr`;
  const { rgba: truth } = await loadPicture({ file, part: 0, layer: '' }, host);
  const blurred = new Float32Array(truth.length);
  renderMixedRows(mixed, { shutter, quality: 'final', samples: 'auto' }, 0, own.height, blurred, open);
  return { size, path, frame, ...score(mixed, passes, shutter, blurred, truth) };
}

/** The scenes of depth, small. */
const SCENE_SIZE = { width: 256, height: 144 },
  MOMENTS = 64;

function scenes() {
  const shutters = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]];
  return everyScene(SCENE_SIZE, 1, MOMENTS)
    .filter(({ kind }) => kind === 'solid')
    .flatMap(({ name, shoot }) => {
      const shot = shoot(),
        frames = sceneFrames(shot),
        plans = plansOf(frames);
      const around = { previous: frames.frames.get(-1) ?? null, next: frames.frames.get(1) ?? null };
      const passes: Passes = { ...SCENE_SIZE, ...frameNow(frames), ...around, path: 'auto' };
      return shot.expose(shutters).map((truth, n) => {
        const { mixed, rgba } = postBlur(host.kernels, plans, shutters[n], 'final', { withErrors: true }),
          { opens, closes } = shutters[n];
        return { scene: name, shutter: shutters[n].name, ...score(mixed, passes, { opens, closes, strength: 1 }, rgba, truth) };
      });
    });
}

const CASES: readonly (readonly ['golden' | 'small', PathChoice, number])[] = [
  ['golden', 'auto', 1008],
  ['golden', 'straight', 1008],
  ['small', 'auto', 1004],
  ['small', 'auto', 1012],
  ['small', 'auto', 1016],
  ['small', 'auto', 1020],
];
const rows = [];
for (const each of CASES) rows.push(await heron(...each));
process.stdout.write(JSON.stringify({ heron: rows, scenes: scenes() }));

/** Equal values share their mean rank. */
function ranks(values: readonly number[]): Float64Array {
  const order = [...values.keys()].sort((a, b) => values[a] - values[b]),
    out = new Float64Array(values.length);
  for (let i = 0; i < order.length;) {
    let j = i;
    while (j < order.length && values[order[j]] === values[order[i]]) j++;
    for (let k = i; k < j; k++) out[order[k]] = (i + j - 1) / 2;
    i = j;
  }
  return out;
}

function correlation(a: Float64Array, b: Float64Array): number {
  const mean = (a.length - 1) / 2;
  let ab = 0,
    aa = 0,
    bb = 0;
  for (let i = 0; i < a.length; i++) {
    ab += (a[i] - mean) * (b[i] - mean);
    aa += (a[i] - mean) ** 2;
    bb += (b[i] - mean) ** 2;
  }
  return ab / Math.sqrt(aa * bb);
}
