/** IEEE 754-2008 binary16, by its definition. For single values and tables; arrays go through the kernels. */
export function widen(h: number): number {
  const sign = h & 0x8000 ? -1 : 1,
    exponent = (h >> 10) & 31,
    mantissa = h & 1023;
  if (exponent === 31) return mantissa === 0 ? sign * Infinity : NaN;
  return exponent === 0 ? sign * mantissa * 2 ** -24 : sign * (1 + mantissa / 1024) * 2 ** (exponent - 15);
}

/** The nearest half, ties to the even bit pattern. */
export function narrow(value: number): number {
  if (Number.isNaN(value)) return 0x7e00;
  const sign = value < 0 || Object.is(value, -0) ? 0x8000 : 0,
    magnitude = Math.abs(value);
  if (magnitude >= 65520) return sign | 0x7c00;
  const exponent = Math.max(-14, Math.floor(Math.log2(magnitude || 1e-30)));
  const step = 2 ** (exponent - 10);
  const scaled = magnitude / step,
    floor = Math.floor(scaled);
  const steps = scaled - floor > 0.5 || (scaled - floor === 0.5 && floor % 2 === 1) ? floor + 1 : floor;
  // Steps past 2048 carry into the exponent by themselves.
  return sign | (exponent === -14 ? steps : ((exponent + 15) << 10) + (steps - 1024));
}
