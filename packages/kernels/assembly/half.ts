// IEEE 754 binary16 <-> binary32, four values at a time.

/** Exact for every half, denormals, infinities and NaN payloads included. src: u16, out: f32. */
export function halfToFloat(src: usize, out: usize, count: i32): void {
  const vectorEnd = count & ~3;
  let i = 0;
  for (; i < vectorEnd; i += 4) v128.store(out + (<usize>i << 2), widenFour(v128.load_ext<u16>(src + (<usize>i << 1))));
  for (; i < count; i++) {
    const one = i32x4.splat(load<u16>(src + (<usize>i << 1)));
    store<f32>(out + (<usize>i << 2), f32x4.extract_lane(widenFour(one), 0));
  }
}

/** Halves whose low and high bytes lie apart, as floats. */
export function splitHalvesToFloat(low: usize, high: usize, out: usize, count: i32): void {
  let i = 0;
  for (; i + 8 <= count; i += 8) {
    const halves = i8x16.shuffle(v128.load64_zero(low + i), v128.load64_zero(high + i), 0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23);
    v128.store(out + (<usize>i << 2), widenFour(i32x4.extend_low_i16x8_u(halves)));
    v128.store(out + (<usize>i << 2) + 16, widenFour(i32x4.extend_high_i16x8_u(halves)));
  }
  for (; i < count; i++) {
    const one = i32x4.splat(<i32>load<u8>(low + i) | (<i32>load<u8>(high + i) << 8));
    store<f32>(out + (<usize>i << 2), f32x4.extract_lane(widenFour(one), 0));
  }
}

@inline
export function widenFour(h: v128): v128 {
  const magnitude = v128.and(h, i32x4.splat(0x7fff));
  const sign = i32x4.shl(v128.and(h, i32x4.splat(0x8000)), 16);
  const shifted = i32x4.shl(magnitude, 13);
  // Multiplying by 2^112 moves the exponent's bias and normalises denormals in one step.
  const finite = f32x4.mul(shifted, f32x4.splat(5.192296858534828e33));
  const special = v128.or(shifted, i32x4.splat(0x7f800000));
  const isSpecial = i32x4.gt_s(magnitude, i32x4.splat(0x7bff));
  return v128.or(sign, v128.bitselect(special, finite, isSpecial));
}

/** Rounds to nearest, ties to even; overflow gives infinity, NaN stays NaN. src: f32, out: u16. */
export function floatToHalf(src: usize, out: usize, count: i32): void {
  const vectorEnd = count & ~3;
  let i = 0;
  for (; i < vectorEnd; i += 4) {
    const h = narrowFour(v128.load(src + (<usize>i << 2)));
    v128.store64_lane(out + (<usize>i << 1), i16x8.narrow_i32x4_u(h, h), 0);
  }
  for (; i < count; i++) {
    const h = narrowFour(f32x4.splat(load<f32>(src + (<usize>i << 2))));
    store<u16>(out + (<usize>i << 1), <u16>i32x4.extract_lane(h, 0));
  }
}

@inline
export function narrowFour(f: v128): v128 {
  const sign = v128.and(f, i32x4.splat(0x80000000));
  const a = v128.xor(f, sign);
  // Denormal halves: adding 0.5 lets the float adder do the rounding at the right bit.
  const magic = i32x4.splat(0x3f000000);
  const denormal = i32x4.sub(f32x4.add(a, magic), magic);
  // Normal halves: rebias the exponent, round half to even on the 13 dropped bits.
  const odd = v128.and(i32x4.shr_u(a, 13), i32x4.splat(1));
  const rebias = i32x4.splat(<i32>0xc8000fff);
  const normal = i32x4.shr_u(i32x4.add(i32x4.add(a, rebias), odd), 13);
  const mantissa = v128.and(i32x4.shr_u(a, 13), i32x4.splat(0x3ff));
  const isNan = i32x4.gt_s(a, i32x4.splat(0x7f800000));
  // A NaN whose kept bits are all zero would turn into infinity: set the lowest.
  const keepNan = v128.and(v128.and(isNan, i32x4.eq(mantissa, i32x4.splat(0))), i32x4.splat(1));
  const nanBits = v128.and(isNan, v128.or(mantissa, keepNan));
  const special = v128.or(i32x4.splat(0x7c00), nanBits);
  let h = v128.bitselect(denormal, normal, i32x4.lt_s(a, i32x4.splat(0x38800000)));
  h = v128.bitselect(special, h, i32x4.gt_s(a, i32x4.splat(0x477fffff)));
  return v128.or(h, i32x4.shr_u(sign, 16));
}
