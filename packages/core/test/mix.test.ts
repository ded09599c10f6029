import type { Kernels } from '@ivrex/kernels';
import { loadKernels } from '../../kernels/test/kernels';
import {
  comparePictures,
  emptyMotionField,
  knowFrame,
  mixFrames,
  overExposure,
  mixReach,
  neighboursToMix,
  prepareBlur,
  renderMixedRows,
  shutterFromAngle,
  type ApplySettings,
  type BlurFramePasses,
  type BlurPlan,
  type MixedPlan,
  type MixRequest,
  type NeighbourPlan,
  type Shutter,
} from '../src';
import { foreseePair, partsOf, turnedRound } from '../src/blur/mix/shares';

/** Blur that is mixed of a frame's and its neighbours': against exposures of a scene that is drawn at any time. */

let kernels: Kernels;
beforeAll(async () => {
  kernels = await loadKernels();
});

const W = 128,
  H = 96,
  RADIUS = 26;
const FORWARD = shutterFromAngle(360, 'open'),
  CENTRED = shutterFromAngle(180, 'centre');

interface Scene {
  /** Pixels that the ball goes on in so many frames. */
  readonly way: (t: number) => number;
  /** How bright it is then. */
  readonly light: (t: number) => number;
  /** Radians that its stripes have turned about its upright axis. */
  readonly turn: (t: number) => number;
}

const STEADY: Scene = { way: (t) => 14 * t, light: () => 0.8, turn: () => 0 };
const LIT: Scene = { ...STEADY, light: (t) => 0.5 + 0.25 * t };
/** A ball that rolls on the spot: new stripes come into view on one side. */
const ROLLING: Scene = { way: () => 0, light: () => 0.8, turn: (t) => 0.35 * t };

function draw({ way, light, turn }: Scene, t: number): BlurFramePasses {
  const rgba = new Float32Array(W * H * 4),
    ids = new Float32Array(W * H),
    depth = new Float32Array(W * H).fill(Infinity),
    motion = emptyMotionField(W, H, true);
  motion.valid.fill(1);
  for (let i = 0; i < W * H; i++) {
    const dx = (i % W) - 46 - way(t),
      dy = Math.floor(i / W) - 48,
      alpha = Math.min(1, Math.max(0, RADIUS - Math.hypot(dx, dy)));
    if (alpha === 0) continue;
    const around = Math.sqrt(Math.max(1, RADIUS * RADIUS - dy * dy)),
      angle = Math.asin(Math.min(1, Math.max(-1, dx / around)));
    const v = light(t) * (0.6 + 0.35 * Math.sin(7 * (angle - turn(t)) + dy / 9));
    rgba.set([v * alpha, 0.7 * v * alpha, 0.4 * v * alpha, alpha], i * 4);
    ids[i] = 1;
    depth[i] = 50 - around * Math.cos(angle);
    const at = (d: number) => way(t + d) - way(t) + around * (Math.sin(angle + turn(t + d) - turn(t)) - Math.sin(angle));
    motion.toNext[i * 2] = at(1);
    motion.toPrevious[i * 2] = at(-1);
  }
  return { rgba, ids, depth, motion };
}

/** The mean of many moments. */
function exposed(scene: Scene, { opens, closes }: Shutter): Float32Array {
  const out = new Float32Array(W * H * 4),
    count = 160;
  for (let k = 0; k < count; k++) {
    const { rgba } = draw(scene, opens + ((k + 0.5) / count) * (closes - opens));
    for (let i = 0; i < out.length; i++) out[i] += rgba[i] / count;
  }
  return out;
}

/** A frame's plan with its neighbours; `has` says which frames there are. */
function planAt(scene: Scene, frame: number, has: (f: number) => boolean = () => true): BlurPlan {
  const there = (f: number) => (has(f) ? draw(scene, f) : null);
  return prepareBlur({
    width: W,
    height: H,
    ...draw(scene, frame),
    previous: there(frame - 1),
    next: there(frame + 1),
    path: 'auto',
    reachFrames: 1,
  });
}

const request = (shutter: Shutter, more: Partial<MixRequest> = {}): MixRequest => ({
  bothFrames: 'auto',
  quality: 'final',
  shutter,
  limits: null,
  path: 'auto',
  ...more,
});

function mixed(own: BlurPlan, neighbours: readonly NeighbourPlan[], shutter: Shutter): MixedPlan {
  return mixFrames(own, neighboursToMix(request(shutter)), neighbours, shutter, (layers) => kernels.openSlices(layers));
}

function render(plan: MixedPlan, shutter: Shutter, bands: readonly (readonly [number, number])[] = [[0, H]]): Float32Array {
  const out = new Float32Array(W * H * 4),
    settings: ApplySettings = { shutter, quality: 'final', samples: 'auto' };
  for (const [from, to] of bands)
    renderMixedRows(plan, settings, from, to, out.subarray(from * W * 4, to * W * 4), (layers) => kernels.openSlices(layers));
  return out;
}

