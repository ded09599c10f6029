/** Means over squares of 2 r + 1, in place; at the border over what is there. */
export function boxMean(plane: Float32Array, width: number, height: number, r: number): void {
  const line = new Float64Array(Math.max(width, height) + 1);
  const along = (start: number, step: number, length: number) => {
    for (let i = 0; i < length; i++) line[i + 1] = line[i] + plane[start + i * step];
    for (let i = 0; i < length; i++) {
      const from = Math.max(0, i - r),
        to = Math.min(length, i + r + 1);
      plane[start + i * step] = (line[to] - line[from]) / (to - from);
    }
  };
  for (let y = 0; y < height; y++) along(y * width, 1, width);
  for (let x = 0; x < width; x++) along(x, width, height);
}
