/**
 * The symmetric two equations a x + b y = p, b x + c y = q. Null when they can't be solved: their determinant is not above `leastShare` of a c.
 */
export function solveTwo(a: number, b: number, c: number, p: number, q: number, leastShare: number): [x: number, y: number] | null {
  const determinant = a * c - b * b;
  if (!(determinant > leastShare * a * c)) return null;
  return [(p * c - q * b) / determinant, (q * a - p * b) / determinant];
}

/** matrix x = right by Gauss elimination with pivots, on copies; `matrix` is size x size, row by row. Null when it can't be solved. */
export function solveLinear(matrix: ArrayLike<number>, right: ArrayLike<number>, size: number, leastPivot = 1e-12): Float64Array | null {
  const m = Float64Array.from(matrix),
    b = Float64Array.from(right);
  for (let c = 0; c < size; c++) {
    let pivot = c;
    for (let r = c + 1; r < size; r++) if (Math.abs(m[r * size + c]) > Math.abs(m[pivot * size + c])) pivot = r;
    if (!(Math.abs(m[pivot * size + c]) > leastPivot)) return null;
    if (pivot !== c) {
      for (let k = 0; k < size; k++) [m[c * size + k], m[pivot * size + k]] = [m[pivot * size + k], m[c * size + k]];
      [b[c], b[pivot]] = [b[pivot], b[c]];
    }
    for (let r = c + 1; r < size; r++) {
      const f = m[r * size + c] / m[c * size + c];
      for (let k = c; k < size; k++) m[r * size + k] -= f * m[c * size + k];
      b[r] -= f * b[c];
    }
  }
  for (let c = size - 1; c >= 0; c--) {
    for (let k = c + 1; k < size; k++) b[c] -= m[c * size + k] * b[k];
    b[c] /= m[c * size + c];
  }
  return b;
}
