import { renderGlassFloat } from '../src';

/** A small glass float at one moment, and its pictures around that moment; prints JSON. */
export interface GlassFloatFrames {
  readonly motion: number[];
  readonly depth: number[];
  readonly position: number[];
  /** RGBA before, at and after the moment. */
  readonly pictures: number[][];
}

const SIZE = { width: 240, height: 135 },
  T = 5;
const { motion, depth, position } = renderGlassFloat(T, SIZE, 0);
const frames: GlassFloatFrames = {
  motion: [...motion],
  depth: [...depth],
  position: [...position],
  pictures: [T - 1, T, T + 1].map((t) => [...renderGlassFloat(t, SIZE, 4).rgba]),
};
process.stdout.write(JSON.stringify(frames));
