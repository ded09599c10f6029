// A straight line over a plate, and brightness along it.
import { solveTwo } from '../linear/solve-linear';
import { sampleBilinear } from '../raster/bilinear';

/** Scene-linear brightness of a plate at three frames, row by row; a neighbour that is not there is null. */
export interface PlateLight {
  readonly width: number;
  readonly height: number;
  readonly previous: Float32Array | null;
  readonly now: Float32Array;
  readonly next: Float32Array | null;
}

export interface Place {
  readonly x: number;
  readonly y: number;
}

export interface Line {
  readonly at: Place;
  /** Unit vector along it. */
  readonly along: Place;
  readonly lengthPx: number;
}

export function alongOf({ at, along }: Line, s: number, across = 0): Place {
  return { x: at.x + along.x * s - along.y * across, y: at.y + along.y * s + along.x * across };
}

/** The drawn line, moved and turned onto what is brightest (or darkest) across it. */
export function straighten({ now, width, height }: PlateLight, from: Place, to: Place): Line {
  let line = lineOf(from, to);
  for (let turn = 0; turn < 2; turn++) {
    // Weighted straight line through the centres of light across.
    let w0 = 0,
      w1 = 0,
      w2 = 0,
      m0 = 0,
      m1 = 0;
    for (let s = 0; s <= line.lengthPx; s += 1) {
      const level = surroundings(now, width, height, line, s);
      let light = 0,
        moment = 0;
      for (let across = -5; across <= 5; across += 0.5) {
        const p = alongOf(line, s, across),
          v = Math.abs(sampleAt(now, width, height, p) - level) ** 2;
        light += v;
        moment += v * across;
      }
      if (light === 0) continue;
      w0 += light;
      w1 += light * s;
      w2 += light * s * s;
      m0 += moment;
      m1 += moment * s;
    }
    const fit = solveTwo(w0, w1, w2, m0, m1, 1e-9);
    if (fit === null) return line;
    const [shift, slope] = fit;
    line = lineOf(alongOf(line, 0, shift), alongOf(line, line.lengthPx, shift + slope * line.lengthPx));
  }
  return line;
}

function lineOf(from: Place, to: Place): Line {
  const lengthPx = Math.hypot(to.x - from.x, to.y - from.y);
  return { at: from, along: { x: (to.x - from.x) / lengthPx, y: (to.y - from.y) / lengthPx }, lengthPx };
}

function surroundings(plane: Float32Array, width: number, height: number, line: Line, s: number): number {
  const beside = [-AROUND_PX - 1, -AROUND_PX, AROUND_PX, AROUND_PX + 1].map((across) =>
    sampleAt(plane, width, height, alongOf(line, s, across)),
  );
  return beside.reduce((a, b) => a + b, 0) / beside.length;
}

/** Between the values of a profile. */
export const STEP_PX = 0.5;
/** Half the width of what is averaged across the streak, and where its surroundings are looked at. */
const ACROSS_PX = 2.5,
  AROUND_PX = 7;

/** From before the line's start to behind its end: half its length each, eight pixels at least. */
export function profileAlong({ now, width, height }: PlateLight, line: Line): { start: number; values: number[] } {
  const beyond = Math.max(8, line.lengthPx * 0.5),
    values: number[] = [];
  for (let s = -beyond; s <= line.lengthPx + beyond; s += STEP_PX) {
    let sum = 0,
      count = 0;
    for (let across = -ACROSS_PX; across <= ACROSS_PX; across += 0.5) {
      sum += sampleAt(now, width, height, alongOf(line, s, across));
      count++;
    }
    values.push(sum / count - surroundings(now, width, height, line, s));
  }
  return { start: -beyond, values };
}

/** A pixel's centre is at its index plus a half. */
function sampleAt(plane: Float32Array, width: number, height: number, { x, y }: Place): number {
  return sampleBilinear(plane, width, height, x - 0.5, y - 0.5);
}
