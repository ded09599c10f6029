import type { Box } from '@ivrex/kernels/interface';
import type { BlurInput } from './blur-input';
import { TILE_PX, tilesAcross, type PlannedLayer, type Size } from './blur-plan';
import { similarityGradient } from './gradient';
import { nearestMember } from './nearest';
import { pushPull } from './push-pull';
import { arcGenerator } from './similarity-path';

export interface LayerStudy {
  readonly input: BlurInput;
  readonly model: 'straight' | 'bent' | 'arc';
  readonly labelOf: Int32Array;
  /** 1 where a pixel's vectors can be believed. */
  readonly trusted: Uint8Array;
  /** By label: 0 is nearest. */
  readonly rank: Int32Array;
  readonly reachFrames: number;
  /** The longest vector of the whole picture, pixels per frame. */
  readonly longestPx: number;
}

/** How far a surface is thought to go on behind nearer ones: what the fastest of the picture travels in this time. */
const FILL_FRAMES = 0.25;

/** Less coverage than this is not counted as filled in. */
const COUNTED_ALPHA = 0.5;

/** Room for the cubic filter's taps and for rounding. */
const MARGIN_PX = 3;

/** One surface with its colour, its paths and their extension; null when no pixel shows it. Marks what it fills in. */
export function planLayer(study: LayerStudy, label: number, filled: Uint8Array): PlannedLayer | null {
  const tight = boundsOf(study, label);
  if (tight === null) return null;
  const reachPx = Math.ceil(tight.reachPx) + MARGIN_PX;
  const { width, height } = study.input;
  // What is filled in must not depend on the shutter: a preview and a delivery would differ.
  const hiddenPx = study.rank[label] === 0 ? MARGIN_PX : Math.ceil(study.longestPx * FILL_FRAMES) + MARGIN_PX;
  const seenBox = clip(grow(tight.box, hiddenPx), width, height);
  const pathBox = clip(grow(seenBox, reachPx), width, height);
  const seen = layerColour(study, label, seenBox, filled);
  // Where the surface is cut by the picture's border it goes on outside: its colour is repeated there.
  const colourBox = growAtBorders(seenBox, tight.box, reachPx, study.input);
  const colour = repeatOutside(seen, seenBox, colourBox);
  const path = layerPath(study, label, tight.box, pathBox);
  return { colourBox, pathBox, colour, path, tileTravel: tileTravel(path, pathBox, study.input) };
}

/** Pixels in memory that several workers can see; the plan is then handed over without copying. */
function sharedFloats(length: number): Float32Array {
  return typeof SharedArrayBuffer === 'undefined' ? new Float32Array(length) : new Float32Array(new SharedArrayBuffer(length * 4));
}

function boundsOf(study: LayerStudy, label: number): { box: Box; reachPx: number } | null {
  const { width, height, motion } = study.input;
  let xMin = width,
    xMax = -1,
    yMin = height,
    yMax = -1,
    longest = 0;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (study.labelOf[i] !== label) continue;
      if (x < xMin) xMin = x;
      if (x > xMax) xMax = x;
      if (y < yMin) yMin = y;
      yMax = y;
      for (const v of [motion.toNext, motion.toPrevious]) longest = Math.max(longest, v[i * 2] * v[i * 2] + v[i * 2 + 1] * v[i * 2 + 1]);
    }
  }
  if (xMax < 0) return null;
  // Beyond one frame a bent path grows with the square of the time.
  const frames = study.reachFrames <= 1 ? study.reachFrames : study.reachFrames ** 2;
  return { box: { x0: xMin, y0: yMin, width: xMax - xMin + 1, height: yMax - yMin + 1 }, reachPx: Math.sqrt(longest) * frames };
}

function grow(box: Box, by: number): Box {
  return { x0: box.x0 - by, y0: box.y0 - by, width: box.width + 2 * by, height: box.height + 2 * by };
}

function clip(box: Box, width: number, height: number): Box {
  const x0 = Math.max(0, box.x0),
    y0 = Math.max(0, box.y0);
  return { x0, y0, width: Math.min(width, box.x0 + box.width) - x0, height: Math.min(height, box.y0 + box.height) - y0 };
}

function growAtBorders(box: Box, tight: Box, by: number, size: Size): Box {
  const left = tight.x0 === 0 ? by : 0,
    top = tight.y0 === 0 ? by : 0;
  const right = tight.x0 + tight.width === size.width ? by : 0,
    bottom = tight.y0 + tight.height === size.height ? by : 0;
  return { x0: box.x0 - left, y0: box.y0 - top, width: box.width + left + right, height: box.height + top + bottom };
}

/** The same pixels in a larger box, those at the border repeated outwards. */
function repeatOutside(src: Float32Array, box: Box, larger: Box): Float32Array {
  const out = sharedFloats(larger.width * larger.height * 4);
  for (let y = 0; y < larger.height; y++) {
    const sy = Math.min(box.height - 1, Math.max(0, larger.y0 + y - box.y0));
    for (let x = 0; x < larger.width; x++) {
      const sx = Math.min(box.width - 1, Math.max(0, larger.x0 + x - box.x0));
      const from = (sy * box.width + sx) * 4;
      const to = (y * larger.width + x) * 4;
      for (let c = 0; c < 4; c++) out[to + c] = src[from + c];
    }
  }
  return out;
}

