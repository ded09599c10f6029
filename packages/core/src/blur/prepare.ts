import { IvrexError } from '../errors';
import { peakSpeed, type MotionField } from '../motion/motion-field';
import type { BlurInput } from './blur-input';
import type { BlurPlan, PlannedLayer } from './blur-plan';
import { labelsFromGeometry, labelsFromIds, oneLabel, trustedPixels, type Labels } from './labels';
import { planLayer, type LayerStudy } from './layer';

/**
 * The shutter-independent half of the blur: surfaces, their order, paths, extension and hidden fill.
 * After BLUR.md's layered inverse warp; neighbouring frames are not used here.
 * @throws IvrexError sizeMismatch
 */
export function prepareBlur(input: BlurInput): BlurPlan {
  const { width, height, rgba, motion, depth, ids } = input;
  const count = width * height;
  if (
    rgba.length !== count * 4 ||
    motion.width !== width ||
    motion.height !== height ||
    (depth !== null && depth.length !== count) ||
    (ids !== null && ids.length !== count)
  ) {
    throw new IvrexError(
      'sizeMismatch',
      `the passes of this frame differ in size; beauty is ${width} x ${height}, motion ${motion.width} x ${motion.height}`,
    );
  }
  const trusted = trustedPixels(rgba, motion, depth, ids);
  const labels = labelPixels(input, trusted);
  const { rank, from } = orderSurfaces(labels, input, trusted);
  const model = input.path === 'auto' ? 'arc' : input.path;
  const study: LayerStudy = {
    input,
    model,
    labelOf: labels.of,
    trusted,
    rank,
    reachFrames: Math.max(input.reachFrames, 0.01),
    longestPx: peakSpeed(motion),
  };
  const layers: PlannedLayer[] = [];
  const filled = new Uint8Array(count);
  const nearestFirst = Array.from({ length: labels.count }, (_, label) => label).sort((a, b) => rank[a] - rank[b]);
  for (const label of nearestFirst) {
    const planned = planLayer(study, label, filled);
    if (planned !== null) layers.push(planned);
  }
  let visible = 0,
    inpainted = 0;
  for (let i = 0; i < count; i++) {
    if (labels.of[i] >= 0) visible++;
    inpainted += filled[i];
  }
  return {
    width,
    height,
    layers,
    path: model === 'arc' ? 'arc' : 'line',
    reachFrames: study.reachFrames,
    report: {
      pathModel: model,
      layersFrom: labels.from,
      orderFrom: from,
      layerCount: layers.length,
      inpaintedShare: visible === 0 ? 0 : inpainted / visible,
      notes: notesOn(input, motion, labels),
    },
  };
}

function labelPixels(input: BlurInput, trusted: Uint8Array): Labels {
  if (input.ids !== null) return labelsFromIds(input.ids, input.rgba, trusted, input.width, input.height);
  const labels = labelsFromGeometry(input.motion, input.depth, input.rgba, trusted);
  return labels.count <= 1 ? oneLabel(input.rgba) : labels;
}

function notesOn(input: BlurInput, motion: MotionField, labels: Labels): string[] {
  const notes: string[] = [];
  if (!motion.twoSided) notes.push('Only one vector a pixel: paths carry on straight (or on their arc) to the other side of the frame.');
  if (input.ids === null && labels.count > 1) notes.push('No ids: surfaces were told apart by depth and motion.');
  if (input.depth === null && labels.count > 1) notes.push('No depth: the faster surface was taken as the nearer one.');
  return notes;
}

/** rank[label]: 0 is nearest. By mean depth; without depth the faster is nearer. */
function orderSurfaces(labels: Labels, input: BlurInput, trusted: Uint8Array): { rank: Int32Array; from: 'depth' | 'speed' | 'one layer' } {
  const sum = new Float64Array(labels.count),
    pixels = new Float64Array(labels.count);
  const { depth, motion } = input;
  for (let i = 0; i < labels.of.length; i++) {
    const label = labels.of[i];
    if (label < 0 || trusted[i] === 0) continue;
    const value = depth === null ? -Math.hypot(motion.toNext[i * 2], motion.toNext[i * 2 + 1]) : depth[i];
    if (!Number.isFinite(value)) continue;
    sum[label] += value;
    pixels[label]++;
  }
  const mean = [...sum].map((total, label) => (pixels[label] === 0 ? Infinity : total / pixels[label]));
  const rank = new Int32Array(labels.count);
  [...mean.keys()]
    .sort((a, b) => mean[a] - mean[b] || a - b)
    .forEach((label, position) => {
      rank[label] = position;
    });
  return { rank, from: labels.count <= 1 ? 'one layer' : depth === null ? 'speed' : 'depth' };
}
