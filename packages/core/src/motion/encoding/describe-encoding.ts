import { assertNever } from '../../errors';
import type { Encoding, ScaleUnit, VectorSet } from './encoding';

/** An encoding in a few words, as an artist would say it: "Centred, full scale 64 px, y up, to the next frame". */
export function describeEncoding(encoding: Encoding): string {
  const { zero, fullScale, axes, transfer, sets } = encoding;
  const words: string[] = [];
  const direction = sets.some((s) => s.length !== null);
  if (direction) words.push('Direction and length');
  const plain = Math.abs(zero) < 1e-9 && fullScale.stored === 1 && fullScale.equals === 1;
  const scale = scaleWords(fullScale.equals, fullScale.unit, fullScale.stored);
  if (encoding.space !== 'screen') words.push(`Velocity in ${encoding.space === 'world' ? "the scene's" : "the camera's"} axes`);
  if (plain && fullScale.unit === 'px')
    words.push(encoding.space !== 'screen' ? 'raw scene units' : direction ? 'length in pixels' : 'Raw pixels');
  else if (plain && fullScale.unit !== 'px') words.push(scale);
  else {
    if (!direction && Math.abs(zero) >= 1e-9) words.push(Math.abs(zero - 0.5) < 0.003 ? 'Centred' : `No motion at ${shortNumber(zero)}`);
    words.push(direction ? `length up to ${scale}` : `full scale ${scale}`);
  }
  if (transfer.kind !== 'none') words.push(curveWords(encoding));
  if (axes.x === 'left') words.push('x left');
  if (axes.y === 'up') words.push('y up');
  if (encoding.pixelAspect !== 1) words.push(`x times pixel aspect ${shortNumber(encoding.pixelAspect)}`);
  words.push(sets.length === 2 ? 'to next and previous' : coversWords(sets[0]));
  if (encoding.premultiplied) words.push('multiplied by alpha');
  const text = words.join(', ');
  return text.charAt(0).toUpperCase() + text.slice(1);
}

export function coversWords({ covers: { from, to, unit } }: VectorSet): string {
  if (unit === 'seconds')
    return Math.abs(to - from) === 1 ? (to > from ? 'per second' : 'per second, backwards in time') : `over ${shortNumber(to - from)} s`;
  const key = `${from}>${to}`;
  const known: Record<string, string> = {
    '0>1': 'to the next frame',
    '1>0': 'back from the next frame',
    '0>-1': 'to the previous frame',
    '-1>0': 'from the previous frame',
    '0>0.5': 'over the half frame that follows',
    '-0.25>0.25': 'over half a frame around the frame',
    '-0.5>0.5': 'over a frame around the frame',
    '-0.5>0': 'over the half frame before',
  };
  return known[key] ?? `from ${shortNumber(from)} to ${shortNumber(to)} frames`;
}

function scaleWords(equals: number, unit: ScaleUnit, stored: number): string {
  const at = stored === 1 ? '' : ` at ${shortNumber(stored)}`;
  switch (unit) {
    case 'px':
      return `${shortNumber(equals)} px${at}`;
    case 'frameWidth':
      return `${equals === 1 ? 'a frame width' : `${shortNumber(equals)} frame widths`}${at}`;
    case 'frameSize':
      return `${equals === 1 ? 'frame width and height' : `${shortNumber(equals)} frame widths and heights`}${at}`;
    case 'halfFrame':
      return `${equals === 1 ? 'half the frame' : `${shortNumber(equals)} half frames`}${at}`;
    default:
      return assertNever(unit);
  }
}

export function curveWords({ transfer }: Pick<Encoding, 'transfer'>): string {
  return transfer.kind === 'none' ? 'no curve' : transfer.kind === 'srgb' ? 'sRGB curve' : `power curve ${shortNumber(transfer.exponent)}`;
}

function shortNumber(v: number): string {
  return String(Number(v.toPrecision(5)));
}
