import { rawPixels, type Encoding } from '../encoding/encoding';
import { describeEncoding } from '../encoding/describe-encoding';
import { proposeEncoding } from '../encoding/propose';
import { blurredBeauty } from './blurred-beauty';
import type { BeautyPictures } from './beauty-pictures';
import type { PassesOfFrame, Identification, IdentifyContext, MotionFact } from './identification';
import { valueSymptoms } from './value-symptoms';
import { shapeOf, type ChannelShape, type StoredPass } from './stored-pass';

/** With nothing but the stored values; facts that the artist points at raise it. */
const FROM_VALUES = 0.3,
  WITH_STILL = 0.4,
  WITH_MOVED = 0.65;

/**
 * A reading when the pictures do not tell (one frame, no texture, motion too large): channel names, the value that most pixels hold,
 * range and symmetry, and what the artist knows for certain. Confidence stays low: axis, sign and scale can't be seen in values alone.
 */
export function readFromValues(
  frames: readonly PassesOfFrame[],
  [{ alpha }]: readonly BeautyPictures[],
  { facts, fps }: IdentifyContext,
): Identification {
  const [{ now: pass }] = frames;
  const shapes = pass.channels.map(shapeOf);
  const proposal = proposeEncoding(pass.channels.map(({ name, type }) => ({ name, type })));
  const base = proposal?.encoding ?? rawPixels(shapes[0]?.name ?? 'R', shapes[1]?.name ?? shapes[0]?.name ?? 'G');
  const find = (name: string) => shapes.find((s) => s.name === name || s.name.endsWith(`.${name}`));
  const x = find(base.sets[0].x),
    y = find(base.sets[0].y);
  let encoding: Encoding = x === undefined || y === undefined ? base : withRest(base, x, y);
  let confidence = x === undefined || y === undefined ? 0.1 : FROM_VALUES;
  const still = facts.find((f) => f.kind === 'still'),
    moved = facts.filter((f) => f.kind === 'moved');
  if (still !== undefined && x !== undefined && y !== undefined) {
    const [vx, vy] = [x, y].map((s) => valueAt(pass, alpha, s.name, still));
    if (Math.abs(vx - vy) < 0.02 * Math.max(1, Math.abs(vx))) {
      encoding = rescaled(encoding, vx);
      confidence = WITH_STILL;
    }
  }
  if (moved.length > 0 && x !== undefined && y !== undefined) {
    const solved = solveMoved(encoding, moved, (fact, name) => valueAt(pass, alpha, name, fact), alpha, pass);
    if (solved !== null) {
      encoding = solved;
      confidence = still === undefined ? WITH_MOVED - 0.1 : WITH_MOVED;
    }
  }
  encoding = { ...encoding, name: describeEncoding(encoding) };
  return {
    encoding,
    confidence,
    frameOffset: 0,
    symptoms: [
      {
        code: 'notMeasured',
        severity: 'info',
        message: 'The pictures do not tell how this pass is stored: too little texture, too large a motion, or no frame beside this one.',
        effect: null,
        advice: 'Point at something that stands still, or at something and where it went, and it is worked out from that.',
        mend: null,
        at: null,
      },
      ...valueSymptoms(encoding, shapes, pass, fps, null),
      ...blurredBeauty(encoding, alpha, pass, fps),
    ],
    evidence: {
      from: facts.length > 0 && confidence > FROM_VALUES ? 'facts' : 'values',
      frames: frames.flatMap((f) => f.frame ?? []),
      points: 0,
      measured: 0,
      explained: 0,
      residual: null,
      plots: [],
      readings: [],
      isKnown: false,
      wouldTell: [],
    },
  };
}

