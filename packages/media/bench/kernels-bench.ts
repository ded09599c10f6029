import { readFileSync } from 'node:fs';
import path from 'node:path';
import { decodeExrPart, encodeExr, parseExrHeader, prepareBlur, renderRows, shutterFromAngle, type BlurInput } from '@ivrex/core';
import { referenceKernels } from '@ivrex/core/reference';
import { encodingSchema } from '@ivrex/contract';
import { loadFramePasses, loadNodeHost } from '../src';
import { best, line } from './measure';

const root = process.cwd(),
  folder = path.join(root, '.cache/demo/tidal-clock/TC_010');
const host = await loadNodeHost(path.join(root, 'packages/kernels/build/kernels.wasm'));
const file = path.join(folder, 'TC_010_heron.1012.exr');
const bytes = new Uint8Array(readFileSync(file)),
  header = parseExrHeader(bytes);

process.stdout.write('CPU time, one thread, best of several; smaller is better\n');
const slowHost = { ...host, kernels: referenceKernels };
const decode = best(8, () => {
  decodeExrPart(bytes, header, 0, null, host);
});
line(
  'EXR ZIP decode, 10 channels, 960 x 540',
  decode,
  'plain kernels',
  best(2, () => {
    decodeExrPart(bytes, header, 0, null, slowHost);
  }),
);
line(
  'EXR ZIP decode, 4 of 10 channels',
  best(8, () => {
    decodeExrPart(bytes, header, 0, ['R', 'G', 'B', 'A'], host);
  }),
  'all channels',
  decode,
);
const image = decodeExrPart(bytes, header, 0, null, host);
line(
  'EXR ZIP encode, 10 channels',
  best(3, () => {
    encodeExr(image, { compression: 'zip' }, host);
  }),
  'decode',
  decode,
);

const encoding = encodingSchema.parse(JSON.parse(readFileSync(path.join(root, 'packages/demo/encodings/heron.json'), 'utf8')));
const pass = (layer: string) => ({ file, part: 0, layer });
const passes = await loadFramePasses(
  { beauty: pass(''), motion: pass('motion'), depth: pass('depth'), ids: pass('id'), encoding, fps: null },
  host,
);
const input: BlurInput = { ...passes, path: 'auto', reachFrames: 0.5 };
const plan = prepareBlur(input);
const out = new Float32Array(plan.width * plan.height * 4),
  shutter = shutterFromAngle(180, 'centre');
const render = (kernels: typeof referenceKernels, quality: 'draft' | 'final') => {
  const session = kernels.openSlices(plan.layers);
  renderRows(plan, session, { shutter, quality, samples: 'auto' }, 0, plan.height, out);
  session.close();
};
const final = best(4, () => render(host.kernels, 'final'));
line(
  'blur slices, final, 180 degrees, 6 surfaces',
  final,
  'plain kernels',
  best(1, () => render(referenceKernels, 'final')),
);
line(
  'blur slices, draft',
  best(6, () => render(host.kernels, 'draft')),
  'final',
  final,
);
line(
  'blur set-up (surfaces, paths, extension, fill)',
  best(4, () => {
    prepareBlur(input);
  }),
  'final slices',
  final,
);
