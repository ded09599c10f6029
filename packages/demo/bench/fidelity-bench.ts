import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { BlurQuality } from '@ivrex/core';
import { instantiateKernels } from '@ivrex/kernels';
import sharp from 'sharp';
import { everyScene } from '../src/fidelity/every-scene';
import { FIDELITY_SHUTTERS, TRUTH_MOMENTS, type FidelityShutter, type Shoot } from '../src/fidelity/frames';
import { againstTruth, frameNow, onlyFrames, plansOf, postBlur, sceneFrames, type SceneFrames } from '../src/fidelity/measure-fidelity';
import { damaged, DAMAGES } from '../src/fidelity/damages';
import { ownVectorGather } from '../src/fidelity/own-vector-gather';
import { FIDELITY_SIZE } from '../src/fidelity/scenes';

/**
 * Holds the blur against the truth on every scene and writes docs/fidelity.md with crops beside each other. Truths are made once and kept in
 * .cache/fidelity until a scene or the renderer changes.
 */
const root = process.cwd(),
  cache = path.join(root, '.cache/fidelity'),
  pictures = path.join(root, 'docs/fidelity');
const TRUTH_SAMPLES = 2;
mkdirSync(cache, { recursive: true });
mkdirSync(pictures, { recursive: true });
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync(path.join(root, 'packages/kernels/build/kernels.wasm'))));
const stamp = createHash('sha256');
for (const file of ['card.ts', 'noise.ts', 'render-cards.ts', 'artwork.ts', 'fidelity/scenes.ts', 'fidelity/frames.ts'])
  stamp.update(readFileSync(path.join(root, 'packages/demo/src', file)));
for (const file of ['placement.ts', 'mesh.ts', 'render-solid.ts', 'solid-scenes.ts'])
  stamp.update(readFileSync(path.join(root, 'packages/demo/src/solid', file)));
const version = stamp.digest('hex').slice(0, 12);

/** Shot once: artwork is painted when it is first needed. */
const SUBJECTS = everyScene(FIDELITY_SIZE, TRUTH_SAMPLES, TRUTH_MOMENTS).map((scene) => {
  let shot: Shoot | null = null;
  return { ...scene, shoot: () => (shot ??= scene.shoot()) };
});
type Subject = (typeof SUBJECTS)[number];

/** Truths of one scene are made together: exposures share their moments. */
function truthsOf({ name, shoot }: Subject, shutters: readonly FidelityShutter[]): Float32Array[] {
  const fileOf = (shutter: FidelityShutter) =>
    path.join(cache, `${version}-${name.replaceAll(' ', '-')}-${shutter.name.replaceAll(' ', '-')}.raw`);
  const missing = shutters.filter((shutter) => !existsSync(fileOf(shutter)));
  if (missing.length > 0)
    shoot()
      .expose(missing)
      .forEach((truth, k) => writeFileSync(fileOf(missing[k]), new Uint8Array(truth.buffer)));
  return shutters.map((shutter) => new Float32Array(new Uint8Array(readFileSync(fileOf(shutter))).buffer));
}

interface Row {
  readonly subject: Subject;
  readonly cells: readonly string[];
}

const VARIANTS: readonly { name: string; quality: BlurQuality; bothFrames?: 'off'; alone?: true }[] = [
  { name: 'final', quality: 'final' },
  { name: 'not mixed', quality: 'final', bothFrames: 'off' },
  { name: 'draft', quality: 'draft' },
  { name: 'this frame alone', quality: 'final', alone: true },
];

function measure(subject: Subject): Row[] {
  const frames = sceneFrames(subject.shoot()),
    truths = truthsOf(subject, FIDELITY_SHUTTERS);
  return FIDELITY_SHUTTERS.map((shutter, n) => {
    const truth = truths[n],
      { rgba, motion } = frameNow(frames);
    const gather = ownVectorGather(rgba, motion, shutter.opens, shutter.closes, 64);
    const figure = (picture: Float32Array) => {
      const { maskedPsnr, ssim } = againstTruth(picture, truth, frames);
      return `${(maskedPsnr ?? Infinity).toFixed(1)} (${ssim.toFixed(3)})`;
    };
    const cells = [subject.name, shutter.name, figure(rgba), figure(gather)];
    for (const variant of VARIANTS) {
      const start = process.cpuUsage();
      const given = variant.alone ? onlyFrames(frames, [0]) : frames;
      const blurred = postBlur(kernels, plansOf(given), shutter, variant.quality, variant);
      const used = process.cpuUsage(start);
      cells.push(`${figure(blurred.rgba)}, ${((used.user + used.system) / 1e6).toFixed(1)} s`);
      if (variant.name === 'final' && shutter.name === '360 from the frame')
        crops.push({ name: subject.name, sharp: rgba, gather, ours: blurred.rgba, truth });
    }
    process.stdout.write(`${cells.join(' | ')}\n`);
    return { subject, cells };
  });
}

interface Crop {
  readonly name: string;
  readonly sharp: Float32Array;
  readonly gather: Float32Array;
  readonly ours: Float32Array;
  readonly truth: Float32Array;
}
const crops: Crop[] = [];
const CROP = { left: 160, top: 60, width: 320, height: 240 };

const fileName = (name: string) => name.replaceAll(' ', '-');