const alone = (plan: BlurPlan): MixedPlan => ({ plan, neighbours: [], mix: null });

function psnr(scene: Scene, shutter: Shutter, picture: Float32Array): number {
  return comparePictures(picture, exposed(scene, shutter), W, H, draw(scene, 0).rgba).maskedPsnr ?? Infinity;
}

/** Each neighbour that the shutter wants. */
function both(scene: Scene, shutter: Shutter, has?: (f: number) => boolean): MixedPlan {
  const wanted = neighboursToMix(request(shutter)).at;
  return mixed(
    planAt(scene, 0, has),
    wanted.map((at) => ({ at, plan: planAt(scene, at, has) })),
    shutter,
  );
}

test('an exposure is cut at the frame, and each side of it into parts of a quarter frame, two at least', () => {
  const edges = (shutter: Shutter) => partsOf(shutter).map(({ from, to, neighbour }) => [from, to, neighbour]);
  expect(edges(FORWARD)).toEqual([
    [0, 0.25, 1],
    [0.25, 0.5, 1],
    [0.5, 0.75, 1],
    [0.75, 1, 1],
  ]);
  expect(edges(CENTRED)).toEqual([
    [0, 0.25, -1],
    [0.25, 0.5, -1],
    [0.5, 0.75, 1],
    [0.75, 1, 1],
  ]);
  expect(edges(shutterFromAngle(360, 'close')).map(([, , at]) => at)).toEqual([-1, -1, -1, -1]);
  // What lies wholly after the frame has one side, whatever the strength.
  expect(edges({ opens: 0.25, closes: 0.75, strength: 2 }).map(([, , at]) => at)).toEqual([1, 1, 1, 1]);
  expect(edges({ opens: -0.5, closes: 0.5, strength: 0 })).toEqual([[0, 1, 0]]);
});

test.each([
  ['light that grows', LIT, FORWARD, 12],
  ['light that grows', LIT, CENTRED, 1],
  ['a ball that turns', ROLLING, FORWARD, 6],
] as const)('%s: mixed is nearer to the exposure than this frame alone (%#)', (_, scene, shutter, atLeast) => {
  const plan = both(scene, shutter),
    gain = psnr(scene, shutter, render(plan, shutter)) - psnr(scene, shutter, render(alone(plan.plan), shutter));
  expect(gain).toBeGreaterThan(atLeast);
  expect(plan.plan.report.mixed).toEqual(shutter === FORWARD ? ['after'] : ['before', 'after']);
  // Of even parts the neighbour counts half of a whole frame, and an eighth of two quarters.
  expect(plan.plan.report.mixedShare).toBeGreaterThan(shutter === FORWARD ? 0.4 : 0.06);
  expect(plan.plan.report.mixedShare).toBeLessThan(shutter === FORWARD ? 0.6 : 0.2);
});

test('what is the same in all frames is not harmed', () => {
  for (const shutter of [FORWARD, CENTRED]) {
    const plan = both(STEADY, shutter);
    expect(psnr(STEADY, shutter, render(plan, shutter))).toBeGreaterThan(psnr(STEADY, shutter, render(alone(plan.plan), shutter)) - 0.3);
  }
});

test('light is neither made nor lost', () => {
  const sum = (rgba: Float32Array) => rgba.reduce((total, v) => total + v, 0);
  expect(sum(render(both(LIT, FORWARD), FORWARD)) / sum(exposed(LIT, FORWARD))).toBeCloseTo(1, 2);
});

test('where nothing moves the picture stays as it is, to the bit', () => {
  const still: Scene = { ...STEADY, way: () => 0 };
  expect(render(both(still, FORWARD), FORWARD)).toEqual(draw(still, 0).rgba);
});

test('in a place that stands still, changing light is that of the exposure', () => {
  const still: Scene = { ...LIT, way: () => 0 };
  expect(psnr(still, FORWARD, render(both(still, FORWARD), FORWARD))).toBeGreaterThan(45);
});

test('bands make the same picture as the whole, to the bit, on curved surfaces too', () => {
  const plan = both({ ...ROLLING, way: (t) => 9 * t + 2 * t * t }, FORWARD);
  const bands = [
    [0, 32],
    [32, 64],
    [64, H],
  ] as const;
  expect(render(plan, FORWARD, bands)).toEqual(render(plan, FORWARD));
});

test('a neighbour that is not there is said, and the picture is this frame alone', () => {
  const plan = planAt(LIT, 0),
    without = mixed(plan, [], FORWARD);
  expect(without.mix).toBeNull();
  expect(without.plan.report).toMatchObject({ mixed: [], mixedShare: 0 });
  expect(without.plan.report.notes.join()).toContain('The frame after is not there');
  expect(render(without, FORWARD)).toEqual(render(alone(plan), FORWARD));
  // With one of two the other side is this frame's.
  const one = mixed(plan, [{ at: 1, plan: planAt(LIT, 1) }], CENTRED);
  expect(one.plan.report.mixed).toEqual(['after']);
  expect(one.plan.report.notes.join()).toContain('The frame before is not there');
});

