import { continueMotion } from '../repair/continue-motion';
import { replaceOutliers } from '../repair/replace-outliers';
import { estimateFlow, type Flow } from '../flow/flow';
import { brightnessOf, buildPyramid, sampleLevel, type Pyramid } from '../flow/pyramid';
import { improveByPieces } from './motion-pieces';
import { emptyMotionField, type MotionField } from '../../raster/motion-field';
import type { NeighbourPictures } from '../proof';

export interface EstimatedMotion {
  readonly field: MotionField;
  /**
   * 0 to 1 for each pixel: how far the vector can be believed. Above 0.5 it was found both ways and fits the picture; below, one way only;
   * 0 where it was carried on from around (hidden in both neighbours, or without texture).
   */
  readonly trust: Float32Array;
}

/** There and back must meet within this, plus a share of the way. Pixels. */
const AGREE_PX = 0.8,
  AGREE_SHARE = 0.03,
  /** Brightness that differs by more after the way was found by accident, or hidden. */
  MOST_DIFFERENCE = 0.12,
  /** Sum of squared slopes in a window that pins a vector in both directions. */
  LEAST_TEXTURE = 4e-5,
  /** From this share of lost pixels on the pieces are looked for once more. */
  LOST_ENOUGH = 0.12;

/**
 * Motion of a frame from its neighbours alone, where there is no pass: dense flow to each of them and back; a pixel whose ways there and
 * back do not meet is hidden in that neighbour and takes the mirrored way to the other one (Sundaram, Brox and Keutzer 2010 use the same
 * test); what is hidden in both is carried on from around. Pixels without coverage have no vector.
 */
export function estimateMotion(pictures: NeighbourPictures, coverage: Float32Array | null): EstimatedMotion {
  const { width, height } = pictures,
    count = width * height;
  const pyramid = (rgba: Float32Array) => buildPyramid(brightnessOf(rgba), width, height);
  const now = pyramid(pictures.now);
  const texture = textureOf(now);
  const next = pictures.next === null ? null : followed(now, pyramid(pictures.next), coverage);
  const previous = pictures.previous === null ? null : followed(now, pyramid(pictures.previous), coverage);
  const field: MotionField = emptyMotionField(width, height, next !== null && previous !== null);
  const trust = new Float32Array(count),
    trusted = new Uint8Array(count),
    holes = new Uint8Array(count);
  for (let i = 0; i < count; i++) {
    if (coverage !== null && !(coverage[i] > 0)) continue;
    const ahead = next === null ? 0 : next.belief[i],
      behind = previous === null ? 0 : previous.belief[i];
    if ((ahead === 0 && behind === 0) || texture[i] < LEAST_TEXTURE) {
      holes[i] = 1;
      continue;
    }
    const sure = Math.min(1, texture[i] / (8 * LEAST_TEXTURE));
    trusted[i] = 1;
    field.valid[i] = 1;
    for (let k = i * 2; k < i * 2 + 2; k++) {
      const there = next?.flow.vectors[k] ?? 0,
        back = previous?.flow.vectors[k] ?? 0;
      field.toNext[k] = ahead > 0 ? there : -back;
      field.toPrevious[k] = behind > 0 ? back : -there;
    }
    trust[i] = sure * (ahead > 0 && behind > 0 ? 0.5 + 0.5 * Math.min(ahead, behind) : 0.5 * Math.max(ahead, behind));
  }
  continueMotion(field, trusted, holes);
  replaceOutliers(field);
  return { field, trust };
}

interface Followed {
  readonly flow: Flow;
  readonly belief: Float32Array;
}

function followed(from: Pyramid, to: Pyramid, coverage: Float32Array | null): Followed {
  const plain = estimateFlow(from, to, { finestLevel: 0 }),
    plainBack = estimateFlow(to, from, { finestLevel: 0 });
  const believe = (there: Flow, back: Flow): Believed => ({ there, back, belief: agreement(there, back, from, to) });
  const improve = ({ there, back, belief }: Believed): Believed =>
    believe(improveByPieces(there, belief, from, to, coverage), improveByPieces(back, agreement(back, there, to, from), to, from, null));
  const once = improve(believe(plain, plainBack));
  // What the first pieces brought right tells better ones; where little was lost there is little to gain.
  const { there, belief } = lostShare(once.belief, coverage) > LOST_ENOUGH ? improve(once) : once;
  return { flow: there, belief };
}

interface Believed {
  readonly there: Flow;
  readonly back: Flow;
  readonly belief: Float32Array;
}

/** Of what is covered, what has no way home. */
function lostShare(belief: Float32Array, coverage: Float32Array | null): number {
  let covered = 0,
    lost = 0;
  for (let i = 0; i < belief.length; i++) {
    if (coverage !== null && !(coverage[i] > 0.5)) continue;
    covered++;
    if (belief[i] === 0) lost++;
  }
  return lost / Math.max(1, covered);
}

/** 0 where the way back does not lead home, 1 where it does so exactly and the pictures agree. */
function agreement({ width, height, vectors }: Flow, back: Flow, from: Pyramid, to: Pyramid): Float32Array {
  const belief = new Float32Array(width * height),
    home = new Float32Array(2);
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const u = vectors[i * 2],
        v = vectors[i * 2 + 1];
      const sx = x + u,
        sy = y + v;
      if (sx < 0 || sy < 0 || sx > width - 1 || sy > height - 1) continue;
      sampleVectors(back, sx, sy, home);
      const off = Math.hypot(u + home[0], v + home[1]) / (AGREE_PX + AGREE_SHARE * Math.hypot(u, v));
      const difference = Math.abs(sampleLevel(to[0], to[0].values, sx, sy) - sampleLevel(from[0], from[0].values, x, y)) / MOST_DIFFERENCE;
      if (off < 1 && difference < 1) belief[i] = (1 - off * off) * (1 - difference * difference);
    }
  }
  return belief;
}

function sampleVectors({ vectors, width, height }: Flow, x: number, y: number, out: Float32Array): void {
  const x0 = Math.min(width - 2, Math.floor(x)),
    y0 = Math.min(height - 2, Math.floor(y)),
    u = x - x0,
    v = y - y0;
  for (let c = 0; c < 2; c++) {
    const i = (y0 * width + x0) * 2 + c,
      j = i + width * 2;
    out[c] = (vectors[i] * (1 - u) + vectors[i + 2] * u) * (1 - v) + (vectors[j] * (1 - u) + vectors[j + 2] * u) * v;
  }
}

/** The smaller eigenvalue of the structure tensor over 5 x 5 pixels: how well a vector is pinned in its worse direction. */
function textureOf([{ width, height, stride, origin, slopeX, slopeY }]: Pyramid): Float32Array {
  const out = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let xx = 0,
        xy = 0,
        yy = 0;
      for (let oy = -REACH; oy <= REACH; oy++) {
        let j = origin + (y + oy) * stride + x - REACH;
        for (let ox = -REACH; ox <= REACH; ox++, j++) {
          const gx = slopeX[j],
            gy = slopeY[j];
          xx += gx * gx;
          xy += gx * gy;
          yy += gy * gy;
        }
      }
      out[y * width + x] = (xx + yy) / 2 - Math.hypot((xx - yy) / 2, xy);
    }
  }
  return out;
}

const REACH = 2;
