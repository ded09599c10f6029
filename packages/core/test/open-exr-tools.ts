import { execFileSync } from 'node:child_process';

/** What the reference library's own tool reads in a file: the oracle for our reader and writer. */
export interface OracleImage {
  readonly channels: readonly string[];
  /** "x,y" -> values in the order of `channels`. */
  readonly pixels: ReadonlyMap<string, readonly number[]>;
}

export function readWithOracle(file: string): OracleImage {
  const info = execFileSync('oiiotool', ['--info', '-v', file], { encoding: 'utf8' });
  const channels = (/channel list: (.*)/.exec(info)?.[1] ?? '').split(',').map((name) => name.trim().replace(/ \(\w+\)$/, ''));
  const dump = execFileSync('oiiotool', ['--dumpdata', file], { encoding: 'utf8', maxBuffer: 1 << 28 });
  const pixels = new Map<string, readonly number[]>();
  for (const [, x, y, values] of dump.matchAll(/Pixel \((-?\d+), (-?\d+)\): ([^(\n]*)/g))
    pixels.set(
      `${x},${y}`,
      values
        .trim()
        .split(/\s+/)
        .map((v) => (/inf/.test(v) ? (v.startsWith('-') ? -Infinity : Infinity) : Number(v))),
    );
  if (pixels.size === 0) throw new Error(`oiiotool shows no pixels of ${file}`);
  return { channels, pixels };
}
