import { indexIn } from '../model/box';
import { SEEN } from '../occlusion/frame-look';
import type { LayerPicture, LayerStudy } from '../occlusion/layer-study';

/** How strongly the coverage is held to what the surfaces' outlines say, against what the colours say (squared contrast). */
const OUTLINE_WEIGHT = 0.03;
/** And how much more where no mix of both colours makes the pixel's (by the square of what is left): what turns away from the light differs from what is beside it. */
const MISFIT_WEIGHT = 16;
/** Less coverage than this is none. */
const LEAST_COVERAGE = 0.02;

/**
 * Takes apart the pixels that two opaque surfaces share, in place: C = a F + (1 - a) B. B is what the farther surface was seen to show there in
 * another frame, F the nearer one's colour beside it; a is solved for. Where B was not seen nothing is done: with a guess for B it is worse than
 * nothing. Returns how many pixels were taken apart.
 */
export function separateEdges({ input, surfaces, rank, pure }: LayerStudy, layers: ReadonlyMap<number, LayerPicture>): number {
  const { width, height, rgba } = input,
    { of } = surfaces;
  const front = new Float64Array(4);
  const changes: { layer: LayerPicture; x: number; y: number; value: readonly number[] }[] = [];
  let taken = 0;
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x;
      if (pure[i] === 1 || of[i] < 0 || rgba[i * 4 + 3] < 0.999) continue;
      const pair = pairAt(of, i, width);
      if (pair === null) continue;
      const [f, b] = rank[pair.a] < rank[pair.b] ? [pair.a, pair.b] : [pair.b, pair.a];
      const near = layers.get(f),
        far = layers.get(b);
      if (near === undefined || far === undefined) continue;
      const back = of[i] === b ? far.shared.get(i) : seenAt(far, x, y);
      if (back === undefined || !colourBeside(rgba, of, pure, f, x, y, width, height, front)) continue;
      const outline = (of[i] === f ? 9 - pair.others : pair.others) / 9;
      let along = OUTLINE_WEIGHT * outline,
        square = OUTLINE_WEIGHT;
      for (let c = 0; c < 3; c++) {
        const d = front[c] - back[c];
        along += (rgba[i * 4 + c] - back[c]) * d;
        square += d * d;
      }
      const first = Math.min(1, Math.max(0, along / square));
      let misfit = 0;
      for (let c = 0; c < 3; c++) misfit += (rgba[i * 4 + c] - back[c] - first * (front[c] - back[c])) ** 2;
      const coverage = Math.min(1, Math.max(0, (along + MISFIT_WEIGHT * misfit * outline) / (square + MISFIT_WEIGHT * misfit)));
      const a = coverage < LEAST_COVERAGE ? 0 : coverage > 1 - LEAST_COVERAGE ? 1 : coverage;
      taken++;
      const own = [0, 1, 2].map((c) => Math.max(0, rgba[i * 4 + c] - (1 - a) * back[c]));
      changes.push({ layer: near, x, y, value: a === 0 ? [0, 0, 0, 0] : [...own, a] });
      changes.push({ layer: far, x, y, value: [back[0], back[1], back[2], 1] });
    }
  }
  for (const { layer, x, y, value } of changes) put(layer, x, y, value);
  return taken;
}

/** The pixel's own surface and the only other one around it, with how many of the nine are the other's; null where more meet, or nothing. */
function pairAt(of: Int32Array, i: number, width: number): { a: number; b: number; others: number } | null {
  const a = of[i];
  let b = -1,
    others = 0;
  for (let dy = -1; dy <= 1; dy++) {
    for (let dx = -1; dx <= 1; dx++) {
      const s = of[i + dy * width + dx];
      if (s === a) continue;
      if (s < 0 || (b >= 0 && s !== b)) return null;
      b = s;
      others++;
    }
  }
  return b < 0 ? null : { a, b, others };
}

function seenAt(layer: LayerPicture, x: number, y: number): readonly number[] | undefined {
  const k = indexIn(layer.box, x, y);
  return k < 0 || layer.state[k] !== SEEN ? undefined : Array.from(layer.colour.subarray(k * 4, k * 4 + 4));
}

/** Mean of the surface's unmixed pixels within two pixels, nearer ones counting more. */
function colourBeside(
  rgba: Float32Array,
  of: Int32Array,
  pure: Uint8Array,
  surface: number,
  x: number,
  y: number,
  width: number,
  height: number,
  out: Float64Array,
): boolean {
  let weights = 0;
  out.fill(0);
  for (let dy = -2; dy <= 2; dy++) {
    for (let dx = -2; dx <= 2; dx++) {
      const nx = x + dx,
        ny = y + dy;
      if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
      const j = ny * width + nx;
      if (pure[j] === 0 || of[j] !== surface) continue;
      const weight = 1 / (dx * dx + dy * dy);
      weights += weight;
      for (let c = 0; c < 4; c++) out[c] += weight * rgba[j * 4 + c];
    }
  }
  if (weights === 0) return false;
  for (let c = 0; c < 4; c++) out[c] /= weights;
  return true;
}

function put(layer: LayerPicture, x: number, y: number, value: readonly number[]): void {
  const k = indexIn(layer.box, x, y);
  if (k >= 0) layer.colour.set(value, k * 4);
}
