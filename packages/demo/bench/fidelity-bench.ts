import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import type { BlurQuality, PathChoice } from '@ivrex/core';
import { instantiateKernels } from '@ivrex/kernels';
import sharp from 'sharp';
import type { Card } from '../src/card';
import {
  againstTruth,
  FIDELITY_SHUTTERS,
  postBlur,
  sceneFrames,
  sceneTruth,
  TRUTH_MOMENTS,
  type FidelityShutter,
  type SceneFrames,
} from '../src/fidelity/measure-fidelity';
import { damaged, DAMAGES } from '../src/fidelity/damages';
import { ownVectorGather } from '../src/fidelity/own-vector-gather';
import { FIDELITY_SIZE, fidelityScenes, type FidelityScene } from '../src/fidelity/scenes';

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
for (const file of ['card.ts', 'noise.ts', 'render-cards.ts', 'fidelity/scenes.ts'])
  stamp.update(readFileSync(path.join(root, 'packages/demo/src', file)));
const version = stamp.digest('hex').slice(0, 12);

function truthOf(scene: FidelityScene, cards: () => readonly Card[], shutter: FidelityShutter): Float32Array {
  const file = path.join(cache, `${version}-${scene.name}-${shutter.name.replaceAll(' ', '-')}.raw`);
  if (!existsSync(file)) writeFileSync(file, new Uint8Array(sceneTruth(scene, cards(), shutter, FIDELITY_SIZE, TRUTH_SAMPLES).buffer));
  return new Float32Array(new Uint8Array(readFileSync(file)).buffer);
}

interface Row {
  readonly cells: readonly string[];
}

const VARIANTS: readonly { name: string; quality: BlurQuality; path: PathChoice; alone?: true }[] = [
  { name: 'final, auto', quality: 'final', path: 'auto' },
  { name: 'draft, auto', quality: 'draft', path: 'auto' },
  { name: 'final, bent', quality: 'final', path: 'bent' },
  { name: 'final, straight', quality: 'final', path: 'straight' },
  { name: 'final, auto, this frame alone', quality: 'final', path: 'auto', alone: true },
];

function measure(scene: FidelityScene): Row[] {
  let painted: readonly Card[] | null = null;
  const cards = () => (painted ??= scene.makeCards());
  const frames = sceneFrames(scene, cards(), FIDELITY_SIZE);
  return FIDELITY_SHUTTERS.map((shutter) => {
    const truth = truthOf(scene, cards, shutter);
    const { rgba, motion } = frames.now;
    const gather = ownVectorGather(rgba, motion, shutter.opens, shutter.closes, 64);
    const figure = (picture: Float32Array) => {
      const { maskedPsnr, ssim } = againstTruth(picture, truth, frames);
      return `${(maskedPsnr ?? Infinity).toFixed(1)} (${ssim.toFixed(3)})`;
    };
    const cells = [scene.name, shutter.name, figure(rgba), figure(gather)];
    for (const variant of VARIANTS) {
      const start = process.cpuUsage();
      const blurred = postBlur(kernels, frames, shutter, variant.quality, {
        path: variant.path,
        ...(variant.alone ? { previous: null, next: null } : {}),
      });
      const used = process.cpuUsage(start);
      cells.push(`${figure(blurred.rgba)}, ${((used.user + used.system) / 1e6).toFixed(1)} s`);
      if (variant.name === 'final, auto' && shutter.name === '360 from the frame')
        crops.push({ scene, frames, gather, ours: blurred.rgba, truth });
    }
    process.stdout.write(`${cells.join(' | ')}\n`);
    return { cells };
  });
}

interface Crop {
  readonly scene: FidelityScene;
  readonly frames: SceneFrames;
  readonly gather: Float32Array;
  readonly ours: Float32Array;
  readonly truth: Float32Array;
}
const crops: Crop[] = [];
const CROP = { left: 160, top: 60, width: 320, height: 240 };