test('a neighbour that shows another picture, as behind a cut, is refused', () => {
  const other: Scene = { way: (t) => 50 - 14 * t, light: () => 0.9, turn: () => 2 };
  const { mix, plan } = mixed(planAt(STEADY, 0), [{ at: 1, plan: planAt(other, 1) }], FORWARD);
  expect(mix).toBeNull();
  expect(plan.report.notes.join()).toContain('The frame after shows another picture');
});

test('what keeps its pace for want of a frame counts little where this frame knows better', () => {
  const swings: Scene = { ...STEADY, way: (t) => 24 * Math.sin(1.3 * t) };
  const last = both(swings, FORWARD, (f) => f <= 1),
    gain = psnr(swings, FORWARD, render(last, FORWARD)) - psnr(swings, FORWARD, render(alone(last.plan), FORWARD));
  expect(gain).toBeGreaterThan(-0.3);
  expect(last.plan.report.mixedShare).toBeLessThan(0.35);
});

test('settings under which the frames would not fit together leave the neighbours out, and say so', () => {
  const noteFor = (more: Partial<MixRequest>) => neighboursToMix(request(CENTRED, more));
  expect(neighboursToMix(request(CENTRED))).toEqual({ at: [-1, 1], note: null });
  expect(noteFor({ bothFrames: 'off' })).toEqual({ at: [], note: null });
  expect(noteFor({ limits: { floorPx: null, ceilingPx: 40 } })).toMatchObject({
    at: [],
    note: expect.stringContaining('limited') as string,
  });
  expect(noteFor({ path: 'straight' })).toMatchObject({ at: [], note: expect.stringContaining('Straight') as string });
  expect(noteFor({ quality: 'draft' })).toMatchObject({ at: [], note: expect.stringContaining('draft') as string });
  // What opens nothing has no neighbours, and nothing to say.
  expect(noteFor({ shutter: { ...CENTRED, strength: 0 }, path: 'straight' })).toEqual({ at: [], note: null });
  expect([mixReach({ at: [], note: null }, CENTRED), mixReach({ at: [1], note: null }, CENTRED)]).toEqual([0.5, 1]);
});

test('two frames foresee each other alike from either side: a sequence asks once for each pair', () => {
  const open = (layers: Parameters<Kernels['openSlices']>[0]) => kernels.openSlices(layers);
  const first = planAt(ROLLING, 0),
    second = planAt(ROLLING, 1);
  const ahead = foreseePair(first, { at: 1, plan: second }, open),
    back = foreseePair(second, { at: -1, plan: first }, open);
  if (ahead === null || back === null) throw new Error('both show the same scene');
  expect(turnedRound(ahead)).toEqual(back);
  expect(back.at).toBe(-1);
});

test('what a mix is off by is worked out when it is asked for, and changes nothing of what is mixed', () => {
  const open = (layers: Parameters<Kernels['openSlices']>[0]) => kernels.openSlices(layers),
    own = planAt(ROLLING, 0),
    there = [{ at: 1 as const, plan: planAt(ROLLING, 1) }];
  const mixOf = (withErrors: boolean) => mixFrames(own, neighboursToMix(request(CENTRED)), there, CENTRED, open, withErrors).mix;
  const plain = mixOf(false),
    asked = mixOf(true);
  if (plain === null || asked === null) throw new Error('both show the same scene');
  expect(plain.shares).toEqual(asked.shares);
  expect(asked.errors?.some((off) => off > 0)).toBe(true);
  expect(plain.errors).toBeNull();
  expect(() => overExposure('errors', own, plain, CENTRED)).toThrow('without errors');
});

test('a plan is the same whether what every plan works out of a frame is worked out before or not', () => {
  const frames = [-1, 0, 1].map((t) => draw(LIT, t));
  // A colour that is no number, coverage beyond 1, and a filtered edge.
  frames[1].rgba[(48 * W + 46) * 4] = NaN;
  frames[2].rgba[(48 * W + 60) * 4 + 3] = 1.5;
  frames[1].depth?.set([NaN], 48 * W + 20);
  const input = { width: W, height: H, path: 'auto', reachFrames: 1 } as const,
    [previous, now, next] = frames,
    [previousKnown, nowKnown, nextKnown] = frames.map((frame) => ({ ...frame, known: knowFrame(frame) }));
  const plain = prepareBlur({ ...input, ...now, previous, next }),
    known = prepareBlur({ ...input, ...nowKnown, previous: previousKnown, next: nextKnown });
  expect(known).toEqual(plain);
  expect(plain.report.warnings).toEqual([
    expect.stringContaining('This frame has 1 pixel that'),
    expect.stringContaining('The frame after has 1 pixel with'),
  ]);
  const light = { ...input, isLight: true };
  expect(prepareBlur({ ...light, ...nowKnown, previous: previousKnown, next: nextKnown })).toEqual(
    prepareBlur({ ...light, ...now, previous, next }),
  );
});
