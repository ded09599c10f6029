/**
 * Fills the pixels whose `known` is 0 from those around them: averages over coarser and coarser halves, then back
 * (Gortler et al. 1996, "The Lumigraph"). RGBA interleaved, in place; known pixels stay as they are.
 */
export function pushPull(rgba: Float32Array, known: Uint8Array, width: number, height: number): void {
  let unknown = 0;
  for (const k of known) unknown += 1 - k;
  if (unknown === 0 || unknown === known.length) return;
  fillLevel(rgba, Float32Array.from(known), width, height);
}

function fillLevel(rgba: Float32Array, weight: Float32Array, width: number, height: number): void {
  if (width <= 1 && height <= 1) return;
  const w = (width + 1) >> 1,
    h = (height + 1) >> 1;
  const coarse = new Float32Array(w * h * 4),
    coarseWeight = new Float32Array(w * h);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x,
        j = (y >> 1) * w + (x >> 1);
      coarseWeight[j] += weight[i];
      for (let c = 0; c < 4; c++) coarse[j * 4 + c] += rgba[i * 4 + c] * weight[i];
    }
  }
  for (let j = 0; j < coarseWeight.length; j++) {
    if (coarseWeight[j] > 0) for (let c = 0; c < 4; c++) coarse[j * 4 + c] /= coarseWeight[j];
    coarseWeight[j] = Math.min(1, coarseWeight[j]);
  }
  fillLevel(coarse, coarseWeight, w, h);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (weight[i] >= 1) continue;
      const cx = x / 2 - 0.25,
        cy = y / 2 - 0.25;
      const x0 = Math.max(0, Math.floor(cx)),
        y0 = Math.max(0, Math.floor(cy));
      const x1 = Math.min(w - 1, x0 + 1),
        y1 = Math.min(h - 1, y0 + 1);
      const u = Math.max(0, cx - x0),
        v = Math.max(0, cy - y0);
      for (let c = 0; c < 4; c++) {
        const top = coarse[(y0 * w + x0) * 4 + c] * (1 - u) + coarse[(y0 * w + x1) * 4 + c] * u;
        const bottom = coarse[(y1 * w + x0) * 4 + c] * (1 - u) + coarse[(y1 * w + x1) * 4 + c] * u;
        rgba[i * 4 + c] = rgba[i * 4 + c] * weight[i] + (top * (1 - v) + bottom * v) * (1 - weight[i]);
      }
    }
  }
}
