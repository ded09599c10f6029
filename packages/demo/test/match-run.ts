import { readFileSync } from 'node:fs';
import {
  emptyMotionField,
  fitShutter,
  MATCH_REACH,
  momentsOf,
  prepareBlur,
  renderRows,
  type BlurPlan,
  type GradeFit,
  type MatchLocks,
  type ShutterMatch,
} from '@ivrex/core';
import { encodingSchema } from '@ivrex/contract';
import { instantiateKernels } from '@ivrex/kernels';
import { loadFramePasses, loadNodeHost, loadPicture, type FrameFiles } from '@ivrex/media';
import { shootCards } from '../src/fidelity/frames';
import { fidelityScenes } from '../src/fidelity/scenes';
import { renderBlurred, renderNoisy } from '../src/render-cards';

/** Prints what is found from references of the scenes, and from odd ones: { rows, odd }. */
const size = { width: 256, height: 144 };
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const FREE: MatchLocks = { opens: null, closes: null, strength: 1, shape: { kind: 'even' } };

function find(plan: BlurPlan, reference: Float32Array, locks: Partial<MatchLocks> = {}, grade: GradeFit = 'auto'): ShutterMatch | null {
  const session = kernels.openSlices(plan.layers);
  try {
    const moments = momentsOf({ frame: 1, plan, reference, hasAlpha: true }, session, MATCH_REACH);
    return moments === null ? null : fitShutter([moments], { ...FREE, ...locks }, grade);
  } finally {
    session.close();
  }
}

function blurOf(plan: BlurPlan, opens: number, closes: number): Float32Array {
  const session = kernels.openSlices(plan.layers),
    out = new Float32Array(plan.width * plan.height * 4);
  try {
    renderRows(plan, session, { shutter: { opens, closes, strength: 1 }, quality: 'final', samples: 'auto' }, 0, plan.height, out);
  } finally {
    session.close();
  }
  return out;
}

const SHUTTERS = [
  [0, 0.4],
  [-200 / 720, 200 / 720],
] as const;
const USED = ['spinner', 'crossing', 'glass'];
const scenes = fidelityScenes(size.width).filter(({ name }) => USED.includes(name));
const planned = new Map(
  scenes.map((scene) => {
    const cards = scene.makeCards(),
      { frameAt } = shootCards(scene, size, 1);
    const beside = { previous: frameAt(-1), next: frameAt(1) };
    return [scene.name, { scene, cards, plan: prepareBlur({ ...size, ...frameAt(0), ...beside, path: 'auto', reachFrames: MATCH_REACH }) }];
  }),
);
const sceneOf = (name: string) => {
  const found = planned.get(name);
  if (found === undefined) throw new Error(name);
  return found;
};

const rows = USED.flatMap((name) => {
  const { scene, cards, plan } = sceneOf(name);
  return SHUTTERS.flatMap(([opens, closes]) =>
    [false, true].map((isNoisy) => {
      const reference = isNoisy
        ? renderNoisy(cards, scene.frame, opens, closes, size, 16, 5)
        : renderBlurred(cards, scene.frame, opens, closes, size, 96, 1);
      const match = find(plan, reference);
      return { name, isNoisy, opens, closes, match };
    }),
  );
});

const spinner = sceneOf('spinner'),
  crossing = sceneOf('crossing');
const clean = renderBlurred(crossing.cards, crossing.scene.frame, -0.25, 0.25, size, 96, 1);
const graded = clean.map((v, i) => (i % 4 === 3 ? v : [1.3, 1.1, 0.8][i % 4] * v + [0.02, 0, -0.01][i % 4] * clean[i - (i % 4) + 3]));

/** Turns back on the frame: it was and will be at the same place. */
function turning(): BlurPlan {
  const motion = emptyMotionField(size.width, size.height, true),
    rgba = new Float32Array(size.width * size.height * 4);
  for (let y = 40; y < 100; y++)
    for (let x = 60; x < 160; x++) {
      const i = y * size.width + x;
      motion.valid[i] = 1;
      motion.toNext[i * 2] = motion.toPrevious[i * 2] = 18;
      rgba.set([0.2 + 0.6 * ((x >> 3) & 1), 0.3, 0.1 + 0.5 * ((y >> 3) & 1), 1], i * 4);
    }
  return prepareBlur({ ...size, rgba, motion, depth: null, ids: null, path: 'bent', reachFrames: MATCH_REACH });
}
const turned = turning();
const other = renderBlurred(spinner.cards, spinner.scene.frame + 7, -0.2, 0.3, size, 64, 1);

const odd = {
  graded: find(crossing.plan, graded),
  asRendered: find(crossing.plan, graded, {}, 'none'),
  strength: find(crossing.plan, clean, { opens: -0.5, closes: 0.5, strength: null }),
  closesOnly: find(crossing.plan, clean, { opens: -0.25 }),
  allFree: find(crossing.plan, clean, { strength: null }),
  bell: find(spinner.plan, bellBlur(spinner.plan), { shape: null }),
  turned: find(turned, blurOf(turned, 0, 0.5)),
  otherFrame: find(crossing.plan, other),
  still: find(prepareBlur({ ...size, ...still(), path: 'auto', reachFrames: MATCH_REACH }), clean),
};

function bellBlur(plan: BlurPlan): Float32Array {
  const session = kernels.openSlices(plan.layers),
    out = new Float32Array(plan.width * plan.height * 4);
  const shutter = { opens: -0.4, closes: 0.4, strength: 1, shape: { kind: 'bell' } as const };
  try {
    renderRows(plan, session, { shutter, quality: 'final', samples: 'auto' }, 0, plan.height, out);
  } finally {
    session.close();
  }
  return out;
}

function still() {
  const motion = emptyMotionField(size.width, size.height, true);
  motion.valid.fill(1);
  return { rgba: new Float32Array(size.width * size.height * 4).fill(0.5), motion, depth: null, ids: null };
}

/** TC_020 as it lies on disk: one vector a pixel in 16 bits, numbered one late, and few pixels a frame. */
async function wheelRoom(frame: number): Promise<(typeof rows)[number]> {
  const folder = '.cache/demo/golden/TC_020',
    whole = (file: string) => ({ file: `${folder}/${file}`, part: 0, layer: '' });
  const at = (f: number): FrameFiles => ({
    beauty: whole(`beauty/TC_020_beauty.${f}.exr`),
    motion: whole(`motion/TC_020_motion.${f + 1}.png`),
    depth: whole(`depth/TC_020_depth.${f}.exr`),
    ids: { ...whole(`objects/TC_020_objects.${f}.exr`), layer: 'wheel_objects' },
  });
  const host = await loadNodeHost('packages/kernels/build/kernels.wasm');
  const encoding = encodingSchema.parse(JSON.parse(readFileSync('packages/demo/encodings/wheel-room.json', 'utf8')));
  const passes = await loadFramePasses({ ...at(frame), previous: at(frame - 1), next: at(frame + 1), encoding, fps: null }, host);
  const { rgba } = await loadPicture(whole(`reference/TC_020_ref.${frame}.exr`), host);
  const match = find(prepareBlur({ ...passes, path: 'auto', reachFrames: MATCH_REACH }), rgba);
  return { name: 'TC_020', isNoisy: true, opens: -200 / 720, closes: 200 / 720, match };
}
rows.push(await wheelRoom(1008));

process.stdout.write(JSON.stringify({ rows, odd }));