/** Sharp, gather, ours and truth beside each other, over mid grey, as sRGB. */
async function writeCrop({ scene, frames, gather, ours, truth }: Crop): Promise<void> {
  const { width, height } = FIDELITY_SIZE;
  const tiles = await Promise.all(
    [frames.now.rgba, gather, ours, truth].map((rgba) => {
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
    .toFile(path.join(pictures, `${scene.name}.jpg`));
}

/** What damage to the passes costs, and what the repairs win back, on scenes that move in different ways. */
const DAMAGED_SCENES = ['spinner', 'parallax', 'crossing', 'dolly'];
const DAMAGED_SHUTTERS = [FIDELITY_SHUTTERS[0], FIDELITY_SHUTTERS[3]];

function measureDamages(): string[][] {
  const table = [undefined, ...DAMAGES].map((damage) => [damage?.name ?? 'as rendered']);
  for (const scene of fidelityScenes().filter(({ name }) => DAMAGED_SCENES.includes(name))) {
    const cards = scene.makeCards(),
      frames = sceneFrames(scene, cards, FIDELITY_SIZE);
    for (const shutter of DAMAGED_SHUTTERS) {
      const truth = truthOf(scene, () => cards, shutter);
      const db = (given: SceneFrames) =>
        (againstTruth(postBlur(kernels, given, shutter, 'final').rgba, truth, frames).maskedPsnr ?? Infinity).toFixed(1);
      table[0].push(db(frames));
      DAMAGES.forEach((damage, k) => {
        const { damaged: spoilt, mended } = damaged(frames, damage);
        table[k + 1].push(mended === null ? db(spoilt) : `${db(spoilt)} (${db(mended)})`);
      });
    }
  }
  for (const row of table) process.stdout.write(`${row.join(' | ')}\n`);
  return table;
}

const rows = fidelityScenes().flatMap(measure);
const damages = measureDamages();
for (const crop of crops) await writeCrop(crop);
const asTable = (lines: readonly (readonly string[])[]) =>
  [lines[0], lines[0].map(() => '---'), ...lines.slice(1)].map((cells) => `| ${cells.join(' | ')} |`).join('\n');
const head = ['scene', 'shutter', 'sharp', 'own-vector gather', ...VARIANTS.map(({ name }) => name)];
const table = asTable([head, ...rows.map(({ cells }) => cells)]);
const damageHead = ['passes', ...DAMAGED_SCENES.flatMap((name) => DAMAGED_SHUTTERS.map((shutter) => `${name}, ${shutter.name}`))];
writeFileSync(
  path.join(root, 'docs/fidelity.md'),
  `# How near the blur comes to the true shutter

Written by \`npm run bench:fidelity\`. Masked PSNR in dB (higher is nearer), SSIM in brackets, and the CPU time of the whole frame on one thread, set-up and all.
Pictures of ${FIDELITY_SIZE.width} x ${FIDELITY_SIZE.height} made up of the demo renderer's own shapes; the truth is the mean of ${TRUTH_MOMENTS} moments of ${TRUTH_SAMPLES} points a pixel. Above about 57 dB the truth's own noise decides.
The inputs are what a renderer writes: the sharp picture, motion both ways, depth and ids of the frame before, this one and the next. "Own-vector gather" is the usual blur along each pixel's own vector.

${table}

## Damaged passes

Masked PSNR in dB, final, auto; in brackets with the repair that step Motion offers for it. The columns are scene and shutter.

${asTable([damageHead, ...damages])}

What is clipped in a motion that is the same everywhere can't be told from what is left; where speed grows steadily it is carried on. Vectors that were filtered across edges are told by their ids and the vectors further in; without ids they cost what a repair wins back.

## Side by side

360 degrees from the frame on. From the left: sharp, own-vector gather, Ivrex, the truth.

${fidelityScenes()
  .map(({ name, stresses }) => `**${name}** - ${stresses}\n\n![${name}](fidelity/${name}.jpg)`)
  .join('\n\n')}
`,
);
process.stdout.write('docs/fidelity.md is written\n');
