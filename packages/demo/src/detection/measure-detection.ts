import {
  decodeMotion,
  identifyEncoding,
  type Encoding,
  type FrameToIdentify,
  type Identification,
  type MatchKernels,
  type MotionField,
  type StoredPass,
  type SymptomCode,
} from '@ivrex/core';
import { renderTestFrame, type TestFrame, type TestScene } from './planes';
import { randomDamage, randomEncoding, storeRandom, UNKNOWABLE, type PassDamage, type RandomEncoding } from './random-passes';
import { randomScene, SCENE_KINDS, type SceneKind } from './random-scenes';
import { drawFrom, type Draw } from './seeded-choice';

/** A pass of a made-up scene in a made-up encoding, and what was detected. */
export interface DetectionCase {
  readonly seed: number;
  readonly kind: SceneKind;
  readonly damage: PassDamage;
  readonly stored: RandomEncoding;
  readonly found: Identification;
  readonly right: boolean;
  /** Of the detected encoding: what was held against `right`. */
  readonly error: number;
  readonly seconds: number;
  /** Codes of warnings that name what was not done to the pass: a sound one may still be clipped or coarse by its own range. */
  readonly wrongWarnings: readonly SymptomCode[];
}

export interface DetectionSize {
  readonly width: number;
  readonly height: number;
}

/** Passes that are made of one scene. */
const A_SCENE = 6;

interface RenderedScene {
  readonly scene: TestScene;
  readonly kind: SceneKind;
  /** By moment. */
  readonly frames: Map<number, TestFrame>;
}

/** Renders scenes once for the cases that share them. */
export class DetectionCases {
  private readonly rendered = new Map<number, RenderedScene>();

  constructor(
    private readonly size: DetectionSize,
    private readonly kernels: MatchKernels,
  ) {}

  /** `moments`: frames that are looked at, 0 first. */
  run(seed: number, moments: readonly number[] = [0]): DetectionCase {
    const { kind } = this.sceneOf(Math.floor(seed / A_SCENE));
    const draw = drawFrom(seed * 7919 + 13),
      damage = suited(randomDamage(draw), alphaOf(this.at(Math.floor(seed / A_SCENE), 0)), draw),
      stored = randomEncoding(draw, damage);
    const frames = moments.map((t) => this.frameToIdentify(seed, t, stored, damage, draw));
    const started = performance.now();
    const found = identifyEncoding(frames, { fps: stored.fps, pixelAspect: stored.pixelAspect, facts: [] }, this.kernels);
    const seconds = (performance.now() - started) / 1000;
    const truth =
      damage === 'multiplied' || damage === 'multiplied, no alpha'
        ? { ...stored.encoding, premultiplied: true, alpha: damage === 'multiplied' ? 'A' : null }
        : stored.encoding;
    const [first] = frames;
    const own = this.at(Math.floor(seed / A_SCENE), 0);
    const { error, isRight } = judge(found.encoding, truth, first.now, alphaOf(own), stored, damage === 'other size');
    const fileRight = damage !== 'file number' || found.frameOffset === 1 || isRight;
    const right = UNKNOWABLE.includes(damage) ? false : isRight && fileRight;
    const own8 = stored.type === 'u8' && stepPx(truth, first.now, stored.fps) > 1,
      isTrue = (code: SymptomCode) => (code === 'coarseSteps' && own8) || (code === 'clippedRange' && reachesItsEnds(first.now));
    const warned = found.symptoms.filter((s) => s.severity !== 'info').map((s) => s.code);
    return {
      seed,
      kind,
      damage,
      stored,
      found,
      right,
      error,
      seconds,
      wrongWarnings: warned.filter((code) => damage === 'none' && !isTrue(code)),
    };
  }

  private frameToIdentify(seed: number, t: number, stored: RandomEncoding, damage: PassDamage, draw: Draw): FrameToIdentify {
    const own = Math.floor(seed / A_SCENE),
      // A pass of another scene, of the same kind or not.
      from = damage === 'foreign' ? own + 1 + (seed % 5) * SCENE_KINDS.length + (seed % 3) : own,
      shift = damage === 'file number' ? -1 : 0;
    const pass = (at: number): StoredPass => {
      const frame = this.at(from, at + shift);
      return storeRandom(frame.motion, stored, damage, alphaOf(frame), draw);
    };
    const beauty = (at: number) => (damage === 'static' ? this.at(own, t) : this.at(own, at)).rgba;
    return {
      frame: t,
      beauty: { ...this.size, now: beauty(t), next: beauty(t + 1), previous: beauty(t - 1) },
      now: pass(t),
      next: pass(t + 1),
      previous: pass(t - 1),
    };
  }

  private sceneOf(seed: number): RenderedScene {
    const known = this.rendered.get(seed);
    if (known !== undefined) return known;
    // Memory for a few scenes: cases come in order.
    if (this.rendered.size > 12) for (const key of this.rendered.keys()) if (this.rendered.size > 12) this.rendered.delete(key);
    const kind = SCENE_KINDS[seed % SCENE_KINDS.length];
    const made = {
      kind,
      scene: randomScene(kind, drawFrom(seed), this.size.width, this.size.height),
      frames: new Map<number, TestFrame>(),
    };
    this.rendered.set(seed, made);
    return made;
  }

  private at(seed: number, t: number): TestFrame {
    const { scene, frames } = this.sceneOf(seed);
    const known = frames.get(t) ?? renderTestFrame(scene, t, seed * 1000 + t + 500);
    frames.set(t, known);
    return known;
  }
}

const FEWEST_AT_END = 24;

