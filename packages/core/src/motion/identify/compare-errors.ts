/** A paired comparison over the points: worse by more than three standard errors and by more than a three-hundredth. */
export function isClearlyWorse(errors: Float64Array, than: Float64Array): boolean {
  let n = 0,
    sum = 0,
    squares = 0,
    base = 0;
  for (let k = 0; k < errors.length; k++) {
    const d = errors[k] - than[k];
    if (d - d !== 0) continue;
    n++;
    sum += d;
    squares += d * d;
    base += than[k];
  }
  if (n < 2) return false;
  const mean = sum / n,
    deviation = Math.sqrt(Math.max(0, squares / n - mean * mean) / n);
  return mean > 3 * deviation && mean > (0.003 * base) / n;
}

/** Student's t of the first's errors being larger, over the points that both have. */
export function pairedT(first: Float64Array, second: Float64Array): number {
  let n = 0,
    sum = 0,
    squares = 0;
  for (let k = 0; k < first.length; k++) {
    const d = first[k] - second[k];
    if (d - d !== 0) continue;
    n++;
    sum += d;
    squares += d * d;
  }
  if (n < 3) return 0;
  const mean = sum / n;
  return mean / Math.sqrt(Math.max(1e-18, (squares / n - mean * mean) / n));
}
