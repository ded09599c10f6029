import { readFileSync } from 'node:fs';
import { comparePictures, NEUTRAL_GRADE, NO_FINISH, PLAIN_SHAPE, type Finish } from '@ivrex/core';
import { assembleFrame, BlurPool, loadNodeHost, loadPicture, type AssembledFrame, type FrameElement, type FrameFiles } from '@ivrex/media';
import { encodingSchema } from '@ivrex/contract';

/**
 * Prints how TC_010, put together of heron, shadow and reeds over the plate, stands to the same scene exposed in one go:
 * { frames: [{ frame, masked, psnr, ssim }], ... } and what leaving a part out costs.
 */
const host = await loadNodeHost('packages/kernels/build/kernels.wasm');
const pool = new BlurPool({
  workerFile: 'packages/server/dist/media-worker.mjs',
  kernelsWasm: 'packages/kernels/build/kernels.wasm',
  threads: 2,
});
const encoding = encodingSchema.parse(JSON.parse(readFileSync('packages/demo/encodings/heron.json', 'utf8')));
const SIZE = { width: 480, height: 270 } as const;
const FOLDER = '.cache/demo/small/TC_010';
const file = (name: string, frame: number, layer = '') => ({ file: `${FOLDER}/TC_010_${name}.${frame}.exr`, part: 0, layer });
const PLAIN = { blend: 'over', opacity: 1, grade: null, wantsGrain: true } as const;

function moving(name: 'heron' | 'shadow', frame: number, opens: number, closes: number): FrameElement {
  const filesOf = (f: number): FrameFiles => ({
    beauty: file(name, f),
    motion: file(name, f, 'motion'),
    depth: name === 'heron' ? file(name, f, 'depth') : null,
    ids: name === 'heron' ? file(name, f, 'id') : null,
  });
  const shape = name === 'shadow' ? { ...PLAIN_SHAPE, shadow: { reads: 'density', way: 'holdOut' } as const } : PLAIN_SHAPE;
  return {
    ...PLAIN,
    name,
    wantsGrain: name === 'heron',
    from: {
      kind: 'moving',
      frame: {
        sources: { ...filesOf(frame), previous: filesOf(frame - 1), next: filesOf(frame + 1), encoding, fps: null, shape },
        bothFrames: 'off',
        path: 'auto',
        hidden: 'auto',
        settings: { shutter: { opens, closes, strength: 1 }, quality: 'final', samples: 'auto' },
      },
    },
  };
}

function reeds(frame: number): FrameElement {
  const matte = { ...file('reeds', frame), choice: { kind: 'pass', invert: false } as const };
  const files = { beauty: file('plate', frame), matte, depth: null };
  return {
    ...PLAIN,
    name: 'reeds',
    wantsGrain: false,
    from: { kind: 'still', request: { files, shape: PLAIN_SHAPE, grade: null, lens: null } },
  };
}

function frameOf(frame: number, elements: readonly FrameElement[], finish: Finish = NO_FINISH): AssembledFrame {
  return {
    ...SIZE,
    pixelAspect: 1,
    frame,
    below: { picture: file('plate', frame), fit: 'fit', pixelAspect: 1 },
    elements,
    finish,
  };
}

const rows = [];
for (const frame of [1008, 1016]) {
  const { rgba: truth } = await loadPicture(file('whole_ref', frame), host);
  const shadow = moving('shadow', frame, -0.25, 0.25),
    heron = moving('heron', frame, -0.25, 0.25);
  const still = [moving('shadow', frame, 0, 0), moving('heron', frame, 0, 0), reeds(frame)];
  const { rgba: sharp } = await assembleFrame(pool, frameOf(frame, still));
  const against = async (elements: readonly FrameElement[]) => {
    const made = await assembleFrame(pool, frameOf(frame, elements));
    return { ...comparePictures(made.rgba, truth, SIZE.width, SIZE.height, sharp), warnings: made.warnings };
  };
  rows.push({
    frame,
    whole: await against([shadow, heron, reeds(frame)]),
    unblurred: comparePictures(sharp, truth, SIZE.width, SIZE.height, sharp),
    noShadow: await against([heron, reeds(frame)]),
    noReeds: await against([shadow, heron]),
  });
}
// The same picture comes out however many threads there are, and a grade that does nothing does nothing.
const small = new BlurPool({
  workerFile: 'packages/server/dist/media-worker.mjs',
  kernelsWasm: 'packages/kernels/build/kernels.wasm',
  threads: 1,
});
const elements = [moving('shadow', 1008, -0.25, 0.25), moving('heron', 1008, -0.25, 0.25)];
const two = await assembleFrame(pool, frameOf(1008, elements)),
  one = await assembleFrame(small, frameOf(1008, elements, { ...NO_FINISH, grade: NEUTRAL_GRADE }));
const isSame = Buffer.from(two.rgba.buffer).equals(Buffer.from(one.rgba.buffer));
await Promise.all([pool.close(), small.close()]);
process.stdout.write(JSON.stringify({ rows, isSame }));
