import { IvrexError } from '../../errors';
import type { Encoding, ScaleUnit } from './encoding';

/** Facts about the pass that an encoding alone does not hold. */
export interface PassFacts {
  readonly width: number;
  readonly height: number;
  /** Frames per second, for encodings in seconds; null when nobody knows. */
  readonly fps: number | null;
}

/** An encoding checked against a pass and brought to the numbers that the pixel loops use. */
export interface CodecPlan {
  readonly zero: number;
  /** Pixels that one unit of (v - zero) means, signs of the axes included, pixel aspect taken out. */
  readonly scaleX: number;
  readonly scaleY: number;
  /** With a length channel: pixels that one stored unit of length means, before axes and pixel aspect. */
  readonly lengthScale: number;
  readonly signX: number;
  readonly signY: number;
  readonly pixelAspect: number;
  /** Per set: frames between from and to, and from + to (twice the interval's middle, frames; of a rate per second as if it were per frame). */
  readonly spans: readonly { readonly frames: number; readonly sum: number }[];
}

/** @throws IvrexError badEncoding, needsFrameRate, unsupported */
export function planCodec(encoding: Encoding, facts: PassFacts): CodecPlan {
  if (encoding.space !== 'screen') {
    throw new IvrexError(
      'unsupported',
      `the encoding says that vectors are in ${encoding.space} space, which needs a camera and depth: make screen motion of it first (step Motion, "Make motion", or ./ivrex derive)`,
    );
  }
  const { zero, fullScale, axes, pixelAspect } = encoding;
  if (encoding.sets.length < 1 || encoding.sets.length > 2)
    throw new IvrexError('badEncoding', `an encoding has one or two vector sets, not ${encoding.sets.length}`);
  if (encoding.transfer.kind === 'power' && !(encoding.transfer.exponent > 0))
    throw new IvrexError('badEncoding', 'the exponent of a power curve must be above 0');
  if (!(pixelAspect > 0)) throw new IvrexError('badEncoding', 'the pixel aspect must be above 0');
  if (fullScale.equals === 0) throw new IvrexError('badEncoding', 'full scale must not equal 0');
  if (fullScale.stored === zero)
    throw new IvrexError('badEncoding', `full scale is stored as ${zero}, the same value as no motion; they must differ`);
  if (encoding.sets.some((set) => set.length !== null) && fullScale.stored === 0)
    throw new IvrexError('badEncoding', 'a length channel needs a full scale that is stored as something else than 0');
  const [unitX, unitY] = unitPixels(fullScale.unit, facts);
  const signX = axes.x === 'right' ? 1 : -1,
    signY = axes.y === 'down' ? 1 : -1;
  const perUnit = fullScale.equals / (fullScale.stored - zero);
  const spans = encoding.sets.map(({ covers }) => {
    const rate = covers.unit === 'frames' ? 1 : facts.fps;
    if (rate === null || !(rate > 0))
      throw new IvrexError(
        'needsFrameRate',
        'the encoding counts in seconds, so the frame rate must be known: give --fps, or a file whose header says framesPerSecond',
      );
    const frames = (covers.to - covers.from) * rate;
    if (frames === 0) throw new IvrexError('badEncoding', 'a vector set covers no time: from and to are equal');
    // Per second is a rate, taken over the frame: from and to say on which side. A path is not followed for a whole second.
    return { frames, sum: covers.from + covers.to };
  });
  if (spans.length === 2 && spans[0].sum === spans[1].sum)
    throw new IvrexError('badEncoding', 'both vector sets lie around the same moment, so they do not tell previous from next');
  return {
    zero,
    signX,
    signY,
    pixelAspect,
    spans,
    lengthScale: (fullScale.equals / fullScale.stored) * unitX,
    scaleX: (perUnit * unitX * signX) / pixelAspect,
    scaleY: perUnit * unitY * signY,
  };
}

function unitPixels(unit: ScaleUnit, facts: PassFacts): readonly [number, number] {
  switch (unit) {
    case 'px':
      return [1, 1];
    case 'frameWidth':
      return [facts.width, facts.width];
    case 'frameSize':
      return [facts.width, facts.height];
    case 'halfFrame':
      return [facts.width / 2, facts.height / 2];
  }
}
