import { renderRows } from '../blur/render/apply';
import { BLOCK_PX, lightOf, overExposure, toBlocks } from '../blur/model/frame-mix';
import { sampleBilinear } from '../raster/bilinear';
import type { OpenSlices, PlannedLayer } from '../blur/model/blur-plan';
import { SEEN, UNKNOWN } from '../blur/occlusion/frame-look';
import { sourceErrors, type SourceErrors } from './source-errors';
import { TRUST_CAUSES, type TrustCause, type TrustMap, type TrustRequest } from './trust-map';

/** Of what is off where a neighbour is mixed in: how much either frame's foresight of the other tells, and how much what their pictures differ by at the pixel. */
const FORESEEN = 0.7,
  DIFFERS = 0.3;
/** What was found in another frame is trusted, but for sampling it there; what is made up is not. */
const OFF_SEEN = 0.04,
  OFF_MADE_UP = 0.4;

/**
 * Where the blur can't be trusted, by cause: what each pixel of the sharp picture, and each that was made up behind it, is likely to be off
 * by is moved, covered and averaged as the colours themselves are, through the same kernel. So an error counts as far as it is seen.
 */
export function makeTrustMap(request: TrustRequest, open: OpenSlices): TrustMap {
  const { plan, shutter } = request,
    { width, height } = plan;
  const errors = sourceErrors(request);
  const causes = Object.fromEntries(TRUST_CAUSES.map((cause) => [cause, new Float32Array(width * height)])) as Record<
    TrustCause,
    Float32Array
  >;
  // Three causes ride in the place of red, green and blue.
  for (let first = 0; first < TRUST_CAUSES.length; first += 3) {
    const three = TRUST_CAUSES.slice(first, first + 3);
    const layers = plan.layers.map((layer, index) => ({
      ...layer,
      colour: errorsOfLayer(layer, index, plan.layerOf, errors, three, width, height),
    }));
    const session = open(layers),
      rgba = new Float32Array(width * height * 4);
    try {
      const sharp = errorsOfPicture(plan.sharp, errors, three);
      renderRows({ ...plan, sharp, layers }, session, { shutter, quality: 'draft', samples: 'auto' }, 0, height, rgba);
    } finally {
      session.close();
    }
    three.forEach((cause, c) => {
      for (let i = 0; i < width * height; i++) causes[cause][i] = Math.max(0, rgba[i * 4 + c]);
    });
  }
  shareWithNeighbours(request, causes);
  const expected = new Float32Array(width * height);
  for (const cause of TRUST_CAUSES) for (let i = 0; i < expected.length; i++) expected[i] += causes[cause][i];
  return { width, height, causes, expected };
}

/**
 * Where a neighbour is mixed in, what paths and pictures are off by is not guessed but foreseen: either frame was held against the other. What this frame makes
 * up counts as far as this frame does, and on a side of the exposure without a neighbour what the pictures differ by is for want of it.
 */
function shareWithNeighbours(
  { plan: { width, height }, shutter, mix, blurred }: TrustRequest,
  causes: Readonly<Record<TrustCause, Float32Array>>,
): void {
  if (mix === null) {
    causes.oneFrame.set(causes.disagreement);
    causes.disagreement.fill(0);
    return;
  }
  const shares = overExposure('shares', { width, height }, mix, shutter),
    { across, down, values: foreseen } = overExposure('errors', { width, height }, mix, shutter);
  const alone = mix.parts.reduce((sum, part) => (part.neighbour === 0 ? sum + lightOf(part, shutter) : sum), 0);
  const offAt = (i: number, x: number, y: number) => {
    const there = sampleBilinear(foreseen, across, down, toBlocks(x), toBlocks(y));
    return (FORESEEN * there + DIFFERS * (1 - alone) * causes.disagreement[i]) * detailAt(blurred, width, height, x, y);
  };
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i++) {
      causes.hidden[i] *= 1 - shares.values[Math.floor(y / BLOCK_PX) * across + Math.floor(x / BLOCK_PX)];
      causes.oneFrame[i] = alone * causes.disagreement[i];
      // Which of the two causes it is goes by what they would have come to.
      const guessed = causes.path[i] + causes.disagreement[i],
        off = offAt(i, x, y),
        path = guessed > 0 ? causes.path[i] / guessed : 0;
      causes.path[i] = alone * causes.path[i] + path * off;
      causes.disagreement[i] = (1 - path) * off;
    }
}

/** Detail of the blurred picture at which a block's error is that of its pixels, and how much more there is off where there is more of it. */
const USUAL_DETAIL = 0.02,
  LEAST_DETAIL = 0.003,
  DETAIL_POWER = 0.5;

/** 1 where the blurred picture has as much detail as usual: half from its slope, half from its bend, in whichever channel has more. */
function detailAt(rgba: Float32Array, width: number, height: number, x: number, y: number): number {
  if (x < 1 || y < 1 || x >= width - 1 || y >= height - 1) return (LEAST_DETAIL / USUAL_DETAIL) ** DETAIL_POWER;
  const at = (y * width + x) * 4;
  let slope = 0,
    bend = 0;
  for (const step of [4, width * 4])
    for (let c = at; c < at + 4; c++) {
      const before = rgba[c - step],
        after = rgba[c + step];
      slope = Math.max(slope, Math.abs(after - before) / 2);
      bend = Math.max(bend, Math.abs(before - 2 * rgba[c] + after));
    }
  return (((slope + bend) / 2 + LEAST_DETAIL) / USUAL_DETAIL) ** DETAIL_POWER;
}

function errorsOfPicture(sharp: Float32Array, { planes }: SourceErrors, three: readonly TrustCause[]): Float32Array {
  const out = new Float32Array(sharp.length);
  for (let i = 0; i < sharp.length; i += 4) {
    three.forEach((cause, c) => (out[i + c] = planes[cause][i / 4]));
    out[i + 3] = sharp[i + 3];
  }
  return out;
}

function errorsOfLayer(
  { colourBox, colour, origins }: PlannedLayer,
  index: number,
  layerOf: Uint16Array,
  { planes, variety }: SourceErrors,
  three: readonly TrustCause[],
  width: number,
  height: number,
): Float32Array {
  const out = new Float32Array(colour.length),
    hiddenAt = three.indexOf('hidden'),
    usual = usualVariety(index, layerOf, variety);
  for (let y = 0, k = 0; y < colourBox.height; y++)
    for (let x = 0; x < colourBox.width; x++, k++) {
      const px = colourBox.x0 + x,
        py = colourBox.y0 + y;
      const i = px >= 0 && py >= 0 && px < width && py < height ? py * width + px : -1,
        alpha = colour[k * 4 + 3];
      out[k * 4 + 3] = alpha;
      if (i >= 0 && layerOf[i] === index + 1) three.forEach((cause, c) => (out[k * 4 + c] = planes[cause][i]));
      else if (hiddenAt >= 0)
        out[k * 4 + hiddenAt] = alpha * usual * (origins[k] === UNKNOWN ? OFF_MADE_UP : origins[k] === SEEN ? OFF_SEEN : 0);
    }
  return out;
}

/** The mean variety of what is seen of a layer: what stays hidden is likely as varied. */
function usualVariety(index: number, layerOf: Uint16Array, variety: Float32Array): number {
  let sum = 0,
    count = 0;
  for (let i = 0; i < layerOf.length; i++)
    if (layerOf[i] === index + 1) {
      sum += variety[i];
      count++;
    }
  return count === 0 ? 0 : sum / count;
}
