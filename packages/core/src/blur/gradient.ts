/**
 * The spatial gradient of a vector field as a similarity transform: for each pixel of `member` the complex m that fits
 * d(x) = d0 + m (x - x0) best over the 5 x 5 window's pixels of the same surface. m = scale-and-rotation rate, (re, im).
 * Sums run along the window's edges, so that the cost does not depend on its size.
 */
const RADIUS = 2;
/** Fewer pixels than this do not tell a gradient. */
const MIN_PIXELS = 6;

export function similarityGradient(vectors: Float32Array, member: Uint8Array, width: number, height: number): Float32Array {
  const out = new Float32Array(width * height * 2);
  // Per column sums over the window's rows: n, x, y, xx+yy, dx, dy, re, im of conj(x) d.
  const columns = new Float64Array(width * 8);
  for (let y = -RADIUS; y < height; y++) {
    if (y + RADIUS < height) addRow(columns, vectors, member, width, y + RADIUS, 1);
    if (y - RADIUS - 1 >= 0) addRow(columns, vectors, member, width, y - RADIUS - 1, -1);
    if (y >= 0) solveRow(columns, member, width, y, out);
  }
  return out;
}

function addRow(columns: Float64Array, vectors: Float32Array, member: Uint8Array, width: number, y: number, sign: number): void {
  for (let x = 0; x < width; x++) {
    const i = y * width + x;
    if (member[i] === 0) continue;
    const dx = vectors[i * 2],
      dy = vectors[i * 2 + 1],
      c = x * 8;
    columns[c] += sign;
    columns[c + 1] += sign * x;
    columns[c + 2] += sign * y;
    columns[c + 3] += sign * (x * x + y * y);
    columns[c + 4] += sign * dx;
    columns[c + 5] += sign * dy;
    columns[c + 6] += sign * (x * dx + y * dy);
    columns[c + 7] += sign * (x * dy - y * dx);
  }
}

function solveRow(columns: Float64Array, member: Uint8Array, width: number, y: number, out: Float32Array): void {
  const sum = new Float64Array(8);
  const shift = (column: number, sign: number) => {
    if (column >= 0 && column < width) for (let k = 0; k < 8; k++) sum[k] += sign * columns[column * 8 + k];
  };
  for (let x = -RADIUS; x < width; x++) {
    shift(x + RADIUS, 1);
    shift(x - RADIUS - 1, -1);
    if (x < 0 || member[y * width + x] === 0 || sum[0] < MIN_PIXELS) continue;
    const [n, sx, sy, sq, sdx, sdy, sre, sim] = sum;
    const spread = sq - (sx * sx + sy * sy) / n;
    if (spread < n * 0.4) continue;
    out[(y * width + x) * 2] = (sre - (sx * sdx + sy * sdy) / n) / spread;
    out[(y * width + x) * 2 + 1] = (sim - (sx * sdy - sy * sdx) / n) / spread;
  }
}
