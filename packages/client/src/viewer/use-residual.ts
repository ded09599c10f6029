import type { Raster, ShotDetail } from '@ivrex/contract';
import { halfToNumber, sampleBilinear, type MotionField } from '@ivrex/core';
import { useEffect } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { sentenceOf } from '../api/request';
import { useView } from './view-store';

/** Differences are shown this much stronger than they are. */
const GAIN = 3;

/**
 * The proof of a reading: the neighbouring frame is fetched back along the decoded vectors and taken from this one. What is left should be
 * black but for what was hidden. Kept in the view as a picture.
 */
export function useResidual(detail: ShotDetail): void {
  const look = useView((s) => s.look),
    frame = useView((s) => s.frame),
    field = useView((s) => s.field),
    warps = useView((s) => s.residualWarps);
  const { beauty } = detail.settings.elements[0];
  const frames = detail.passes.find((p) => p.id === beauty)?.frames ?? [];
  const other = frames.includes(frame + 1) ? frame + 1 : frames.includes(frame - 1) ? frame - 1 : null;
  const stamp = stampOf(beauty);
  useEffect(() => {
    if (look !== 'residual') return;
    if (beauty === null || field === null || other === null) {
      useView.setState({ residual: null });
      return;
    }
    let current = true;
    const work = async () => {
      const [now, there] = await Promise.all([loadRaster(beauty, frame, 'picture'), loadRaster(beauty, other, 'picture')]);
      if (!current) return;
      const plain = compare(now, there, null, 1),
        warped = compare(now, there, field, other > frame ? 1 : -1);
      const shown = warps ? warped : plain;
      const note = `what frame ${other} differs by${warps ? ', fetched back along the vectors' : ' as it is'}, ${GAIN} times: ${shown.mean.toFixed(4)} on average${
        warps ? ` (${plain.mean.toFixed(4)} without the vectors)` : ''
      }`;
      useView.setState({ residual: { width: now.header.width, height: now.header.height, rgba: shown.rgba, note } });
    };
    work().catch((error: unknown) => current && useView.setState({ residual: null, problem: sentenceOf(error) }));
    return () => {
      current = false;
    };
  }, [look, frame, field, warps, beauty, other, stamp]);
}

let brightnesses: Float32Array | null = null;

/** Square root of light by half code, as motion is measured. */
function brightnessTable(): Float32Array {
  brightnesses ??= Float32Array.from({ length: 65536 }, (_, code) => {
    const v = halfToNumber(code);
    return v > 0 ? Math.min(16, v) : 0;
  });
  return brightnesses;
}

function brightness(raster: Raster): Float32Array {
  const light = brightnessTable(),
    halves = raster.planes[0];
  const out = new Float32Array(halves.length / 4);
  for (let i = 0; i < out.length; i++)
    out[i] = Math.sqrt(0.25 * light[halves[i * 4]] + 0.6 * light[halves[i * 4 + 1]] + 0.15 * light[halves[i * 4 + 2]]);
  return out;
}

/** Means over pixels that either frame covers and that move, where there is a field; else over covered ones. */
function compare(now: Raster, there: Raster, field: MotionField | null, sign: 1 | -1): { rgba: Float32Array; mean: number } {
  const { width, height } = now.header;
  const a = brightness(now),
    b = brightness(there);
  const rgba = new Float32Array(width * height * 4);
  let sum = 0,
    count = 0;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      const vectors = field === null ? null : sign === 1 ? field.toNext : field.toPrevious;
      const tx = x + (vectors === null ? 0 : vectors[i * 2]),
        ty = y + (vectors === null ? 0 : vectors[i * 2 + 1]);
      const inside = tx >= 0 && ty >= 0 && tx <= width - 1 && ty <= height - 1;
      const d = inside ? Math.abs(sampleBilinear(b, width, height, tx, ty) - a[i]) : 0;
      const covered = halfToNumber(now.planes[0][i * 4 + 3]) > 0;
      if (covered && inside) {
        sum += d;
        count++;
      }
      const shown = field !== null && !covered ? 0 : Math.min(1, d * GAIN);
      rgba[i * 4] = rgba[i * 4 + 1] = rgba[i * 4 + 2] = shown;
      rgba[i * 4 + 3] = 1;
    }
  }
  return { rgba, mean: count === 0 ? 0 : sum / count };
}