/** Whole numbers that pixels of the pass are stuck at, because its range was drawn too small. */
function reachesItsEnds({ channels }: StoredPass): boolean {
  return channels.some(
    ({ type, data }) => (type === 'u8' || type === 'u16') && [0, 1].some((end) => data.filter((v) => v === end).length >= FEWEST_AT_END),
  );
}

/** Soft edges that are too few are multiplied by nothing; not every renderer that could clip does. */
function suited(damage: PassDamage, alpha: Float32Array, draw: Draw): PassDamage {
  const partial = alpha.reduce((n, a) => n + (a > 0.05 && a < 0.95 ? 1 : 0), 0);
  if (damage.startsWith('multiplied') && partial < 0.003 * alpha.length) return 'none';
  return damage === 'clipped' && draw.chance(0.3) ? 'none' : damage;
}

function alphaOf({ rgba }: TestFrame): Float32Array {
  const out = new Float32Array(rgba.length / 4);
  for (let i = 0; i < out.length; i++) out[i] = rgba[i * 4 + 3];
  return out;
}

/** Relative error that a reading may have, in the median over moving pixels; and what still pixels may move. */
const MOST_ERROR = 0.05,
  MOST_AT_REST_PX = 0.5,
  MOVES_FROM_PX = 1,
  RESTS_BELOW_PX = 0.05,
  FEWEST_RESTING = 400;

/** Held against what the true encoding decodes from the same stored values, where it says anything. */
function judge(
  got: Encoding,
  truth: Encoding,
  pass: StoredPass,
  alpha: Float32Array,
  { fps, type }: RandomEncoding,
  isOtherSize: boolean,
): { readonly error: number; readonly isRight: boolean } {
  const coverage = isOtherSize ? halvedPlane(alpha, pass) : alpha;
  const decode = (encoding: Encoding): MotionField | null => {
    try {
      return decodeMotion(
        {
          planes: new Map(pass.channels.map((c) => [c.name, c.data])),
          width: pass.width,
          height: pass.height,
          fps: fps ?? 24,
          beautyAlpha: coverage,
        },
        encoding,
      );
    } catch {
      return null;
    }
  };
  const best = decode(truth),
    mine = decode(got);
  if (best === null || mine === null) return { error: Infinity, isRight: false };
  // Values of a pass that was scaled down as a picture are pixels of the whole size.
  const scale = isOtherSize && truth.fullScale.unit === 'px' ? 0.5 : 1;
  const [set] = truth.sets;
  const ends = (type === 'u8' || type === 'u16' ? (set.length === null ? [set.x, set.y] : [set.length]) : []).map(
    (n) => pass.channels.find((c) => c.name === n)?.data,
  );
  const step = type === 'u8' ? stepPx(truth, pass, fps) : 0;
  const errors: number[] = [],
    rests: number[] = [];
  for (let i = 0; i < best.valid.length; i++) {
    if (best.valid[i] === 0 || (truth.premultiplied && coverage[i] < 0.999)) continue;
    if (ends.some((d) => d !== undefined && (d[i] <= 0 || d[i] >= 1))) continue;
    const off = (b: Float32Array, m: Float32Array) => Math.hypot(m[i * 2] - scale * b[i * 2], m[i * 2 + 1] - scale * b[i * 2 + 1]);
    const length = (b: Float32Array) => scale * Math.hypot(b[i * 2], b[i * 2 + 1]);
    const next = length(best.toNext),
      previous = length(best.toPrevious);
    if (Math.max(next, previous) < RESTS_BELOW_PX + 0.75 * step)
      rests.push(mine.valid[i] === 0 ? 0 : Math.hypot(mine.toNext[i * 2], mine.toNext[i * 2 + 1]));
    if (Math.min(next, previous) < MOVES_FROM_PX * scale || next < 1.5 * step) continue;
    errors.push(mine.valid[i] === 0 ? 1 : Math.max(off(best.toNext, mine.toNext) / next, off(best.toPrevious, mine.toPrevious) / previous));
  }
  const median = (list: number[]) => list.sort((a, b) => a - b)[list.length >> 1] ?? 0;
  const error = errors.length === 0 ? 1 : median(errors),
    rest = rests.length < FEWEST_RESTING ? 0 : median(rests);
  return { error, isRight: error < MOST_ERROR && rest <= Math.max(MOST_AT_REST_PX, 1.01 * step) };
}

/** Pixels per frame of a step of 8 bits. */
function stepPx(encoding: Encoding, pass: StoredPass, fps: number | null): number {
  const [a, b] = [0.5, 0.5 + 1 / 255].map((v) => {
    const one = new Float32Array(1).fill(v);
    const zero = new Float32Array(1).fill(encoding.zero);
    const [{ x, y }] = encoding.sets;
    const plain: Encoding = {
      ...encoding,
      sets: [{ ...encoding.sets[0], length: null }],
      transfer: { kind: 'none' },
      premultiplied: false,
    };
    const planes = new Map([
      [x, one],
      [y, zero],
    ]);
    return decodeMotion(
      { planes, width: 1, height: 1, fps: fps ?? 24, beautyAlpha: null },
      { ...plain, fullScale: { ...plain.fullScale, ...inPixels(encoding, pass) } },
    ).toNext[0];
  });
  return Math.abs(b - a);
}

function inPixels({ fullScale: { equals, unit } }: Encoding, { width }: StoredPass): { readonly equals: number; readonly unit: 'px' } {
  return { equals: unit === 'px' ? equals : unit === 'halfFrame' ? (equals * width) / 2 : equals * width, unit: 'px' };
}

function halvedPlane(plane: Float32Array, { width, height }: StoredPass): Float32Array {
  return Float32Array.from({ length: width * height }, (_, i) => plane[(2 * Math.floor(i / width) + 1) * width * 2 + 2 * (i % width) + 1]);
}
