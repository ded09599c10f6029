import { NODE_PX, type Box } from '@ivrex/kernels/interface';
import type { BlurInput } from './blur-input';
import type { Size } from './blur-plan';
import { ABSENT, contains, type FrameLook, OWN, SEEN, UNKNOWN, wayAt } from './hidden';
import { surfacePath, type SurfacePath } from './path-grid';
import type { PathStudy } from './path-study';
import { pushPull } from './push-pull';
import { sharedFloats } from './shared-floats';
import type { Surfaces } from './surfaces';
import { NOTHING_BEHIND, type Transparency } from './transparent';

export interface LayerStudy {
  readonly input: BlurInput;
  readonly paths: PathStudy;
  readonly surfaces: Surfaces;
  /** 1 where the whole 3 x 3 neighbourhood of a pixel is of its surface. */
  readonly pure: Uint8Array;
  /** By surface; missing when no pixel shows it. */
  readonly bounds: readonly (SurfaceBounds | undefined)[];
  /** By surface: 0 is nearest. */
  readonly rank: Int32Array;
  /** By object id: the rank of its farthest surface. */
  readonly rankOfId: ReadonlyMap<number, number>;
  readonly reachFrames: number;
  /** The longest vector of the whole picture, pixels per frame. */
  readonly longestPx: number;
  /** By surface: how far outside the picture it is now, of what neighbouring frames show of its object. */
  readonly entering: ReadonlyMap<number, Sides>;
  /** Frames in which hidden places are looked for. */
  readonly looks: readonly FrameLook[];
  /** What shows through transparent surfaces; null when there are none. */
  readonly through: Transparency | null;
  /** Surfaces that the clean background shows. */
  readonly inBackground: Uint8Array;
}

export interface SurfaceBounds {
  readonly box: Box;
  /** Its longest vector, pixels per frame. */
  readonly longestPx: number;
}

/** One surface's own picture: what it shows, also where nearer ones hide it and beyond the picture's border. */
export interface LayerPicture {
  readonly surface: number;
  readonly box: Box;
  readonly colour: Float32Array;
  /** A pixel of `box`: UNKNOWN (made up), OWN, SEEN (in a neighbouring frame or the clean background), ABSENT. */
  readonly state: Uint8Array;
  /** By pixel of the picture: the surface's colour where it shares a pixel with a nearer one, if it was seen. */
  readonly shared: ReadonlyMap<number, readonly number[]>;
  readonly path: SurfacePath;
}

/** Room for the cubic filter's taps and for rounding. */
const MARGIN_PX = 3;

const LEAST_HIDDEN_PX = 16;

/** One surface with its colour, its paths and their extension; null when no pixel shows it. */
export function pictureOfSurface(
  study: LayerStudy,
  surface: number,
  watch: (stage: 'paths' | 'hidden') => void = () => undefined,
): LayerPicture | null {
  const tight = study.bounds[surface];
  if (tight === undefined) return null;
  const { input } = study,
    { width, height } = input;
  const reachPx = reachOf(study, surface);
  // How much of a surface is looked for must not depend on the shutter: a preview and a delivery would differ.
  const hiddenPx = Math.ceil(study.longestPx) + MARGIN_PX;
  // A drop has not much more of itself behind a nearer one than what is seen.
  const behind =
    study.rank[surface] === 0 ? MARGIN_PX : Math.min(hiddenPx, Math.max(LEAST_HIDDEN_PX, 2 * Math.max(tight.box.width, tight.box.height)));
  const inside = clip(grow(tight.box, behind), width, height);
  // Beyond the border only what can come in matters.
  const outsidePx = Math.min(hiddenPx, Math.ceil(tight.longestPx * Math.max(1, study.reachFrames)) + MARGIN_PX);
  const outside = outsideOf(study, surface, tight.box, outsidePx);
  const box = growSides(inside, outside, input);
  const gridBox = growSides(clip(grow(inside, reachPx), width, height), outside, input);
  const path = surfacePath(study.paths, surface, tight.box, gridBox);
  const layer = { surface, box, path, colour: sharedFloats(box.width * box.height * 4), state: new Uint8Array(box.width * box.height) };
  watch('paths');
  const shared = fillColour(study, layer, hiddenPx);
  watch('hidden');
  return { ...layer, shared };
}

/** How far a surface goes within the reach of the plan, in pixels. */
export function reachOf({ bounds, reachFrames, longestPx }: LayerStudy, surface: number): number {
  // Beyond one frame a bent path grows with the square of the time.
  const frames = reachFrames <= 1 ? reachFrames : reachFrames ** 2;
  return Math.ceil((bounds[surface]?.longestPx ?? longestPx) * frames) + MARGIN_PX;
}

export function grow(box: Box, by: number): Box {
  return { x0: box.x0 - by, y0: box.y0 - by, width: box.width + 2 * by, height: box.height + 2 * by };
}

export function clip(box: Box, width: number, height: number): Box {
  const x0 = Math.max(0, box.x0),
    y0 = Math.max(0, box.y0);
  return { x0, y0, width: Math.min(width, box.x0 + box.width) - x0, height: Math.min(height, box.y0 + box.height) - y0 };
}

