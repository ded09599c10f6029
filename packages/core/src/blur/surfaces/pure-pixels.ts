/** 1 where the whole 3 x 3 neighbourhood is of one surface. */
export function purePixels(of: Int32Array, width: number, height: number): Uint8Array {
  const pure = new Uint8Array(of.length);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1; x < width - 1; x++) {
      const i = y * width + x,
        s = of[i];
      pure[i] =
        of[i - 1] === s &&
        of[i + 1] === s &&
        of[i - width] === s &&
        of[i + width] === s &&
        of[i - width - 1] === s &&
        of[i - width + 1] === s &&
        of[i + width - 1] === s &&
        of[i + width + 1] === s
          ? 1
          : 0;
    }
  }
  return pure;
}
