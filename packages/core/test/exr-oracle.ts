import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';

/** The reference library's side: a small program over it, built by the test script from oracle/exr-oracle.cpp. */
const PROGRAM = path.join(__dirname, '../../../.cache/oracle/exr-oracle');

export function writeByOracle(file: string, compression: string, types: string, layout: string): void {
  execFileSync(PROGRAM, ['write', file, compression, types, layout]);
}

/** Tiles of every kind; see the program's head. */
export function writeTilesByOracle(
  file: string,
  ...how: [compression: string, types: string, tile: number, levels: string, order: string, place: string, parts: string]
): void {
  execFileSync(PROGRAM, ['grid', file, ...how.map(String)]);
}

/** Samples of every channel of a part, exactly as the reference library reads them. */
export function readByOracle(file: string, part = 0): Map<string, Float64Array> {
  const out = `${file}.${part}.samples`;
  const listing = execFileSync(PROGRAM, ['dump', file, String(part), out], { encoding: 'utf8' });
  const bytes = readFileSync(out);
  const all = new Float64Array(bytes.buffer, bytes.byteOffset, bytes.length / 8);
  let at = 0;
  return new Map(
    listing
      .trim()
      .split('\n')
      .map((line) => {
        const cut = line.lastIndexOf(' '),
          count = Number(line.slice(cut + 1));
        at += count;
        return [line.slice(0, cut), all.subarray(at - count, at)];
      }),
  );
}
