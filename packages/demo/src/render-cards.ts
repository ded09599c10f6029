import { boundsOf, cardInverse, sampleTexture, toScreen, type Card, type Pose, type ToCard } from './card';
import { hash } from './noise';

export interface FrameSize {
  readonly width: number;
  readonly height: number;
}

/** The size of a production's pictures, with its pixels a unit of artwork: 1 at 960 x 540. */
export interface DemoSize extends FrameSize {
  readonly scale: number;
}

/** What an ordinary renderer writes for one frame, sharp. */
export interface SharpPasses {
  readonly rgba: Float32Array;
  /** toNext.x, toNext.y, toPrevious.x, toPrevious.y a pixel, pixels per frame. */
  readonly motion: Float32Array;
  readonly depth: Float32Array;
  readonly ids: Uint32Array;
}

export interface Posed {
  readonly card: Card;
  readonly index: number;
  readonly toCard: ToCard;
  readonly box: { readonly x0: number; readonly y0: number; readonly x1: number; readonly y1: number };
}

export function posedAt(cards: readonly Card[], t: number): Posed[] {
  return cards.map((card, index) => {
    const pose = card.pose(t);
    return { card, index, toCard: cardInverse(pose), box: boundsOf(card, pose) };
  });
}

/** Those that can be met on this row of pixels. */
export function onRow(posed: readonly Posed[], y: number): Posed[] {
  return posed.filter(({ box }) => box.y0 <= y + 1 && box.y1 >= y);
}

function unionBox(posed: readonly Posed[], size: FrameSize): { x0: number; y0: number; x1: number; y1: number } {
  return {
    x0: Math.max(0, Math.min(...posed.map((p) => p.box.x0))),
    y0: Math.max(0, Math.min(...posed.map((p) => p.box.y0))),
    x1: Math.min(size.width, Math.max(...posed.map((p) => p.box.x1))),
    y1: Math.min(size.height, Math.max(...posed.map((p) => p.box.y1))),
  };
}

const uv = new Float64Array(2),
  texel = new Float64Array(4),
  seen = new Float64Array(4);

/** Where to add how much of a pixel each card covers: one plane a card. */
interface Covering {
  readonly planes: readonly Float32Array[];
  readonly weight: number;
}

/** Cards composited nearest first at one point; `seen` gets premultiplied RGBA. */
export function lookAt(
  posed: readonly Posed[],
  x: number,
  y: number,
  seen: Float64Array,
  pixel = 0,
  covering: Covering | null = null,
): void {
  seen.fill(0);
  for (const { card, index, toCard, box } of posed) {
    if (x < box.x0 || y < box.y0 || x > box.x1 || y > box.y1) continue;
    toCard(x, y, uv);
    sampleTexture(card.texture, uv[0], uv[1], texel);
    if (texel[3] === 0) continue;
    const clear = 1 - seen[3];
    if (covering !== null) covering.planes[index][pixel] += covering.weight * clear * texel[3];
    for (let k = 0; k < 4; k++) seen[k] += clear * texel[k];
    if (seen[3] > 0.9995) return;
  }
}

// R2 sequence (Roberts 2018): even coverage of a pixel at any number of samples.
export const R2X = 0.7548776662466927,
  R2Y = 0.5698402909980532;

/** The picture at one moment, `samples` a pixel. `coverage` gets, a plane a card, how much of each pixel it covers. */
export function renderSharp(
  cards: readonly Card[],
  t: number,
  size: FrameSize,
  samples: number,
  coverage: readonly Float32Array[] | null = null,
): SharpPasses {
  const covering = coverage === null ? null : { planes: coverage, weight: 1 / samples };
  const posed = posedAt(cards, t),
    box = unionBox(posed, size),
    count = size.width * size.height;
  const next = cards.map((card) => card.pose(t + 1)),
    previous = cards.map((card) => card.pose(t - 1));
  const out: SharpPasses = {
    rgba: new Float32Array(count * 4),
    motion: new Float32Array(count * 4),
    depth: new Float32Array(count),
    ids: new Uint32Array(count),
  };
  for (let y = box.y0; y < box.y1; y++) {
    const met = onRow(posed, y);
    for (let x = box.x0; x < box.x1; x++) {
      const i = y * size.width + x;
      for (let s = 0; s < samples; s++) {
        lookAt(met, x + ((0.5 + s * R2X) % 1), y + ((0.5 + s * R2Y) % 1), seen, i, covering);
        for (let k = 0; k < 4; k++) out.rgba[i * 4 + k] += seen[k] / samples;
      }
      if (out.rgba[i * 4 + 3] > 0) writeData(met, next, previous, x, y, i, samples, out);
    }
  }
  return out;
}

