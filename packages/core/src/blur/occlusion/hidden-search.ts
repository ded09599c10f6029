import { NODE_PX } from '@ivrex/kernels/interface';
import { WaysAt } from '../paths/way-at';
import { lengthOf } from '../paths/affine-path';
import { depthChange } from './depth-change';
import { ABSENT, ROUND_TRIP_PX, ROUND_TRIP_SHARE, SEEN, UNKNOWN, type FrameLook } from './frame-look';
import type { LayerStudy, UnfilledPicture } from './layer-study';

/** Looks for a surface's hidden places where they were seen. */
export class HiddenSearch {
  readonly found = new Float32Array(4);
  private readonly way = new Float64Array(2);
  private readonly sample = new Float64Array(4);
  private readonly like: { id: number; depth: number; isFarther: (id: number) => boolean };
  /** By look: where the surface's paths lead in that frame. */
  private readonly ways: readonly WaysAt[];
  /** By look: how much farther the surface is there. */
  private readonly changes: readonly number[];

  constructor(
    private readonly study: LayerStudy,
    private readonly layer: UnfilledPicture,
    private readonly hiddenPx: number,
  ) {
    const own = study.rank[layer.surface];
    this.ways = study.looks.map(({ end }) => new WaysAt(layer.path.grid, study.paths.model === 'arc', end));
    const box = study.bounds[layer.surface]?.box;
    this.changes = study.looks.map((look) =>
      box === undefined ? 1 : depthChange(study.input, study.surfaces.of, layer.surface, box, look),
    );
    this.like = { id: study.surfaces.idOf[layer.surface], depth: 0, isFarther: (id) => (study.rankOfId.get(id) ?? -1) > own };
  }

  /** Writes the colour of picture pixel (x, y), which may lie outside the picture. */
  look(x: number, y: number, out: Float32Array, at: number): typeof UNKNOWN | typeof SEEN | typeof ABSENT {
    const { study, layer, way } = this,
      { width, height, background } = study.input;
    if (background && study.inBackground[layer.surface] === 1 && x >= 0 && y >= 0 && x < width && y < height) {
      for (let c = 0; c < 4; c++) out[at + c] = background[(y * width + x) * 4 + c];
      return SEEN;
    }
    if (study.looks.length === 0) return UNKNOWN;
    if (!this.findNearest(x, y)) return UNKNOWN;
    const { depth } = this.like;
    let seen = 0,
      absent = 0;
    for (let n = 0; n < study.looks.length; n++) {
      const frame = study.looks[n];
      if (!this.ways[n].at(x, y, way)) continue;
      this.like.depth = depth * this.changes[n];
      const answer = frame.at(this.like, x, y, way, this.sample);
      if (answer === SEEN && !this.isShownNow(frame, x + way[0], y + way[1])) {
        for (let c = 0; c < 4; c++) out[at + c] = (seen === 0 ? 0 : out[at + c]) + this.sample[c];
        seen++;
      } else if (answer === ABSENT) absent++;
    }
    for (let c = 0; c < 4 && seen > 1; c++) out[at + c] /= seen;
    // A point of a surface is there in both frames: where one shows that it is not, the other has seen something like it.
    return absent > 0 ? ABSENT : seen > 0 ? SEEN : UNKNOWN;
  }

  /**
   * Whether what a neighbouring frame shows at a place is what this one shows as another surface: what is in front moves much like what it hides, and
   * is mostly what is found where that would be. Within one object nothing else tells them apart.
   */
  private isShownNow({ passes, end, back }: FrameLook, x: number, y: number): boolean {
    const { motion, ids } = this.study.input,
      { width, height } = motion;
    const qx = Math.round(x),
      qy = Math.round(y),
      q = qy * width + qx;
    const ahead = end === 1 ? motion.toNext : motion.toPrevious,
      dx = back[q * 2],
      dy = back[q * 2 + 1];
    const px = Math.round(qx + dx),
      py = Math.round(qy + dy);
    if (!(px >= 0 && py >= 0 && px < width && py < height)) return false;
    const p = py * width + px;
    if (motion.valid[p] === 0 || this.study.surfaces.of[p] === this.layer.surface) return false;
    if (ids !== null && passes.ids !== null && ids[p] !== passes.ids[q]) return false;
    return lengthOf(ahead[p * 2] + dx, ahead[p * 2 + 1] + dy) <= ROUND_TRIP_PX + ROUND_TRIP_SHARE * lengthOf(dx, dy);
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
    const nx = Math.min(grid.across - 1, Math.max(0, Math.round((x - grid.x0) / grid.stepPx))),
      ny = Math.min(grid.down - 1, Math.max(0, Math.round((y - grid.y0) / grid.stepPx)));
    return nearest[ny * grid.across + nx];
  }

  private isWithin(node: number, x: number, y: number, px: number): boolean {
    const { grid, seat } = this.layer.path,
      row = Math.floor(node / grid.across),
      at = seat ?? { x: grid.x0 + (node - row * grid.across) * grid.stepPx, y: grid.y0 + row * grid.stepPx };
    return Math.abs(at.x - x) <= px + NODE_PX && Math.abs(at.y - y) <= px + NODE_PX;
  }
}
