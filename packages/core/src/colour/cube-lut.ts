import { IvrexError } from '../errors';

/**
 * A look-up table as the .cube text format describes it (open specification, version 1.0): one curve a channel, or a cube. Values are
 * RGB triples; in a cube red runs fastest.
 */
export interface CubeLut {
  readonly title: string;
  readonly kind: 'curves' | 'cube';
  /** Entries of a curve, or of one side of the cube. */
  readonly size: number;
  readonly domainMin: readonly [number, number, number];
  readonly domainMax: readonly [number, number, number];
  readonly values: Float32Array;
}

const MOST_CURVE = 65536,
  MOST_CUBE = 129;

/** @throws IvrexError damaged (with the line), tooLarge */
export function parseCubeLut(text: string): CubeLut {
  let title = '',
    kind: CubeLut['kind'] | null = null,
    size = 0,
    values = new Float32Array(0),
    filled = 0;
  let domainMin: [number, number, number] = [0, 0, 0],
    domainMax: [number, number, number] = [1, 1, 1];
  const lines = text.split(/\r\n|\r|\n/);
  lines.forEach((raw, index) => {
    const line = raw.trim();
    const wrong = (what: string) => new IvrexError('damaged', `line ${index + 1} of the LUT ${what}`);
    if (line === '' || line.startsWith('#')) return;
    const word = line.split(/\s+/, 1)[0];
    if (word === 'TITLE') title = line.slice(5).trim().replace(/^"|"$/g, '');
    else if (word === 'LUT_1D_SIZE' || word === 'LUT_3D_SIZE') {
      if (kind !== null) throw wrong('gives a second size; a file holds one table');
      kind = word === 'LUT_1D_SIZE' ? 'curves' : 'cube';
      size = Number(line.split(/\s+/)[1]);
      const most = kind === 'curves' ? MOST_CURVE : MOST_CUBE;
      if (!Number.isInteger(size) || size < 2) throw wrong('gives no usable size');
      if (size > most) throw new IvrexError('tooLarge', `the LUT has a size of ${size}; up to ${most} is read`);
      values = new Float32Array(3 * (kind === 'curves' ? size : size ** 3));
    } else if (word === 'DOMAIN_MIN' || word === 'DOMAIN_MAX' || word === 'LUT_1D_INPUT_RANGE' || word === 'LUT_3D_INPUT_RANGE') {
      const numbers = line.split(/\s+/).slice(1).map(Number);
      if (numbers.some((v) => !Number.isFinite(v)) || numbers.length !== (word.startsWith('LUT') ? 2 : 3))
        throw wrong('gives no usable range');
      if (word === 'DOMAIN_MIN') domainMin = [numbers[0], numbers[1], numbers[2]];
      else if (word === 'DOMAIN_MAX') domainMax = [numbers[0], numbers[1], numbers[2]];
      else {
        domainMin = [numbers[0], numbers[0], numbers[0]];
        domainMax = [numbers[1], numbers[1], numbers[1]];
      }
    } else if (/^[-+.\d]/.test(word)) {
      const triple = line.split(/\s+/).map(Number);
      if (triple.length !== 3 || triple.some((v) => !Number.isFinite(v))) throw wrong('is not three numbers');
      if (kind === null) throw wrong('holds values before a size');
      if (filled + 3 > values.length) throw wrong('holds more values than the size says');
      values.set(triple, filled);
      filled += 3;
    } else throw wrong(`starts with "${word.slice(0, 40)}", which .cube files do not have`);
  });
  if (kind === null) throw new IvrexError('damaged', 'this is no .cube LUT: it gives no LUT_1D_SIZE or LUT_3D_SIZE');
  if (filled !== values.length) throw new IvrexError('damaged', `the LUT holds ${filled / 3} of ${values.length / 3} values`);
  if (domainMin.some((v, c) => v >= domainMax[c])) throw new IvrexError('damaged', 'the LUT has an empty input range');
  return { title, kind, size, domainMin, domainMax, values };
}

/** Applies the table to one colour, linear between entries (tri-linear in a cube); input is clamped to the range. Writes 3 values. */
export function applyCubeLut(lut: CubeLut, r: number, g: number, b: number, out: Float32Array, at: number): void {
  const { size, values, domainMin: low, domainMax: high } = lut;
  const place = (v: number, c: number) => Math.min(1, Math.max(0, (v - low[c]) / (high[c] - low[c]))) * (size - 1);
  const p = [place(r, 0), place(g, 1), place(b, 2)];
  if (lut.kind === 'curves') {
    for (let c = 0; c < 3; c++) {
      const i = Math.min(size - 2, Math.floor(p[c])),
        f = p[c] - i;
      out[at + c] = values[i * 3 + c] * (1 - f) + values[(i + 1) * 3 + c] * f;
    }
    return;
  }
  const i = p.map((v) => Math.min(size - 2, Math.floor(v))),
    f = p.map((v, c) => v - i[c]);
  for (let c = 0; c < 3; c++) {
    let sum = 0;
    for (let k = 0; k < 8; k++) {
      const dx = k & 1,
        dy = (k >> 1) & 1,
        dz = k >> 2;
      const weight = (dx ? f[0] : 1 - f[0]) * (dy ? f[1] : 1 - f[1]) * (dz ? f[2] : 1 - f[2]);
      sum += weight * values[(i[0] + dx + (i[1] + dy) * size + (i[2] + dz) * size * size) * 3 + c];
    }
    out[at + c] = sum;
  }
}