/** The zero from what most pixels hold; values within -1 and 1 that are not whole pixels are shares of the frame. */
function withRest(base: Encoding, x: ChannelShape, y: ChannelShape): Encoding {
  const rest = x.restShare > 0.02 && x.rest === y.rest ? x.rest : restOf(x);
  const { type } = x;
  const whole = type === 'u8' || type === 'u16';
  if (rest > 0.65 && rest < 0.78 && x.min >= 0 && x.max <= 1) {
    // 0.5 through a display curve.
    const srgb = Math.abs(rest - 0.7354) < Math.abs(rest - 0.7297);
    return { ...rescaled(base, 0.5), transfer: srgb ? { kind: 'srgb' } : { kind: 'power', exponent: 2.2 } };
  }
  if (Math.abs(rest - 0.5) < 0.02) return rescaled(base, rest);
  if (whole) return rescaled(base, 0.5);
  const reach = Math.max(Math.abs(x.low), Math.abs(x.high), Math.abs(y.low), Math.abs(y.high));
  if (reach > 0 && reach < 0.35 && !(x.min >= 0 && y.min >= 0))
    return { ...base, zero: rest, fullScale: { stored: rest + 1, equals: 1, unit: 'frameWidth' } };
  return rest === 0 ? base : rescaled(base, rest);
}

/** Another value stands still; a centred pass runs to 1, another one a unit beyond its zero. */
function rescaled(encoding: Encoding, zero: number): Encoding {
  if (Math.abs(zero) < 1e-6) return { ...encoding, zero: 0 };
  const centred = zero > 0.3 && zero < 0.7,
    { fullScale } = encoding;
  if (!centred) return { ...encoding, zero, fullScale: { ...fullScale, stored: zero + 1 } };
  return { ...encoding, zero, fullScale: fullScale.equals === 1 ? { stored: 1, equals: 64, unit: 'px' } : { ...fullScale, stored: 1 } };
}

interface Size {
  readonly width: number;
  readonly height: number;
}

function valueAt(now: StoredPass, beauty: Size, name: string, fact: MotionFact): number {
  const channel = now.channels.find((c) => c.name === name);
  const x = Math.min(now.width - 1, Math.max(0, Math.floor((fact.x * now.width) / beauty.width))),
    y = Math.min(now.height - 1, Math.max(0, Math.floor((fact.y * now.height) / beauty.height)));
  return channel === undefined ? NaN : channel.data[y * now.width + x];
}

/** Signs, order and scale from "this moved from here to there"; null when the values at those points are too near zero to tell. */
function solveMoved(
  encoding: Encoding,
  moved: readonly Extract<MotionFact, { kind: 'moved' }>[],
  value: (fact: MotionFact, name: string) => number,
  beauty: Size,
  pass: Size,
): Encoding | null {
  const [set] = encoding.sets;
  let best: { encoding: Encoding; off: number } | null = null;
  for (const [cx, cy] of [
    [set.x, set.y],
    [set.y, set.x],
  ]) {
    let sxx = 0,
      sxm = 0,
      syy = 0,
      sym = 0,
      square = 0;
    for (const fact of moved) {
      const u = value(fact, cx) - encoding.zero,
        v = value(fact, cy) - encoding.zero;
      const mx = ((fact.toX - fact.x) * pass.width) / beauty.width,
        my = ((fact.toY - fact.y) * pass.height) / beauty.height;
      sxx += u * u;
      sxm += u * mx;
      syy += v * v;
      sym += v * my;
      square += mx * mx + my * my;
    }
    const scale = Math.sqrt(square / (sxx + syy));
    if (!Number.isFinite(scale) || scale === 0) continue;
    const signX = sxm < 0 ? -1 : 1,
      signY = sym < 0 ? -1 : 1;
    const off = square - 2 * scale * (signX * sxm + signY * sym) + scale * scale * (sxx + syy);
    if (best !== null && off >= best.off) continue;
    const full = 1 - encoding.zero === 0 ? 1 : 1 - encoding.zero;
    const reversed = signX < 0;
    best = {
      off,
      encoding: {
        ...encoding,
        sets: [{ ...set, x: cx, y: cy, covers: reversed ? { from: 0, to: -1, unit: 'frames' } : { from: 0, to: 1, unit: 'frames' } }],
        fullScale: { stored: encoding.zero + full, equals: Number((scale * full).toPrecision(4)), unit: 'px' },
        axes: { x: 'right', y: (reversed ? -signY : signY) < 0 ? 'up' : 'down' },
      },
    };
  }
  return best?.encoding ?? null;
}

function restOf({ rest, restShare, type }: ChannelShape): number {
  if (restShare > 0.02) return rest;
  return type === 'u8' || type === 'u16' ? 0.5 : 0;
}
