/**
 * How a depth pass is stored. With s the stored value: law "linear": distance = (s - zero) x scale; law "inverse": distance = scale / (s - zero).
 * A negative scale turns the direction round. Where nothing is stored, and where the stored value is NaN or infinite, there is nothing.
 */
export interface DepthEncoding {
  readonly ivrexDepth: 1;
  readonly name: string;
  readonly note: string;
  /** The channel that holds depth, its name inside the chosen layer. */
  readonly channel: string;
  readonly law: 'linear' | 'inverse';
  /** Linear: the stored value at distance 0. Inverse: the one that is infinitely far away. */
  readonly zero: number;
  /** Scene units a stored unit, not 0. Of passes that are stored from 0 to 1 the true scale is not known: only ratios of distances count then. */
  readonly scale: number;
  /** Along the view axis, or straight from the eye. */
  readonly measured: 'alongView' | 'fromEye';
  /** Stored values that mean "nothing here". */
  readonly nothing: readonly number[];
  /** Edges were filtered as if the pass were a picture: values between two surfaces are nobody's depth. */
  readonly filtered: boolean;
  /** The pass holds where each pixel's point lies: its three channels. Distances are worked out from them, frame by frame, and law, zero and scale say nothing. */
  readonly position: readonly [string, string, string] | null;
}

/** Distances as they are, 0 for nothing. */
export const PLAIN_DEPTH: DepthEncoding = {
  ivrexDepth: 1,
  name: '',
  note: '',
  channel: 'Z',
  law: 'linear',
  zero: 0,
  scale: 1,
  measured: 'alongView',
  nothing: [0],
  filtered: false,
  position: null,
};

/** Which of two stored values is nearer. */
export function nearerValues({ law, scale }: Pick<DepthEncoding, 'law' | 'scale'>): 'smaller' | 'larger' {
  return (law === 'linear') === scale > 0 ? 'smaller' : 'larger';
}

/** A stored value with few digits, and as a power of ten when it is very large: "0.25", "1e10". */
export function storedText(v: number): string {
  return Math.abs(v) >= 1e6 ? v.toExponential(1).replace('.0', '').replace('+', '') : String(Number(v.toPrecision(4)));
}

/** What stored values are, in words: "distances", "one over the distance", "relative, larger is nearer". */
export function depthLawWords({ law, zero, scale }: Pick<DepthEncoding, 'law' | 'zero' | 'scale'>): string {
  if (law === 'inverse')
    return zero === 0 && scale > 0 ? 'one over the distance' : `one over the distance, ${nearerValues({ law, scale })} is nearer`;
  if (zero === 0) return scale > 0 ? 'distances' : 'distances below 0';
  return `relative, ${nearerValues({ law, scale })} is nearer`;
}

/** In one line: "channel Z, smaller is nearer, 0 is nothing". */
export function describeDepth(encoding: DepthEncoding): string {
  const { channel, law, nothing, filtered, measured, position } = encoding;
  return [
    position === null ? `channel ${channel}` : `positions in ${position.join(', ')}`,
    position === null ? `${nearerValues(encoding)} is nearer` : null,
    law === 'inverse' ? 'one over the distance' : null,
    nothing.length === 0 ? null : `${nothing.map(storedText).join(' and ')} ${nothing.length > 1 ? 'are' : 'is'} nothing`,
    filtered ? 'filtered edges' : null,
    measured === 'fromEye' ? 'straight from the eye' : null,
  ]
    .filter((text) => text !== null)
    .join(', ');
}