/** The data passes hold one surface a pixel: the first one met at its middle, else at any of the samples. */
function writeData(
  posed: readonly Posed[],
  next: readonly Pose[],
  previous: readonly Pose[],
  x: number,
  y: number,
  i: number,
  samples: number,
  out: SharpPasses,
): void {
  for (let s = 0; s < samples; s++) {
    const sx = x + ((0.5 + s * R2X) % 1),
      sy = y + ((0.5 + s * R2Y) % 1);
    const hit = posed.find(({ card, toCard, box }) => {
      if (sx < box.x0 || sx > box.x1) return false;
      toCard(sx, sy, uv);
      sampleTexture(card.texture, uv[0], uv[1], texel);
      return texel[3] > 0.02;
    });
    if (hit === undefined) continue;
    // The vector is that of the pixel's middle, whichever sample found the surface.
    hit.toCard(x + 0.5, y + 0.5, uv);
    const forward = toScreen(next[hit.index], uv[0], uv[1]),
      back = toScreen(previous[hit.index], uv[0], uv[1]);
    out.motion.set([forward[0] - x - 0.5, forward[1] - y - 0.5, back[0] - x - 0.5, back[1] - y - 0.5], i * 4);
    out.depth[i] = hit.card.depth;
    out.ids[i] = hit.card.id;
    return;
  }
}

/** The truth: the mean of `moments` pictures over the exposure, `samples` points a pixel and moment. Premultiplied RGBA. */
export function renderBlurred(
  cards: readonly Card[],
  t: number,
  opens: number,
  closes: number,
  size: FrameSize,
  moments: number,
  samples: number,
): Float32Array {
  const sum = new Float64Array(size.width * size.height * 4);
  for (let m = 0; m < moments; m++) {
    const posed = posedAt(cards, t + opens + ((m + 0.5) / moments) * (closes - opens)),
      box = unionBox(posed, size);
    for (let y = box.y0; y < box.y1; y++) {
      const met = onRow(posed, y);
      for (let x = box.x0; x < box.x1; x++) {
        const i = (y * size.width + x) * 4;
        for (let s = 0; s < samples; s++) {
          const n = m * samples + s;
          lookAt(met, x + ((0.5 + n * R2X) % 1), y + ((0.5 + n * R2Y) % 1), seen);
          for (let k = 0; k < 4; k++) sum[i + k] += seen[k];
        }
      }
    }
  }
  return Float32Array.from(sum, (v) => v / (moments * samples));
}

/** Moments that a noisy render picks from. */
const NOISY_MOMENTS = 256;

/**
 * The same as an ordinary renderer does it: `samples` random points and moments a pixel, so that streaks are grainy. `seed` makes another
 * grain. Premultiplied RGBA.
 */
export function renderNoisy(
  cards: readonly Card[],
  t: number,
  opens: number,
  closes: number,
  size: FrameSize,
  samples: number,
  seed: number,
): Float32Array {
  const out = new Float32Array(size.width * size.height * 4);
  const moments = Array.from({ length: NOISY_MOMENTS }, (_, m) => {
    const posed = posedAt(cards, t + opens + ((m + 0.5) / NOISY_MOMENTS) * (closes - opens));
    return { posed, box: unionBox(posed, size) };
  });
  for (let y = 0; y < size.height; y++) {
    const row = moments.map(({ posed, box }) => ({ met: y >= box.y0 && y < box.y1 ? onRow(posed, y) : [], box }));
    for (let x = 0; x < size.width; x++) {
      const i = (y * size.width + x) * 4;
      for (let s = 0; s < samples; s++) {
        // One random moment in each part of the exposure.
        const m = Math.floor(((s + hash(x, y, seed + s * 3)) / samples) * NOISY_MOMENTS),
          { met, box } = row[Math.min(NOISY_MOMENTS - 1, m)];
        if (met.length === 0 || x < box.x0 || x > box.x1) continue;
        lookAt(met, x + hash(x, y, seed + s * 3 + 1), y + hash(x, y, seed + s * 3 + 2), seen);
        for (let k = 0; k < 4; k++) out[i + k] += seen[k] / samples;
      }
    }
  }
  return out;
}