/** Sharp, gather, ours and truth beside each other, over mid grey, as sRGB. */
async function writeCrop({ name, sharp: unblurred, gather, ours, truth }: Crop): Promise<void> {
  const { width, height } = FIDELITY_SIZE;
  const tiles = await Promise.all(
    [unblurred, gather, ours, truth].map((rgba) => {
      const bytes = Buffer.alloc(width * height * 3);
      for (let i = 0; i < width * height; i++) {
        for (let c = 0; c < 3; c++) {
          const linear = Math.min(1, Math.max(0, rgba[i * 4 + c] + 0.05 * (1 - rgba[i * 4 + 3])));
          bytes[i * 3 + c] = Math.round(255 * (linear <= 0.0031308 ? 12.92 * linear : 1.055 * linear ** (1 / 2.4) - 0.055));
        }
      }
      return sharp(bytes, { raw: { width, height, channels: 3 } })
        .extract(CROP)
        .png()
        .toBuffer();
    }),
  );
  await sharp({ create: { width: CROP.width * 4 + 12, height: CROP.height, channels: 3, background: '#808080' } })
    .composite(tiles.map((input, i) => ({ input, left: i * (CROP.width + 4), top: 0 })))
    .jpeg({ quality: 88 })
    .toFile(path.join(pictures, `${fileName(name)}.jpg`));
}

/** What damage to the passes costs, and what the repairs win back, on scenes that move in different ways. */
const DAMAGED_SCENES = ['spinner', 'parallax', 'crossing', 'dolly', 'walker'];
const DAMAGED_SHUTTERS = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]];

function measureDamages(): string[][] {
  const table = [undefined, ...DAMAGES].map((damage) => [damage?.name ?? 'as rendered']);
  for (const subject of SUBJECTS.filter(({ name }) => DAMAGED_SCENES.includes(name))) {
    const frames = sceneFrames(subject.shoot()),
      truths = truthsOf(subject, DAMAGED_SHUTTERS);
    DAMAGED_SHUTTERS.forEach((shutter, n) => {
      const db = (given: SceneFrames) =>
        (againstTruth(postBlur(kernels, plansOf(given), shutter, 'final').rgba, truths[n], frames).maskedPsnr ?? Infinity).toFixed(1);
      table[0].push(db(frames));
      DAMAGES.forEach((damage, k) => {
        const { damaged: spoilt, mended } = damaged(frames, damage);
        table[k + 1].push(mended === null ? db(spoilt) : `${db(spoilt)} (${db(mended)})`);
      });
    });
  }
  for (const row of table) process.stdout.write(`${row.join(' | ')}\n`);
  return table;
}

const rows = SUBJECTS.flatMap(measure);
const damages = measureDamages();
for (const crop of crops) await writeCrop(crop);
const asTable = (lines: readonly (readonly string[])[]) =>
  [lines[0], lines[0].map(() => '---'), ...lines.slice(1)].map((cells) => `| ${cells.join(' | ')} |`).join('\n');
const head = ['scene', 'shutter', 'sharp', 'own-vector gather', ...VARIANTS.map(({ name }) => name)];
const tableOf = (kind: Subject['kind']) =>
  asTable([head, ...rows.filter(({ subject }) => subject.kind === kind).map(({ cells }) => cells)]);
const damageHead = ['passes', ...DAMAGED_SCENES.flatMap((name) => DAMAGED_SHUTTERS.map((shutter) => `${name}, ${shutter.name}`))];
writeFileSync(
  path.join(root, 'docs/fidelity.md'),
  `# How near the blur comes to the true shutter

Written by \`npm run bench:fidelity\`. Masked PSNR in dB (higher is nearer), SSIM in brackets, and the CPU time of the whole frame on one thread, set-up and all, of the neighbours' set-up too (in a sequence that is done once a frame).
Pictures of ${FIDELITY_SIZE.width} x ${FIDELITY_SIZE.height}; a truth is the mean of ${TRUTH_MOMENTS} moments and more. The inputs are what a renderer writes: the sharp picture, motion both ways, depth and ids, of the frame and two on either side.

- *Own-vector gather* is the usual blur along each pixel's own vector.
- *Not mixed* is the same blur with "Neighbouring frames" switched off: the neighbours say where things go and what is behind them, but lend no blur.
- *This frame alone* has no neighbours at all.

## Flat cards

Made up of the demo renderer's own shapes. Above about 57 dB the truth's own noise decides.

${tableOf('cards')}

## Surfaces in space

Bodies that turn and bend, and hide parts of themselves; a light and a camera that do not move with them. Depth says 1e6 where nothing is.

${tableOf('solid')}

## Damaged passes

Masked PSNR in dB, final; in brackets with the repair that step Motion offers for it. The columns are scene and shutter.

${asTable([damageHead, ...damages])}

What is clipped in a motion that is the same everywhere can't be told from what is left; where speed grows steadily it is carried on. Vectors that were filtered across edges are told by their ids and the vectors further in; without ids they cost what a repair wins back.

## Side by side

360 degrees from the frame on. From the left: sharp, own-vector gather, Ivrex, the truth.

${SUBJECTS.map(({ name, stresses }) => `**${name}** - ${stresses}\n\n![${name}](fidelity/${fileName(name)}.jpg)`).join('\n\n')}
`,
);
process.stdout.write('docs/fidelity.md is written\n');
