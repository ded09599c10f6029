let values: Float32Array | null = null;

/** The value of 16 bits. Arrays go through the kernels, where those are loaded. */
export function widen(h: number): number {
  values ??= Float32Array.from({ length: 0x10000 }, (_, code) => defined(code));
  return values[h];
}

/** IEEE 754-2008 binary16, by its definition. */
function defined(h: number): number {
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

const float = new Float32Array(1),
  bits = new Uint32Array(float.buffer);
/** By float32 exponent: adding and subtracting this rounds to ten bits after the first one, or to the smallest step of all. */
const ROUNDERS = Float64Array.from({ length: 256 }, (_, e) => 1.5 * 2 ** (Math.max(-14, e - 127) - 10 + 52));

/** The value of the nearest half of a float32, ties to even: `widen(narrow(value))`, fast enough for every pixel. */
export function roundToHalf(value: number): number {
  float[0] = value;
  const magnitude = Math.abs(value);
  if (!(magnitude < 65520)) return magnitude === magnitude ? (value > 0 ? Infinity : -Infinity) : NaN;
  const k = ROUNDERS[(bits[0] >>> 23) & 255];
  return value + k - k;
}
