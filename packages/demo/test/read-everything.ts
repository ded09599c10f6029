import {
  decodeMotion,
  identifyEncoding,
  readMotion,
  type BeautyNeighbours,
  type FrameToIdentify,
  type Identification,
  type MotionFact,
  type MotionField,
  type RepairStep,
  type StoredPass,
} from '@ivrex/core';
import { readFileSync } from 'node:fs';
import { instantiateKernels } from '@ivrex/kernels';
import { makeHeron } from '../src/heron';
import { makeWheels } from '../src/wheels';
import { renderFrames, STORED_AS, storePass, type Damage } from './encodings-and-damages';

/**
 * Passes stored in every way and hurt in every way, over rendered frames whose true motion is known. A reading is right when the field
 * that it decodes lies within 5 % (median) of what the true encoding decodes from the unhurt pass. Run by plain Node, where pixel loops
 * are three times faster than in the test runner; prints its results as JSON.
 */
const SIZE = { width: 960, height: 540 };
const heron = makeHeron(),
  wheels = makeWheels();
const bases = [
  renderFrames('heron 1008', heron, 7, SIZE),
  renderFrames('heron 1016', heron, 15, SIZE),
  renderFrames('wheels 1006', wheels, 5, SIZE),
];
const kernels = await instantiateKernels(await WebAssembly.compile(readFileSync('packages/kernels/build/kernels.wasm')));
const pictures = bases.map((b) => ({ ...SIZE, previous: b.beauty[0], now: b.beauty[1], next: b.beauty[2] }));

function identify(
  beauty: BeautyNeighbours,
  passes: Pick<FrameToIdentify, 'now' | 'next' | 'previous'>,
  pixelAspect = 1,
  facts: readonly MotionFact[] = [],
) {
  return identifyEncoding([{ frame: 10, beauty, ...passes }], { fps: 24, pixelAspect, facts }, kernels);
}

export interface Case {
  readonly base: number;
  readonly stored: string;
  readonly damage: Damage;
}
const HURT: readonly Damage[] = ['centreOff', 'clipped', 'multiplied', 'halfSize', 'holes', 'nan', 'filtered', 'frameOff', 'unrendered'];
const HURT_STORED = ['raw', 'centred16', 'centred8', 'centredHalfFrame', 'power', 'halfFrame', 'yUp'];
const cases: Case[] = [
  ...Object.keys(STORED_AS).flatMap((stored, i) =>
    (i % 3 === 0 ? [0, 2] : [0]).map((by): Case => ({ base: (i + by) % 3, stored, damage: 'none' })),
  ),
  ...HURT.flatMap((damage, i) =>
    HURT_STORED.map((stored, j): Case => ({ base: (i * 2 + j) % 3, stored, damage })).filter((_, j) => (i + j) % 2 === 0),
  ),
  { base: 0, stored: 'centred16', damage: 'centresApart' },
  { base: 2, stored: 'centred8', damage: 'centresApart' },
  { base: 0, stored: 'swappedCentred', damage: 'centresApart' },
];

/** Whose repairs are held against the true motion; 8 bits over 64 px are steps of half a pixel. */
const MENDED: readonly { readonly damage: Damage; readonly stored?: string }[] = [
  { damage: 'centresApart' },
  { damage: 'nan' },
  { damage: 'clipped' },
  { damage: 'none', stored: 'centred8' },
];

export interface Outcome extends Case {
  readonly name: string;
  readonly read: Identification;
  readonly error: number;
  readonly right: boolean;
  /** For MENDED: mean distance from the true motion over covered pixels, as read and with every repair that its symptoms propose; null without one. */
  readonly mended: { readonly beforePx: number; readonly afterPx: number } | null;
}

export interface IdentifyResults {
  readonly outcomes: readonly Outcome[];
  /** Confidence in passes of another animation. */
  readonly foreign: readonly number[];
  readonly alone: { readonly guess: Identification; readonly told: Identification };
}

function decode(pass: StoredPass, encoding: Identification['encoding'], beautyAlpha: Float32Array | null): MotionField {
  const planes = new Map(pass.channels.map((c) => [c.name, c.data]));
  return decodeMotion({ planes, width: pass.width, height: pass.height, fps: 24, beautyAlpha }, encoding);
}

/** The same fields and coverages serve many cases. */
const truths = new Map<string, MotionField>(),
  alphas = new Map<string, Float32Array>();

function once<T>(key: string, known: Map<string, T>, make: () => T): T {
  const value = known.get(key) ?? make();
  known.set(key, value);
  return value;
}

function coverage(rgba: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(width * height),
    scale = SIZE.width / width;
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) out[y * width + x] = rgba[(y * scale * SIZE.width + x * scale) * 4 + 3];
  return out;
}