/** The surface's own pixels within the picture; what nearer surfaces hide of it is filled in from around, and marked in `filled` (the picture's size). */
function layerColour(study: LayerStudy, label: number, box: Box, filled: Uint8Array): Float32Array {
  const { width, rgba } = study.input;
  const colour = new Float32Array(box.width * box.height * 4);
  const known = new Uint8Array(box.width * box.height).fill(1);
  for (let i = 0; i < known.length; i++) {
    const from = (box.y0 + Math.floor(i / box.width)) * width + box.x0 + (i % box.width);
    const there = study.labelOf[from];
    if (there === label) {
      for (let c = 0; c < 4; c++) colour[i * 4 + c] = rgba[from * 4 + c];
    } else if (there >= 0 && study.rank[there] < study.rank[label]) {
      known[i] = 0;
    }
  }
  pushPull(colour, known, box.width, box.height);
  for (let i = 0; i < known.length; i++) {
    if (known[i] === 1 || colour[i * 4 + 3] < COUNTED_ALPHA) continue;
    filled[(box.y0 + Math.floor(i / box.width)) * width + box.x0 + (i % box.width)] = 1;
  }
  return colour;
}

/** A and B of every pixel of the path box; outside the surface they come from its nearest pixel, carried on along its own flow. */
function layerPath(study: LayerStudy, label: number, tight: Box, pathBox: Box): Float32Array {
  const { motion, width } = study.input;
  const member = new Uint8Array(tight.width * tight.height);
  const next = new Float32Array(member.length * 2),
    previous = new Float32Array(member.length * 2);
  for (let y = 0; y < tight.height; y++) {
    for (let x = 0; x < tight.width; x++) {
      const from = (tight.y0 + y) * width + tight.x0 + x,
        to = y * tight.width + x;
      if (study.labelOf[from] !== label || study.trusted[from] === 0) continue;
      member[to] = 1;
      next.set(motion.toNext.subarray(from * 2, from * 2 + 2), to * 2);
      previous.set(motion.toPrevious.subarray(from * 2, from * 2 + 2), to * 2);
    }
  }
  const local = localPaths(study.model, next, previous, member, tight.width, tight.height);
  return extendPaths(local, member, tight, pathBox);
}

/** 8 floats a pixel of the surface's own box, in the kernel's form. */
function localPaths(
  model: LayerStudy['model'],
  next: Float32Array,
  previous: Float32Array,
  member: Uint8Array,
  width: number,
  height: number,
): Float32Array {
  const gradientNext = similarityGradient(next, member, width, height);
  const gradientPrevious = similarityGradient(previous, member, width, height);
  const out = new Float32Array(member.length * 8);
  const f = new Float64Array(4),
    b = new Float64Array(4);
  for (let i = 0; i < member.length; i++) {
    if (member[i] === 0) continue;
    const nx = next[i * 2],
      ny = next[i * 2 + 1],
      px = previous[i * 2],
      py = previous[i * 2 + 1];
    if (model === 'arc') {
      arcGenerator(nx, ny, gradientNext[i * 2], gradientNext[i * 2 + 1], f);
      arcGenerator(px, py, gradientPrevious[i * 2], gradientPrevious[i * 2 + 1], b);
    } else {
      f.set([nx, ny, gradientNext[i * 2], gradientNext[i * 2 + 1]]);
      b.set([px, py, gradientPrevious[i * 2], gradientPrevious[i * 2 + 1]]);
    }
    for (let k = 0; k < 4; k++) {
      out[i * 8 + k] = (f[k] - b[k]) / 2;
      out[i * 8 + 4 + k] = model === 'straight' ? 0 : (f[k] + b[k]) / 2;
    }
  }
  return out;
}

function extendPaths(local: Float32Array, member: Uint8Array, tight: Box, pathBox: Box): Float32Array {
  const inBox = new Uint8Array(pathBox.width * pathBox.height);
  const dx = tight.x0 - pathBox.x0,
    dy = tight.y0 - pathBox.y0;
  for (let y = 0; y < tight.height; y++) inBox.set(member.subarray(y * tight.width, (y + 1) * tight.width), (y + dy) * pathBox.width + dx);
  const nearest = nearestMember(inBox, pathBox.width, pathBox.height);
  const out = sharedFloats(inBox.length * 8);
  for (let y = 0; y < pathBox.height; y++) {
    for (let x = 0; x < pathBox.width; x++) {
      const i = y * pathBox.width + x;
      // A surface without a single valid vector stands still.
      if (nearest[i] < 0) continue;
      const nx = nearest[i] % pathBox.width,
        ny = Math.floor(nearest[i] / pathBox.width);
      const from = ((ny - dy) * tight.width + nx - dx) * 8;
      const ox = x - nx,
        oy = y - ny;
      for (let half = 0; half < 8; half += 4) {
        const re = local[from + half + 2],
          im = local[from + half + 3];
        out[i * 8 + half] = local[from + half] + re * ox - im * oy;
        out[i * 8 + half + 1] = local[from + half + 1] + im * ox + re * oy;
        out[i * 8 + half + 2] = re;
        out[i * 8 + half + 3] = im;
      }
    }
  }
  return out;
}

function tileTravel(path: Float32Array, box: Box, size: Size): Float32Array {
  const tiles = tilesAcross(size);
  const out = new Float32Array(tiles.x * tiles.y * 2);
  for (let y = 0; y < box.height; y++) {
    for (let x = 0; x < box.width; x++) {
      const p = (y * box.width + x) * 8;
      const tile = (Math.floor((box.y0 + y) / TILE_PX) * tiles.x + Math.floor((box.x0 + x) / TILE_PX)) * 2;
      out[tile] = Math.max(out[tile], Math.hypot(path[p], path[p + 1]));
      out[tile + 1] = Math.max(out[tile + 1], Math.hypot(path[p + 4], path[p + 5]));
    }
  }
  return out;
}
