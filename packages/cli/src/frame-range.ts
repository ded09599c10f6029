import { UsageError } from './cli-error';

export interface FrameRange {
  readonly first: number;
  readonly last: number;
}

/** "1001-1024" or "1010". */
export function parseFrameRange(text: string): FrameRange {
  const match = /^(-?\d+)(?:-(-?\d+))?$/.exec(text);
  if (match === null) throw new UsageError(`--frames takes A-B or one number, not "${text}"`);
  const first = Number(match[1]),
    last = match[2] === undefined ? first : Number(match[2]);
  if (last < first) throw new UsageError(`--frames ${text} ends before it starts`);
  return { first, last };
}

export function parseNumber(option: string): (text: string) => number {
  return (text) => {
    const value = Number(text);
    if (text.trim() === '' || !Number.isFinite(value)) throw new UsageError(`--${option} takes a number, not "${text}"`);
    return value;
  };
}

export function parseCount(option: string): (text: string) => number {
  return (text) => {
    const value = parseNumber(option)(text);
    if (!Number.isInteger(value) || value < 1) throw new UsageError(`--${option} takes a whole number from 1 on, not "${text}"`);
    return value;
  };
}
