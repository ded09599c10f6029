import { NODE_FLOATS, NODE_PX, type Box } from '@ivrex/kernels/interface';
import { sharedFloats } from '../model/shared-floats';
import { fitAffine } from './affine-fit';
import { FLOW_NUMBERS } from './affine-path';
import { ENDS, writeEnds, type PathStudy, type SurfacePath } from './path-study';

/** Surfaces of no more pixels, no farther apart, have one flow: they tell no more, and of strands and drops there are thousands. */
const SPECK_PIXELS = 16;
/** All of a speck is seen. */
const WINDOW = { radiusPx: SPECK_PIXELS, corePx: SPECK_PIXELS };
/** Forward and back that agree to this are even motion: pixels, and gradients. */
const EVEN_PX = 4e-3,
  EVEN_GRADIENT = 1e-4;

/** The way of a surface of a few pixels: a single affine flow, which four nodes say for any box; null where it has more of them. */
export function speckPath(study: PathStudy, key: number, seen: Box, box: Box): SurfacePath | null {
  if (seen.width > SPECK_PIXELS || seen.height > SPECK_PIXELS) return null;
  const { field } = study;
  let pixels = 0,
    x = 0,
    y = 0,
    depth = 0;
  for (let py = seen.y0; py < seen.y0 + seen.height; py++)
    for (let px = seen.x0; px < seen.x0 + seen.width; px++) {
      const i = py * field.width + px;
      if (field.keys[i] !== key) continue;
      pixels++;
      x += px;
      y += py;
      depth += study.depth?.[i] ?? 0;
    }
  if (pixels > SPECK_PIXELS) return null;
  const isKnown = pixels > 0,
    seat = isKnown ? { x: x / pixels, y: y / pixels } : null,
    ends = new Float64Array(ENDS);
  if (seat !== null) {
    fitAffine(field, key, [field.toNext, field.toPrevious], seat.x, seat.y, study.shear, ends, null, 0, WINDOW);
    writeEnds(study, ends, 0);
  }
  const orders = study.model === 'straight' || isEven(ends) ? 1 : 2,
    place = gridPlace(box),
    nodes = sharedFloats(4 * orders * NODE_FLOATS);
  for (let n = 0; n < 4 && seat !== null; n++) {
    const ox = place.x0 + (n % 2) * place.stepPx - seat.x,
      oy = place.y0 + (n >> 1) * place.stepPx - seat.y;
    for (let k = 0; k < FLOW_NUMBERS; k++) {
      const f = carried(ends, 0, k, ox, oy),
        b = carried(ends, FLOW_NUMBERS, k, ox, oy),
        at = n * orders * NODE_FLOATS + k;
      nodes[at] = (f - b) / 2;
      if (orders === 2) nodes[at + NODE_FLOATS] = (f + b) / 2;
    }
  }
  return {
    grid: { ...place, across: 2, down: 2, isOneFlow: true, orders, nodes },
    nearest: new Int32Array(4).fill(isKnown ? 0 : -1),
    depth: new Float32Array(4).fill(isKnown ? depth / pixels : 0),
    seat,
  };
}

/** Two nodes an axis around a box, evenly. */
function gridPlace(box: Box): { x0: number; y0: number; stepPx: number } {
  let stepPx = 8 * NODE_PX;
  while (stepPx < Math.max(box.width, box.height) - 1) stepPx *= 2;
  return { x0: box.x0 - (stepPx - (box.width - 1)) / 2, y0: box.y0 - (stepPx - (box.height - 1)) / 2, stepPx };
}

/** Number k of a flow as it is (ox, oy) away: g + L o. */
function carried(flows: Float64Array, flow: number, k: number, ox: number, oy: number): number {
  return k < 2 ? flows[flow + k] + flows[flow + 2 + 2 * k] * ox + flows[flow + 3 + 2 * k] * oy : flows[flow + k];
}

function isEven(ends: Float64Array): boolean {
  for (let k = 0; k < FLOW_NUMBERS; k++) if (Math.abs(ends[k] + ends[FLOW_NUMBERS + k]) > (k < 2 ? EVEN_PX : EVEN_GRADIENT)) return false;
  return true;
}
