import type { Box } from '@ivrex/kernels/interface';
import { clip, contains } from '../model/box';
import { ABSENT, OWN, SEEN, UNKNOWN } from './frame-look';
import { HiddenSearch } from './hidden-search';
import { LEAST_HIDDEN_PX, type LayerStudy, type UnfilledPicture } from './layer-study';
import { pushPull } from './push-pull';
import { NOTHING_BEHIND } from './transparency';

/** The surface's pixels: its own, those that are hidden now but seen in a neighbouring frame or the clean background, and what is made up. */
export function fillColour(study: LayerStudy, layer: UnfilledPicture, hiddenPx: number): Map<number, readonly number[]> {
  const { input, surfaces, rank } = study,
    { width, height } = input,
    { box, colour, state, surface } = layer;
  const shared = new Map<number, readonly number[]>();
  const search = new HiddenSearch(study, layer, hiddenPx);
  let unknown = 0;
  for (let row = 0; row < box.height; row++) {
    const y = box.y0 + row;
    copyOwn(study, layer, row);
    for (let column = 0; column < box.width; column++) {
      const x = box.x0 + column,
        k = row * box.width + column;
      if (x < 0 || y < 0 || x >= width || y >= height) {
        state[k] = search.look(x, y, colour, k * 4);
        if (state[k] === ABSENT) colour.fill(0, k * 4, k * 4 + 4);
        continue;
      }
      const i = y * width + x,
        there = surfaces.of[i];
      if (there === surface) {
        state[k] = OWN;
        if (study.pure[i] === 0 && touchesNearer(study, surface, x, y) && search.look(x, y, search.found, 0) === SEEN)
          shared.set(i, Array.from(search.found));
      } else if (there >= 0 && rank[there] < rank[surface] && !search.isBuried(x, y)) {
        state[k] = study.through?.at[i] === NOTHING_BEHIND ? ABSENT : search.look(x, y, colour, k * 4);
        if (state[k] === ABSENT) colour.fill(0, k * 4, k * 4 + 4);
        else if (state[k] === UNKNOWN) unknown++;
      } else state[k] = ABSENT;
    }
  }
  if (unknown > 0) fillUnknown(layer, width, height);
  repeatOutside(layer, width, height);
  return shared;
}

/** The surface's own pixels of a row of its box, run by run. */
function copyOwn({ input, surfaces }: LayerStudy, { box, colour, surface }: UnfilledPicture, row: number): void {
  const { width, height, rgba } = input,
    y = box.y0 + row;
  if (y < 0 || y >= height) return;
  const end = y * width + Math.min(width, box.x0 + box.width);
  for (let i = y * width + Math.max(0, box.x0); i < end; i++) {
    if (surfaces.of[i] !== surface) continue;
    const from = i;
    while (i < end && surfaces.of[i] === surface) i++;
    colour.set(rgba.subarray(from * 4, i * 4), (row * box.width + from - y * width - box.x0) * 4);
  }
}

function touchesNearer({ surfaces, rank, input }: LayerStudy, surface: number, x: number, y: number): boolean {
  const { width, height } = input;
  for (let dy = -1; dy <= 1; dy++) {
    for (let dx = -1; dx <= 1; dx++) {
      const nx = x + dx,
        ny = y + dy;
      if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
      const there = surfaces.of[ny * width + nx];
      if (there >= 0 && rank[there] < rank[surface]) return true;
    }
  }
  return false;
}

/** Colours farther from what is unknown than this have no say in it. */
const AROUND_PX = 96;

/** The part of a box that holds what is unknown, with as much again around it: farther colours have no say that would be seen. */
function unknownPart(box: Box, state: Uint8Array, inside: Box): Box {
  let x0 = inside.width,
    x1 = -1,
    y0 = inside.height,
    y1 = -1;
  for (let y = 0; y < inside.height; y++) {
    const row = (inside.y0 + y - box.y0) * box.width + inside.x0 - box.x0;
    for (let x = 0; x < inside.width; x++) {
      if (state[row + x] !== UNKNOWN) continue;
      if (x < x0) x0 = x;
      if (x > x1) x1 = x;
      if (y < y0) y0 = y;
      y1 = y;
    }
  }
  const around = Math.min(Math.max(x1 - x0, y1 - y0), AROUND_PX) + LEAST_HIDDEN_PX;
  const part = clip(
    { x0: x0 - around, y0: y0 - around, width: x1 - x0 + 1 + 2 * around, height: y1 - y0 + 1 + 2 * around },
    inside.width,
    inside.height,
  );
  return { ...part, x0: inside.x0 + part.x0, y0: inside.y0 + part.y0 };
}

/** What was never seen comes from its surroundings within the picture. */
function fillUnknown({ box, colour, state }: UnfilledPicture, width: number, height: number): void {
  const inside = unknownPart(box, state, clip(box, width, height));
  const part = new Float32Array(inside.width * inside.height * 4),
    known = new Uint8Array(inside.width * inside.height);
  const row = (y: number) => (inside.y0 + y - box.y0) * box.width + inside.x0 - box.x0;
  for (let y = 0; y < inside.height; y++) {
    part.set(colour.subarray(row(y) * 4, (row(y) + inside.width) * 4), y * inside.width * 4);
    for (let x = 0; x < inside.width; x++) known[y * inside.width + x] = state[row(y) + x] === UNKNOWN ? 0 : 1;
  }
  pushPull(part, known, inside.width, inside.height);
  for (let y = 0; y < inside.height; y++) colour.set(part.subarray(y * inside.width * 4, (y + 1) * inside.width * 4), row(y) * 4);
}

/** Outside the picture what was not seen repeats the border. */
function repeatOutside({ box, colour, state }: UnfilledPicture, width: number, height: number): void {
  const inside = clip(box, width, height);
  if (inside.width === box.width && inside.height === box.height) return;
  for (let row = 0; row < box.height; row++) {
    const sy = Math.min(inside.y0 + inside.height - 1, Math.max(inside.y0, box.y0 + row));
    for (let column = 0; column < box.width; column++) {
      const sx = Math.min(inside.x0 + inside.width - 1, Math.max(inside.x0, box.x0 + column)),
        k = row * box.width + column;
      if (state[k] !== UNKNOWN || contains(inside, box.x0 + column, box.y0 + row)) continue;
      const from = ((sy - box.y0) * box.width + sx - box.x0) * 4;
      for (let c = 0; c < 4; c++) colour[k * 4 + c] = colour[from + c];
    }
  }
}
