/** One binary16 as a number (IEEE 754-2008). For single values; whole pictures go through the kernels. */
export function halfToNumber(h: number): number {
  const sign = h & 0x8000 ? -1 : 1,
    exponent = (h >> 10) & 31,
    mantissa = h & 1023;
  if (exponent === 31) return mantissa === 0 ? sign * Infinity : NaN;
  return exponent === 0 ? sign * mantissa * 2 ** -24 : sign * (1 + mantissa / 1024) * 2 ** (exponent - 15);
}
