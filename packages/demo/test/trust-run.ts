import { existsSync, readFileSync } from 'node:fs';
import {
  blurMask,
  makeTrustMap,
  MARKED,
  mixFrames,
  mixReach,
  neighboursToMix,
  prepareBlur,
  renderMixedRows,
  type NeighbourPlan,
  type PathChoice,
} from '@ivrex/core';
import type { SliceLayer } from '@ivrex/kernels/interface';
import { loadFramePasses, loadNodeHost, loadPicture, type FrameFiles, type FramePasses } from '@ivrex/media';
import { encodingSchema } from '@ivrex/contract';

/** Prints how the trust map of TC_010 stands to the true error: a list of { size, path, frame, rank, found, marked, expected, error }. */
const host = await loadNodeHost('packages/kernels/build/kernels.wasm');
const encoding = encodingSchema.parse(JSON.parse(readFileSync('packages/demo/encodings/heron.json', 'utf8')));

function filesOf(size: 'golden' | 'small', frame: number): FrameFiles {
  const layer = (name: string) => ({ file: `.cache/demo/${size}/TC_010/TC_010_heron.${frame}.exr`, part: 0, layer: name });
  return { beauty: layer(''), motion: layer('motion'), depth: layer('depth'), ids: layer('id') };
}

function load(size: 'golden' | 'small', frame: number): Promise<FramePasses> {
  const there = (f: number) => (existsSync(filesOf(size, f).beauty.file) ? filesOf(size, f) : null);
  return loadFramePasses({ ...filesOf(size, frame), previous: there(frame - 1), next: there(frame + 1), encoding, fps: null }, host);
}

const rows = [];
const CASES: readonly (readonly ['golden' | 'small', PathChoice, number])[] = [
  ['golden', 'auto', 1008],
  ['golden', 'straight', 1008],
  ['small', 'auto', 1004],
  ['small', 'auto', 1012],
  ['small', 'auto', 1016],
  ['small', 'auto', 1020],
];
for (const [size, path, frame] of CASES) {
  const loaded = await load(size, frame);
  const passes = { ...loaded, path },
    shutter = { opens: -0.25, closes: 0.25, strength: 1 };
  const open = (layers: readonly SliceLayer[]) => host.kernels.openSlices(layers),
    wanted = neighboursToMix({ bothFrames: 'auto', quality: 'final', shutter, limits: null, path });
  const own = prepareBlur({ ...passes, reachFrames: mixReach(wanted, shutter) });
  const neighbours: NeighbourPlan[] = [];
  for (const at of wanted.at) neighbours.push({ at, plan: prepareBlur({ ...(await load(size, frame + at)), path, reachFrames: 1 }) });
  const mixed = mixFrames(own, wanted, neighbours, shutter, open),
    { plan, mix } = mixed;
  const { rgba: truth } = await loadPicture(
    { file: `.cache/demo/${size}/TC_010/TC_010_heron_blur180.${frame}.exr`, part: 0, layer: '' },
    host,
  );
  const blurred = new Float32Array(truth.length);
  renderMixedRows(mixed, { shutter, quality: 'final', samples: 'auto' }, 0, plan.height, blurred, open);
  const map = makeTrustMap({ plan, shutter, mix, input: { passes, doubtful: null } }, open);
  const mask = blurMask(truth, plan.sharp, plan.width, plan.height);
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
  rows.push({
    size,
    path,
    frame,
    rank: correlation(ranks(errors), ranks(expected)),
    found: worst.filter((i) => expected[i] >= MARKED).length / worst.length,
    marked: expected.filter((v) => v >= MARKED).length / expected.length,
    expected: mean(expected),
    error: mean(errors),
    pathShare: mean([...mask.keys()].filter((i) => mask[i] === 1).map((i) => map.causes.path[i])),
  });
}
process.stdout.write(JSON.stringify(rows));

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