function read({ base, stored, damage }: Case): Outcome {
  const rendered = bases[base],
    how = STORED_AS[stored];
  // One frame late: the file of this number holds the next frame's motion.
  const late = damage === 'frameOff';
  const own = storePass(rendered, 1, how, damage);
  const before = storePass(rendered, 0, how, damage),
    after = storePass(rendered, 2, how, damage);
  const passes = late ? { now: after, previous: own, next: null } : { now: own, previous: before, next: after };
  const result = identify(pictures[base], passes, how.encoding.pixelAspect);
  const size = damage === 'halfSize' ? 'halfSize' : 'none';
  const sound = () => (damage === size ? own : storePass(rendered, 1, how, size));
  const truth = once(`${base} ${stored} ${size}`, truths, () => decode(sound(), how.encoding, null));
  const alpha = once(`${base} ${size}`, alphas, () => coverage(rendered.beauty[1], own.width, own.height));
  const readWith = (repairs: RepairStep[]) => {
    const planes = new Map(own.channels.map((c) => [c.name, c.data])),
      types = new Map(own.channels.map((c) => [c.name, c.type]));
    const passed = { planes, width: own.width, height: own.height, fps: 24, beautyAlpha: alpha };
    return readMotion(passed, types, result.encoding, repairs, alpha).field;
  };
  // One zero can't be right for two axes: such a pass is read right with the re-centring that is proposed.
  const recentred = result.symptoms.flatMap(({ mend }) => (mend?.kind === 'repair' && mend.step.kind === 'recentre' ? [mend.step] : []));
  const got = recentred.length === 0 ? decode(own, result.encoding, alpha) : readWith(recentred);
  const errors: number[] = [];
  for (let i = 0; i < truth.valid.length; i++) {
    const speed = Math.hypot(truth.toNext[i * 2], truth.toNext[i * 2 + 1]);
    // Holes have no vector to be right about.
    if (alpha[i] < 0.99 || truth.valid[i] === 0 || got.valid[i] === 0 || speed < 1) continue;
    errors.push(Math.hypot(got.toNext[i * 2] - truth.toNext[i * 2], got.toNext[i * 2 + 1] - truth.toNext[i * 2 + 1]) / speed);
  }
  errors.sort((a, b) => a - b);
  const error = errors[errors.length >> 1] ?? Infinity;
  const right = error <= 0.05 && errors.length > 3000 && result.frameOffset === (late ? -1 : 0);
  const steps = result.symptoms.flatMap(({ mend }) => (mend?.kind === 'repair' ? [mend.step] : []));
  // Held against the motion before it was rounded: smoothing steps brings vectors nearer to that.
  const exact = () =>
    once(`${base} ${stored} ${size} exact`, truths, () =>
      decode(storePass(rendered, 1, { ...how, type: 'float' }, size), how.encoding, null),
    );
  const mended =
    steps.length === 0 || !MENDED.some((kind) => kind.damage === damage && (kind.stored ?? stored) === stored)
      ? null
      : {
          beforePx: meanOff(decode(own, result.encoding, alpha), exact(), alpha),
          afterPx: meanOff(readWith(steps), exact(), alpha),
        };
  return { base, stored, damage, mended, name: `${rendered.name}, ${how.name}, ${damage}`, read: result, error, right };
}

/** What has no vector is as wrong as its true motion is long. */
function meanOff(got: MotionField, truth: MotionField, alpha: Float32Array): number {
  let sum = 0,
    n = 0;
  for (let i = 0; i < alpha.length; i++) {
    if (alpha[i] < 0.99 || truth.valid[i] === 0) continue;
    const [x, y] = got.valid[i] === 0 ? [0, 0] : [got.toNext[i * 2], got.toNext[i * 2 + 1]];
    sum += Math.hypot(x - truth.toNext[i * 2], y - truth.toNext[i * 2 + 1]);
    n++;
  }
  return sum / n;
}

/** The first base, seen without its neighbours: with and without a fact. */
function readAlone(): { guess: Identification; told: Identification } {
  const [base] = bases;
  const alone = { ...SIZE, previous: null, now: base.beauty[1], next: null };
  const files = { now: storePass(base, 1, STORED_AS.centred16, 'none'), next: null, previous: null };
  // The point that moves furthest up or down.
  const { toNext } = base.motion[1];
  let at = 0;
  for (let i = 0; i < toNext.length / 2; i++)
    if (base.beauty[1][i * 4 + 3] > 0.99 && Math.abs(toNext[i * 2 + 1]) > Math.abs(toNext[at * 2 + 1])) at = i;
  const x = (at % SIZE.width) + 0.5,
    y = Math.floor(at / SIZE.width) + 0.5;
  const moved = { kind: 'moved', x, y, toX: x + toNext[at * 2], toY: y + toNext[at * 2 + 1] } as const;
  return { guess: identify(alone, files), told: identify(alone, files, 1, [moved]) };
}

const FOREIGN: readonly (readonly [number, string])[] = [
  [0, 'raw'],
  [1, 'yUp'],
  [2, 'centred16'],
];

const results: IdentifyResults = {
  outcomes: cases.map(read),
  foreign: FOREIGN.map(([base, stored]) => {
    const now = storePass(bases[base === 2 ? 0 : 2], 1, STORED_AS[stored], 'none');
    return identify(pictures[base], { now, next: null, previous: null }).confidence;
  }),
  alone: readAlone(),
};
process.stdout.write(JSON.stringify(results));