/** Pixels beyond each border of the picture. */
export interface Sides {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** Where a surface is cut by the picture's border it goes on outside; where its object comes in from outside, it is there already. */
function outsideOf({ input, entering }: LayerStudy, surface: number, tight: Box, by: number): Sides {
  const comes = entering.get(surface) ?? { left: 0, top: 0, right: 0, bottom: 0 };
  const { width, height } = input;
  return {
    left: Math.max(comes.left, tight.x0 === 0 ? by : 0),
    top: Math.max(comes.top, tight.y0 === 0 ? by : 0),
    right: Math.max(comes.right, tight.x0 + tight.width === width ? by : 0),
    bottom: Math.max(comes.bottom, tight.y0 + tight.height === height ? by : 0),
  };
}

/** A side that grows starts at the picture's border. */
function growSides(box: Box, { left, top, right, bottom }: Sides, { width, height }: Size): Box {
  const x0 = left > 0 ? -left : box.x0,
    y0 = top > 0 ? -top : box.y0,
    x1 = right > 0 ? width + right : box.x0 + box.width,
    y1 = bottom > 0 ? height + bottom : box.y0 + box.height;
  return { x0, y0, width: x1 - x0, height: y1 - y0 };
}

type Unfilled = Omit<LayerPicture, 'shared'>;

/** The surface's pixels: its own, those that are hidden now but seen in a neighbouring frame or the clean background, and what is made up. */
function fillColour(study: LayerStudy, layer: Unfilled, hiddenPx: number): Map<number, readonly number[]> {
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
function copyOwn({ input, surfaces }: LayerStudy, { box, colour, surface }: Unfilled, row: number): void {
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

/** Looks for a surface's hidden places where they were seen. */
class HiddenSearch {
  readonly found = new Float32Array(4);
  private readonly way = new Float64Array(2);
  private readonly sample = new Float64Array(4);
  private readonly like: { id: number; depth: number; isFarther: (id: number) => boolean };
  private readonly isArc: boolean;

  constructor(
    private readonly study: LayerStudy,
    private readonly layer: Unfilled,
    private readonly hiddenPx: number,
  ) {
    const own = study.rank[layer.surface];
    this.isArc = study.paths.model === 'arc';
    this.like = { id: study.surfaces.idOf[layer.surface], depth: 0, isFarther: (id) => (study.rankOfId.get(id) ?? -1) > own };
  }

  /** Writes the colour of picture pixel (x, y), which may lie outside the picture. */
  look(x: number, y: number, out: Float32Array, at: number): typeof UNKNOWN | typeof SEEN | typeof ABSENT {
    const { study, layer } = this,
      { width, height, background } = study.input;
    if (background && study.inBackground[layer.surface] === 1 && x >= 0 && y >= 0 && x < width && y < height) {
      for (let c = 0; c < 4; c++) out[at + c] = background[(y * width + x) * 4 + c];
      return SEEN;
    }
    if (study.looks.length === 0) return UNKNOWN;
    if (!this.findNearest(x, y)) return UNKNOWN;
    let seen = 0,
      absent = 0;
    for (const frame of study.looks) {
      if (!wayAt(layer.path.grid, this.isArc, x, y, frame.end, this.way)) continue;
      const wayX = this.way[0],
        wayY = this.way[1];
      const answer = frame.at(this.like, x + wayX, y + wayY, wayX, wayY, this.sample);
      if (answer === SEEN) {
        for (let c = 0; c < 4; c++) out[at + c] = (seen === 0 ? 0 : out[at + c]) + this.sample[c];
        seen++;
      } else if (answer === ABSENT) absent++;
    }
    for (let c = 0; c < 4 && seen > 1; c++) out[at + c] /= seen;
    // A point of a surface is there in both frames: where one shows that it is not, the other has seen something like it.
    return absent > 0 ? ABSENT : seen > 0 ? SEEN : UNKNOWN;
  }

  /** Finds the surface's own place that this one's path comes from, for its depth; false when it is too far to be of use. */
  private findNearest(x: number, y: number): boolean {
    const from = this.nearestTo(x, y);
    if (from < 0) return false;
    this.like.depth = this.layer.path.depth[from];
    // With an id the same object is told at any distance.
    return this.like.id !== 0 || this.isWithin(from, x, y, this.hiddenPx);
  }

  /** So deep behind something that no exposure can uncover it: both move, one way or the other, and for longer than a frame at most. */
  isBuried(x: number, y: number): boolean {
    const from = this.nearestTo(x, y);
    return from >= 0 && !this.isWithin(from, x, y, 2 * this.hiddenPx * Math.max(1, this.study.reachFrames));
  }

  /** The node of the surface itself that is nearest to the node beside a pixel; -1 when there is none. */
  private nearestTo(x: number, y: number): number {
    const { grid, nearest } = this.layer.path;
    const nx = Math.min(grid.across - 1, Math.max(0, Math.round((x - grid.x0) / NODE_PX))),
      ny = Math.min(grid.down - 1, Math.max(0, Math.round((y - grid.y0) / NODE_PX)));
    return nearest[ny * grid.across + nx];
  }

  private isWithin(node: number, x: number, y: number, px: number): boolean {
    const { grid } = this.layer.path,
      row = Math.floor(node / grid.across);
    return (
      Math.abs(grid.x0 + (node - row * grid.across) * NODE_PX - x) <= px + NODE_PX && Math.abs(grid.y0 + row * NODE_PX - y) <= px + NODE_PX
    );
  }
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
function fillUnknown({ box, colour, state }: Unfilled, width: number, height: number): void {
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
function repeatOutside({ box, colour, state }: Unfilled, width: number, height: number): void {
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
